"""Continuity: a low current through each path of a list, four-wire; resistance in Ω.

Every path is a point with a reading of its own, the fixture's zero taken off it, and a minimum and
maximum of its own or the step's. A path that carries no current is `open`. The source must be able
to give the current: 0.2 A is what most standards ask at least.
"""

from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.bonds import beyond_the_source
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Place, Point, Points
from loricate.core.kinds.outputs import falls_short, overstressed
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import At, Connect, Energise, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, resistance_of
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
            raise fault_at("low", f"leads from '{self.high}' to itself", "name two contacts.")
        if None not in (self.minimum, self.maximum) and (self.minimum or 0) > (self.maximum or 0):
            raise fault_at("minimum", "is above the maximum", "swap them.")
        return self

    @property
    def point(self) -> str:
        """The name of the path as a point: no terminal has a space in it."""
        return f"{self.high} to {self.low}"

    @property
    def own_limit(self) -> Limit | None:
        """The path's own limit, if it has one."""
        if self.minimum is None and self.maximum is None:
            return None
        return Limit(
            dimension=RESISTANCE.name,
            minimum=self.minimum,
            maximum=self.maximum,
            source=LimitSource(engineer="figure of the path"),
        )

    def __str__(self) -> str:
        edges = [
            f"{sign} {display(edge, RESISTANCE)}"
            for sign, edge in (("≥", self.minimum), ("≤", self.maximum))
            if edge is not None
        ]
        return " ".join([self.point, *edges])


class Continuity(KindSettings):
    """The paths, and the current that each gets."""

    name = "continuity"
    title = "Continuity"
    slots = {"resistance": LimitSlot(RESISTANCE, title="Resistance of a path")}
    judged_by = ()
    advises = ("limit_out_of_reach",)
    meters = ("current", "voltage", "resistance")

    paths: tuple[Path, ...] = Field(min_length=1, title="Paths")
    current: Annotated[Amperes, Field(gt=0)] = Field(default=0.2, title="Test current")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Dwell on each path")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.1,
        title="Current tolerance",
        description="Departure of the current still accepted",
    )

    @model_validator(mode="after")
    def _each_path_once(self) -> "Continuity":
        names = [path.point for path in self.paths]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise fault_at("paths", f"has {', '.join(twice)} twice", "remove one.")
        return self

    def points(self, product: Product) -> Points:
        """Each path is one."""
        return tuple(Point(path.point) for path in self.paths)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {
            f"paths[{index}].{end}": (getattr(path, end),)
            for index, path in enumerate(self.paths)
            for end in ("high", "low")
        }

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure path after path; report each, and name those that are open."""
        readings, faults = [], []
        for number, path in enumerate(self.paths, start=1):
            yield from do(At(path.point, number, len(self.paths)))
            yield from do(Connect(BOND, {"high": (path.high,), "low": (path.low,)}))
            programme = {"level_a": self.current, "dwell_s": self.dwell}
            output = yield from do(Energise(BOND, programme))
            current = output.reading("current", CURRENT)
            resistance = resistance_of(output.reading("voltage", VOLTAGE), current)
            readings.append(resistance.at(path.point))
            if current.bound is Bound.BELOW:
                faults.append(Fault(Cause.OPEN, path.point))
            elif overstressed(output, "current", self.current, self.tolerance):
                faults.append(Fault(Cause.OVERSTRESS, path.point))
            elif falls_short(current, self.current, self.tolerance):
                faults.append(Fault(Cause.LEVEL_NOT_REACHED, path.point, gives_way=True))
        faults.sort(key=lambda fault: fault.cause is not Cause.OPEN)
        return Measured(tuple(readings), tuple(faults))

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must give the current and hold it for the dwell."""
        return (
            Demand(BOND, "level_a", self.current, CURRENT, "current"),
            Demand(BOND, "dwell_s", self.dwell, TIME, "dwell"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell * len(self.paths)

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        return {Measurand("resistance", path.point): (path.high, path.low) for path in self.paths}

    def slots_here(self) -> Mapping[str, LimitSlot]:
        """The step's own limit, which is needed as soon as one path has none."""
        lacking = any(path.own_limit is None for path in self.paths)
        return {"resistance": LimitSlot(RESISTANCE, needed=lacking)}

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The limit of each path's reading: its own figures, else the step's."""
        own = {
            Measurand("resistance", path.point): limit
            for path in self.paths
            if (limit := path.own_limit) is not None
        }
        return {**limits, **own}

    def place_of_limit(self, measurand: Measurand) -> Place | None:
        """Each path has limits of its own beside it."""
        names = [path.point for path in self.paths]
        if measurand.quantity != "resistance" or measurand.point not in names:
            return None
        return ("settings", "paths", names.index(measurand.point))

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        yield from beyond_the_source(step, self.current * (1 - self.tolerance))
