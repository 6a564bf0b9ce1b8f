"""A kind of the drills' own: volts in steps on one output that stays on, a point a level.

A service loads it with ``--kinds drill.served_kinds``; here it is known only while asked for.
"""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from typing import ClassVar

from drill.documents import demo_products
from loricate.core.kinds import KINDS, register
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import cut_faults, falls_short
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    At,
    Connect,
    Ending,
    Hold,
    Off,
    Procedure,
    Programme,
    Source,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import For, Settled
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT, VOLTAGE, display
from loricate.core.sequences.ready import ReadyStep

TOLERANCE = 0.05


class Ladder(KindSettings):
    """The levels in V, one after another, and how long each takes and stands, in s."""

    name = "ladder"
    title = "Ladder"
    slots: ClassVar[Mapping[str, LimitSlot]] = {
        "current": LimitSlot(CURRENT, title="Current at a level", side="maximum")
    }
    meters = ("voltage", "current")

    levels: tuple[float, ...] = (200.0, 350.0, 500.0)
    ramp: float = 0.3
    stands: float = 1.0

    def points(self, product: Product) -> Points:
        """A point a level."""
        return tuple(Point(display(volts, VOLTAGE), {"level_v": volts}) for volts in self.levels)

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Go up, look at each level, and come down; what cut it short is told once."""
        readings, faults = [], []
        yield from do(Connect(WITHSTAND, {"high": ("L", "N"), "low": ("PE",)}))
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            level_v = float(point.values["level_v"])
            programme: Programme = {
                "function": "DC", "level_v": level_v, "ramp_s": self.ramp, "dwell_s": 30.0,
                "fall_s": 0.0, "trip_a": 20e-3, "return_side": "LOW",
            }  # fmt: skip
            level = yield from do(Source(WITHSTAND, programme))
            if level.look is None:
                break
            until = (For(self.stands), Settled("voltage", 1e-6, 25.0))
            held = yield from do(Hold(WITHSTAND, until))
            volts = held.last.reading("voltage", VOLTAGE).at(point.name)
            readings += [volts, held.last.reading("current", CURRENT).at(point.name)]
            if held.met is None:
                break
            if falls_short(volts, level_v, TOLERANCE):
                faults.append(Fault(Cause.LEVEL_NOT_REACHED, point.name))
        output = yield from do(Off(WITHSTAND))
        if output.ending is not Ending.FINISHED:
            faults += cut_faults(output, self.levels[-1])
        return Measured((*readings, output.time_at_level), tuple(faults))

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        return (Demand(WITHSTAND, "dc_level_v", max(self.levels), VOLTAGE, "levels"),)

    def programmed_s(self, points: Points) -> float:
        return (self.ramp + self.stands) * len(points)


@contextmanager
def ladder_known() -> Iterator[None]:
    """With the ladder among the kinds."""
    register(Ladder)
    try:
        yield
    finally:
        del KINDS[Ladder.name]


def ladder_step(like: ReadyStep, ladder: Ladder) -> ReadyStep:
    """A step of the ladder in the place of another, every level's current limited."""
    points = ladder.points(demo_products()["DC-40"])
    source = LimitSource(engineer="the drill")
    limit = Limit(dimension=CURRENT.name, maximum=10e-3, source=source)
    limits = {Measurand("current", point.name): limit for point in points}
    return replace(like, id="ladder", title="Ladder", settings=ladder, points=points, limits=limits)
