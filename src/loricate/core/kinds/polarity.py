"""Polarity of a cord: which contact of its far end each contact of its plug reaches.

A low current tries every plug contact against every far contact. A cord is right when each plug
contact reaches its own far contact and no other. Exchanged conductors are `miswire` and named, one
that reaches nothing is `open`, one that reaches a second as well is `short`. Resistance in Ω.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import falls_short
from loricate.core.measuring.actions import At, Connect, Energise, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, Reading, resistance_of
from loricate.core.measuring.roles import BOND
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
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

GRAVEST_FIRST = (Cause.MISWIRE, Cause.SHORT, Cause.OPEN, Cause.LEVEL_NOT_REACHED)


class Conductor(BaseModel):
    """One conductor: the plug's contact and the far contact that it must reach."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    plug: Terminal
    far: Terminal

    @property
    def point(self) -> str:
        """The name of the conductor as a point: no terminal has a space in it."""
        return f"{self.plug} to {self.far}"

    def __str__(self) -> str:
        return self.point


class Polarity(KindSettings):
    """The conductors of the cord, and what counts as connected."""

    name = "polarity"
    title = "Polarity of a cord"
    slots = {"resistance": LimitSlot(RESISTANCE, title="Resistance of a conductor")}
    judged_by = ()
    meters = ("current", "voltage", "resistance")

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

    @classmethod
    def why_not(cls, product: Product) -> str:
        """Both ends of the cord must be within reach of the fixture."""
        return "" if product.family == "cable" else "only a cable has both its ends in the fixture"

    def points(self, product: Product) -> Points:
        """Each conductor is one."""
        return tuple(Point(conductor.point) for conductor in self.conductors)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {
            f"conductors[{index}].{end}": (getattr(conductor, end),)
            for index, conductor in enumerate(self.conductors)
            for end in ("plug", "far")
        }

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Try every pair, then compare what is connected with what should be."""
        tried: dict[tuple[str, str], Reading] = {}
        faults: list[Fault] = []
        programme = {"level_a": self.current, "dwell_s": self.dwell}
        for number, conductor in enumerate(self.conductors, start=1):
            yield from do(At(conductor.point, number, len(self.conductors)))
            for other in self.conductors:
                yield from do(Connect(BOND, {"high": (conductor.plug,), "low": (other.far,)}))
                output = yield from do(Energise(BOND, programme))
                current = output.reading("current", CURRENT)
                if conductor is other and falls_short(current, self.current, self.tolerance):
                    faults.append(Fault(Cause.LEVEL_NOT_REACHED, conductor.point, gives_way=True))
                resistance = resistance_of(output.reading("voltage", VOLTAGE), current)
                tried[conductor.plug, other.far] = resistance
        faults += [fault for each in self.conductors if (fault := self._fault(each, tried))]
        faults.sort(key=lambda fault: GRAVEST_FIRST.index(fault.cause))
        readings = tuple(tried[each.plug, each.far].at(each.point) for each in self.conductors)
        return Measured(readings, tuple(faults))

    def _fault(
        self, conductor: Conductor, tried: Mapping[tuple[str, str], Reading]
    ) -> Fault | None:
        """What is wrong with a conductor, by all that its plug contact was tried against."""
        reached = [
            other.far
            for other in self.conductors
            if self._is_connected(tried[conductor.plug, other.far])
        ]
        if reached == [conductor.far]:
            return None
        plug, point = conductor.plug, conductor.point
        if not reached:
            return Fault(Cause.OPEN, point, f"{plug} reaches nothing.")
        named = " and ".join(reached)
        if conductor.far in reached:
            return Fault(Cause.SHORT, point, f"{plug} reaches {named}.")
        return Fault(Cause.MISWIRE, point, f"{plug} reaches {named}, not {conductor.far}.")

    def _is_connected(self, resistance: Reading) -> bool:
        return resistance.bound is not Bound.ABOVE and resistance.value <= self.connected

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must give the current and hold it for the dwell."""
        return (
            Demand(BOND, "level_a", self.current, CURRENT, "current"),
            Demand(BOND, "dwell_s", self.dwell, TIME, "dwell"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell * len(self.conductors) ** 2

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        return {
            Measurand("resistance", each.point): (each.plug, each.far) for each in self.conductors
        }

    def fails_when_empty(self, limits: Limits) -> bool:
        return True
