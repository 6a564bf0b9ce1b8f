"""How runs and units are shown: shared by the routers that show them."""

from typing import Any

from loricate.api.records import AttemptOut, ReadingOut, UnitOut
from loricate.core.limits import Limit, LimitSource
from loricate.core.quantities import DIMENSIONS
from loricate.core.readings import make_reading


def reading_out(row: dict[str, Any]) -> ReadingOut:
    """Show a stored reading."""
    text, limit, source = "not a number", "", ""
    if row["value"] is not None:
        text = make_reading(row["name"], row["value"], row["dimension"], row["bound"]).text
    if row["minimum"] is not None or row["maximum"] is not None:
        source = LimitSource.model_validate(row["source"]).text
        limit = Limit(
            dimension=row["dimension"], minimum=row["minimum"], maximum=row["maximum"]
        ).text
    return ReadingOut(
        name=row["name"], value=row["value"], unit=DIMENSIONS[row["dimension"]].unit,
        bound=row["bound"], uncertainty=row["uncertainty"], text=text,
        instrument=row["instrument"], minimum=row["minimum"], maximum=row["maximum"], limit=limit,
        source=source, verdict=row["verdict"], cause=row["cause"], margin=row["margin"],
    )  # fmt: skip


def unit_out(row: dict[str, Any]) -> UnitOut:
    """Show a unit's appearance with its attempts."""
    attempts = [
        AttemptOut(
            step_id=each["step_id"], number=each["number"], kind=each["kind"], title=each["title"],
            verdict=each["verdict"], cause=each["cause"], note=each["note"],
            started_at=each["started_at"], ended_at=each["ended_at"],
            readings=[reading_out(reading) for reading in each["readings"]],
        )
        for each in row["attempts"]
    ]  # fmt: skip
    return UnitOut(**{key: row[key] for key in UnitOut.model_fields if key != "attempts"},
                   attempts=attempts)  # fmt: skip
