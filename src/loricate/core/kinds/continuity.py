"""Continuity: a low current through each path of a list, four-wire; resistance in Ω.

Every path has a reading of its own, `resistance A-B`, with the fixture's zero taken off it, and a
minimum and maximum of its own or the step's. A path that carries no current is `open`. The source
must be able to give the current: 0.2 A is what most standards ask at least.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.kinds.outputs import falls_short, overstressed
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, Place, register
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import Connect, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.products.product import Terminal
from loricate.core.quantities import (
    CURRENT,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Ohms,
    Seconds,
    display,
)


class Path(BaseModel):
    """A path between two contacts, with limits of its own where they differ from the step's."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    high: Terminal
    low: Terminal
    minimum: Annotated[Ohms, Field(ge=0)] | None = None
    maximum: Annotated[Ohms, Field(gt=0)] | None = None

    @model_validator(mode="after")
    def _ends_differ(self) -> "Path":
        if self.high == self.low:
            raise ValueError(f"goes from '{self.high}' to itself; name two contacts.")
        if None not in (self.minimum, self.maximum) and (self.minimum or 0) > (self.maximum or 0):
            raise ValueError("has its minimum above its maximum; swap them.")
        return self

    @property
    def reading(self) -> str:
        """The name of the path's reading."""
        return f"resistance {self.high}-{self.low}"

    def __str__(self) -> str:
        edges = [
            f"{sign} {display(edge, RESISTANCE)}"
            for sign, edge in (("≥", self.minimum), ("≤", self.maximum))
            if edge is not None
        ]
        return " ".join([f"{self.high}-{self.low}", *edges])


class ContinuitySettings(KindSettings):
    """The paths, and the current that each gets."""

    paths: tuple[Path, ...] = Field(min_length=1, title="Paths")
    current: Annotated[Amperes, Field(gt=0)] = Field(default=0.2, title="Test current")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Dwell on each path")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1,
        title="Current tolerance",
        description="Departure of the current still accepted",
    )

    @model_validator(mode="after")
    def _each_path_once(self) -> "ContinuitySettings":
        names = [path.reading for path in self.paths]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise ValueError(f"paths has {', '.join(twice)} twice; remove one.")
        return self

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {
            f"paths[{index}].{end}": (getattr(path, end),)
            for index, path in enumerate(self.paths)
            for end in ("high", "low")
        }


def procedure(settings: ContinuitySettings, limits: Mapping[str, Limit]) -> Procedure:
    """Measure path after path; report each, and name those that are open."""
    readings, open_paths, causes, short_of_current = [], [], [], []
    for path in settings.paths:
        yield Connect(Role.BOND, {"high": (path.high,), "low": (path.low,)})
        output = yield from put_on(
            Role.BOND, {"level_a": settings.current, "dwell_s": settings.dwell}
        )
        current = output.reading("current", CURRENT)
        resistance = resistance_of(output.reading("voltage", VOLTAGE), current)
        readings.append(replace(resistance, name=path.reading))
        if current.bound is Bound.BELOW:
            open_paths.append(f"{path.high}-{path.low}")
        elif overstressed(output, "current", settings.current, settings.tolerance):
            causes.append(Cause.OVERSTRESS)
        elif falls_short(current, settings.current, settings.tolerance):
            short_of_current.append(Cause.LEVEL_NOT_REACHED)
    note = f"Open: {', '.join(open_paths)}." if open_paths else ""
    found = (Cause.OPEN,) if open_paths else tuple(causes)
    return Measured(tuple(readings), found, note, tuple(short_of_current))


def graded(settings: ContinuitySettings, limits: Mapping[str, Limit]) -> Mapping[str, Limit]:
    """The limit of each path's reading: its own figures, else the step's."""
    found = {}
    for path in settings.paths:
        if path.minimum is not None or path.maximum is not None:
            found[path.reading] = Limit(
                dimension=RESISTANCE.name,
                minimum=path.minimum,
                maximum=path.maximum,
                source=LimitSource(engineer="figure of the path"),
            )
        elif "resistance" in limits:
            found[path.reading] = limits["resistance"]
    return found


def slots(settings: ContinuitySettings) -> Mapping[str, LimitSlot]:
    """The step's own limit, which is needed as soon as one path has none."""
    lacking = any(path.minimum is None and path.maximum is None for path in settings.paths)
    return {"resistance": LimitSlot(RESISTANCE, needed=lacking)}


def limit_place(settings: ContinuitySettings, reading: str) -> Place | None:
    """Each path has limits of its own beside it."""
    names = [path.reading for path in settings.paths]
    return ("settings", "paths", names.index(reading)) if reading in names else None


def demands(settings: ContinuitySettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The source must give the current and hold it for the dwell."""
    return (
        Demand(Role.BOND, "level_a", settings.current, CURRENT, "current"),
        Demand(Role.BOND, "dwell_s", settings.dwell, TIME, "dwell"),
    )


CONTINUITY = register(
    Kind(
        name="continuity",
        title="Continuity",
        settings=ContinuitySettings,
        limits={"resistance": LimitSlot(RESISTANCE, title="Resistance of a path")},
        judged_by=(),
        slots=slots,
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell * len(settings.paths),
        leads=lambda settings: {path.reading: (path.high, path.low) for path in settings.paths},
        graded=graded,
        limit_place=limit_place,
    )
)
