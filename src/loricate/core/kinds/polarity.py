"""Polarity of a cord: which contact of its far end each contact of its plug reaches.

A low current tries every plug contact against every far contact. A cord is right when each plug
contact reaches its own far contact and no other. Exchanged conductors are `miswire` and named, one
that reaches nothing is `open`, one that reaches a second as well is `short`. Resistance in Ω.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.kinds.outputs import falls_short
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, Place, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.products.product import Product, Terminal
from loricate.core.quantities import (
    CURRENT,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Ohms,
    Seconds,
)


class Conductor(BaseModel):
    """One conductor: the plug's contact and the far contact that it must reach."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    plug: Terminal
    far: Terminal

    @property
    def reading(self) -> str:
        """The name of the conductor's reading."""
        return f"resistance {self.plug}-{self.far}"

    def __str__(self) -> str:
        return f"{self.plug}-{self.far}"


class PolaritySettings(KindSettings):
    """The conductors of the cord, and what counts as connected."""

    conductors: tuple[Conductor, ...] = Field(min_length=2, title="Conductors")
    current: Annotated[Amperes, Field(gt=0)] = Field(default=0.2, title="Test current")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.1, title="Dwell on each try")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1,
        title="Current tolerance",
        description="Departure of the current still accepted",
    )
    connected: Annotated[Ohms, Field(gt=0)] = Field(
        default=5.0, title="Connected below", description="More than this is no connection"
    )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {
            f"conductors[{index}].{end}": (getattr(conductor, end),)
            for index, conductor in enumerate(self.conductors)
            for end in ("plug", "far")
        }


def procedure(settings: PolaritySettings, limits: Mapping[str, Limit]) -> Procedure:
    """Try every pair, then compare what is connected with what should be."""
    found: dict[tuple[str, str], Reading] = {}
    short_of_current: list[Cause] = []
    for conductor in settings.conductors:
        for other in settings.conductors:
            yield Connect(Role.BOND, {"high": (conductor.plug,), "low": (other.far,)})
            output = yield from put_on(
                Role.BOND, {"level_a": settings.current, "dwell_s": settings.dwell}
            )
            current = output.reading("current", CURRENT)
            if conductor is other and falls_short(current, settings.current, settings.tolerance):
                short_of_current.append(Cause.LEVEL_NOT_REACHED)
            resistance = resistance_of(output.reading("voltage", VOLTAGE), current)
            found[conductor.plug, other.far] = resistance
    readings, causes, notes = [], [], []
    for conductor in settings.conductors:
        reached = [
            other.far
            for other in settings.conductors
            if _is_connected(found[conductor.plug, other.far], settings.connected)
        ]
        own = found[conductor.plug, conductor.far]
        readings.append(replace(own, name=conductor.reading))
        if reached == [conductor.far]:
            continue
        if not reached:
            causes.append(Cause.OPEN)
            notes.append(f"{conductor.plug} reaches nothing.")
        elif conductor.far in reached:
            causes.append(Cause.SHORT)
            notes.append(f"{conductor.plug} reaches {' and '.join(reached)}.")
        else:
            causes.append(Cause.MISWIRE)
            notes.append(f"{conductor.plug} reaches {' and '.join(reached)}, not {conductor.far}.")
    ordered = sorted(causes, key=(Cause.MISWIRE, Cause.SHORT, Cause.OPEN).index)
    return Measured(tuple(readings), tuple(ordered), " ".join(notes), tuple(short_of_current))


def _is_connected(resistance: Reading, below_ohms: float) -> bool:
    return resistance.bound is not Bound.ABOVE and resistance.value <= below_ohms


def graded(settings: PolaritySettings, limits: Mapping[str, Limit]) -> Mapping[str, Limit]:
    """The step's limit, if it has one, for the reading of each conductor."""
    if "resistance" not in limits:
        return {}
    return {conductor.reading: limits["resistance"] for conductor in settings.conductors}


def limit_place(settings: PolaritySettings, reading: str) -> Place | None:
    """One limit holds for every conductor."""
    names = [conductor.reading for conductor in settings.conductors]
    return ("limits", "resistance") if reading in names else None


def demands(settings: PolaritySettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The source must give the current and hold it for the dwell."""
    return (
        Demand(Role.BOND, "level_a", settings.current, CURRENT, "current"),
        Demand(Role.BOND, "dwell_s", settings.dwell, TIME, "dwell"),
    )


def why_not(product: Product) -> str:
    """Both ends of the cord must be within reach of the fixture."""
    return "" if product.family == "cable" else "only a cable has both its ends in the fixture"


POLARITY = register(
    Kind(
        name="polarity",
        title="Polarity of a cord",
        settings=PolaritySettings,
        limits={"resistance": LimitSlot(RESISTANCE, title="Resistance of a conductor")},
        judged_by=(),
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell * len(settings.conductors) ** 2,
        why_not=why_not,
        leads=lambda settings: {
            each.reading: (each.plug, each.far) for each in settings.conductors
        },
        graded=graded,
        limit_place=limit_place,
    )
)
