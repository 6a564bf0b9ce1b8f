"""Step voltage: a ladder of DC levels on a winding, each held, and the current at the end of each.

Volts rise from level to level and are never dropped in between (IEEE 95). A sound winding's current
at the ends of the levels lies on a straight line over the volts. It stops before the next level
where a current is more than so many times the one before, or departs from the line through those
before it: what comes next may be a breakdown.

Two ways to drive it. A source that is programmed goes up with a limited slope. One that is turned
by hand is followed: the volts to reach are told, too fast a ramp and an overshoot are warned of,
the hold begins by itself inside the band, and only then anything is judged. Its leads are changed
one by one, as the operator is asked.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Annotated, Literal

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import charging_advice, cut_faults
from loricate.core.kinds.under_dc import EARTHED, earthed_field, low_level, short_earthing
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    Ask,
    Asking,
    At,
    Connect,
    Ending,
    Held,
    Hold,
    Keep,
    Level,
    Look,
    Off,
    Output,
    Procedure,
    Programme,
    Source,
    Tell,
    do,
)
from loricate.core.measuring.curves import Column, Curve, Drawn
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import Enters, For, Leaves, Settled, Steeper, Until
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading
from loricate.core.measuring.roles import DC_SOURCE, TURNED_SOURCE, Role
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    NUMBER,
    RATIO,
    SLOPE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Number,
    Seconds,
    Volts,
    VoltsPerSecond,
    display,
    exact_text,
)
from loricate.core.windings.ladder import departure, growth

RANGING_S = 2.0  # how long after each level the meter may change its range
OVER_S = 10.0  # what each level is programmed for beyond its hold
LADDER = "ladder"  # the curve of current over volts at the ends of the levels
TURN_WITHIN_S = 300.0  # how long somebody may take to turn to the next level
WARN_AGAIN_S = 2.0
STEEP_OVER_S = 0.5
LOOSE_GROWTH = 3.0
STANDS_S = 1.0  # how long the volts must have stood in the band before the hold begins
DONE, LEVEL_SOURCE = "done", LimitSource(engineer="the levels of this step")
BEFORE = (
    "Selector to earth.",
    "Take the analyser's leads off the winding.",
    "Put the power leads on: {high} to the source, {low} to its return.",
    "Selector to source, dial at zero.",
)
AFTER = ("Dial to zero and selector to earth.",)
LAST = (
    "The winding is safe. Take the power leads off.",
    "Put the analyser's leads back on.",
)


@dataclass(slots=True)
class _Climb:
    """What has come of the ladder so far: by level the reading of volts and current at its end."""

    volts: list[Reading] = field(default_factory=list)
    amperes: list[Reading] = field(default_factory=list)
    ends_s: list[float] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    doubts: list[Doubt] = field(default_factory=list)


class StepVoltage(KindSettings):
    """The levels, how long each is held, and what stops the climb."""

    name = "step_voltage"
    title = "Step voltage"
    slots = {
        "voltage": LimitSlot(VOLTAGE, title="Volts at the end of a level"),
        "current": LimitSlot(CURRENT, title="Current at the end of a level", side="maximum"),
        "growth": LimitSlot(NUMBER, title="Current over that of the level before"),
        "departure": LimitSlot(RATIO, title="Departure from the line"),
    }
    judged_by = ()
    meters = ("voltage", "current", "resistance")
    advises = ("charging_current", "low_level", "loose_ladder", "short_earthing")

    high: tuple[Terminal, ...] = Field(min_length=1, title="High terminals")
    low: tuple[Terminal, ...] = Field(min_length=1, title="Low terminals")
    levels: tuple[Annotated[Volts, Field(gt=0)], ...] = Field(
        min_length=3,
        max_length=50,
        title="Levels (DC)",
        description="Rising, in equal steps after the first",
    )
    slope: Annotated[VoltsPerSecond, Field(gt=0)] = Field(
        default=100.0, title="Slope at most", description="Between levels, and down again"
    )
    dwell: Annotated[Seconds, Field(gt=0, le=3600)] = Field(
        default=60.0, title="Held for", description="At most, where it need not settle"
    )
    settles_within: Annotated[Fraction, Field(gt=0, lt=1)] | None = Field(
        default=None,
        title="Settles within",
        description="Goes on as soon as the current has stayed within this share of itself",
    )
    settles_over: Annotated[Seconds, Field(gt=0)] = Field(
        default=10.0, title="Settled for", description="How long it must have stayed so"
    )
    most_growth: Annotated[Number, Field(gt=1)] = Field(
        default=2.0, title="Stops above", description="Times the current of the level before"
    )
    most_departure: Annotated[Fraction, Field(gt=0)] | None = Field(
        default=None,
        title="Stops at a departure of",
        description="From the line through the levels before",
    )
    trip: Annotated[Amperes, Field(gt=0)] = Field(default=1e-3, title="Trip current")
    tolerance: Annotated[Fraction, Field(gt=0, lt=0.5)] = Field(
        default=0.03, title="Level tolerance", description="Departure of the volts still accepted"
    )
    driven: Literal["programmed", "by_hand"] = Field(
        default="programmed", title="Driven", description="By a programme, or turned by hand"
    )
    earthed_times: EARTHED = earthed_field()

    @model_validator(mode="after")
    def _climbs(self) -> "StepVoltage":
        steps = [b - a for a, b in zip(self.levels, self.levels[1:], strict=False)]
        if min(steps) <= 0:
            raise fault_at("levels", "do not rise", "write them in rising order, each once.")
        if any(not math.isclose(each, steps[0], rel_tol=1e-6) for each in steps):
            reason = "are not in equal steps after the first"
            raise fault_at("levels", reason, "a line through uneven steps weighs them unequally.")
        if set(self.high) & set(self.low):
            raise fault_at("low", "has a terminal that is high as well", "leave it out of one.")
        return self

    @property
    def role(self) -> Role:
        """Which source drives it."""
        return DC_SOURCE if self.driven == "programmed" else TURNED_SOURCE

    def points(self, product: Product) -> Points:
        """Each level."""
        return tuple(
            Point(f"at {exact_text(volts, VOLTAGE)}", {"level_v": volts, "number": number})
            for number, volts in enumerate(self.levels)
        )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}

    def earthed_after(self) -> float:
        return self.earthed_times

    def shares_terminals(self) -> bool:
        return False

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Climb level by level, then down; nothing is judged but at the ends of levels."""
        if self.driven == "by_hand":
            named = {"high": " ".join(self.high), "low": " ".join(self.low)}
            first, *then = (each.format(**named) for each in BEFORE)
            yield from do(Ask(first, (DONE,), hands_in=True, then=tuple(then)))
        yield from do(Connect(self.role, {"high": self.high, "low": self.low}))
        climb = _Climb()
        before_v = 0.0
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            level_v = point.values["level_v"]
            held = yield from self._level(level_v, before_v, climb)
            if held is None:
                break
            self._take(climb, point, held)
            yield from do(Keep((climb.volts[-1], climb.amperes[-1]), climb.ends_s[-1]))
            if climb.faults or self._stops(climb, points, number):
                break
            before_v = level_v
        if self.driven == "by_hand":
            yield from do(Tell(AFTER[0]))
            safe = Enters("voltage", -math.inf, before_v * self.tolerance)
            yield from do(Hold(self.role, (safe, For(TURN_WITHIN_S))))
        yield from do(At("", len(points), len(points)))  # what it did is of all levels
        output = yield from do(Off(self.role))
        if self.driven == "by_hand":
            yield from do(Ask(LAST[0], (DONE,), hands_in=True, then=LAST[1:]))
        return self._measured(points, climb, output)

    def _level(self, level_v: float, before_v: float, climb: _Climb) -> Asking[Held | None]:
        """Come to a level and hold it; None where the output ended by itself."""
        level: Level
        if self.driven == "programmed":
            programme = self._programme(level_v, before_v)
            level = yield from do(Source(self.role, programme, self.dwell))
            if level.look is None:
                return None
        elif not (yield from self._turned(level_v, climb)):
            return None
        ends: list[Until] = [For(self.dwell), self._leaving(level_v)]
        if self.settles_within is not None:
            ends.insert(0, Settled("current", self.settles_within, self.settles_over))
        held = yield from do(Hold(self.role, tuple(ends)))
        if held.met is None:
            return None
        if isinstance(held.met, Leaves):
            text = f"The volts left {display(level_v, VOLTAGE)} while it was held."
            climb.faults.append(Fault(Cause.LEVEL_NOT_REACHED, text=text))
        return held

    def _leaving(self, level_v: float) -> Leaves:
        low, high = level_v * (1 - 2 * self.tolerance), level_v * (1 + 2 * self.tolerance)
        return Leaves("voltage", low, high)

    def _programme(self, level_v: float, before_v: float) -> Programme:
        """In the order in which it is set: the way to a level before the level itself."""
        return {
            "function": "DC",
            "ramp_s": (level_v - before_v) / self.slope,
            "dwell_s": self.dwell + OVER_S,
            "fall_s": level_v / self.slope,
            "trip_a": self.trip,
            "ranging_s": RANGING_S,
            "level_v": level_v,
        }

    def _turned(self, level_v: float, climb: _Climb) -> Asking[bool]:
        """Have somebody turn the dial until the volts are inside the band; False where they never
        come there."""
        told = display(level_v, VOLTAGE)
        if not climb.volts:
            programme: Programme = {
                "function": "DC",
                "level_v": self.levels[-1] * (1 + 2 * self.tolerance),
                "dwell_s": len(self.levels) * (self.dwell + TURN_WITHIN_S),
                "trip_a": self.trip,
                "ranging_s": RANGING_S,
            }
            level = yield from do(Source(self.role, programme))
            if level.look is None:
                return False
        yield from do(Tell(f"Turn up to {told}, at most {display(self.slope, SLOPE, 2)}."))
        low, high = level_v * (1 - self.tolerance), level_v * (1 + self.tolerance)
        band = Enters("voltage", low, high, STANDS_S)
        over = Leaves("voltage", maximum=high)
        steep = Steeper("voltage", self.slope, STEEP_OVER_S)
        left_s = TURN_WITHIN_S
        while left_s > 0:
            held = yield from do(Hold(self.role, (over, band, steep, For(left_s))))
            left_s -= max(held.held_s, WARN_AGAIN_S / 4)
            match held.met:
                case Enters():
                    return True
                case Steeper():
                    climb.notes.append(f"Turned too fast towards {told}.")
                    yield from do(Tell("Too fast: turn more slowly.", is_refusal=True))
                    yield from do(Hold(self.role, (over, For(WARN_AGAIN_S))))
                case Leaves():
                    most = display(held.highest.get("voltage", math.nan), VOLTAGE)
                    climb.notes.append(f"Turned to {most}, beyond {told}.")
                    text = f"Too far: back to {told}."
                    yield from do(Tell(text, is_refusal=True))
                    back = yield from do(Hold(self.role, (band, For(left_s))))
                    left_s -= back.held_s
                    if isinstance(back.met, Enters):
                        return True
                    if back.met is None:
                        return False
                case None:
                    return False
        climb.faults.append(Fault(Cause.LEVEL_NOT_REACHED, text=f"Nobody turned to {told}."))
        return False

    def _take(self, climb: _Climb, point: Point, held: Held) -> None:
        """What a level has shown at its end."""
        look: Look = held.last
        climb.volts.append(look.reading("voltage", VOLTAGE).at(point.name))
        climb.amperes.append(look.reading("current", CURRENT).at(point.name))
        climb.ends_s.append(look.sample.elapsed_s)
        if not math.isfinite(climb.amperes[-1].value) or not math.isfinite(climb.volts[-1].value):
            text = f"gave no reading {point.name}"
            climb.doubts.append(Doubt(look.instrument, text))
        if look.reading("current", CURRENT).bound is Bound.ABOVE:
            text = f"The current {point.name} is over the range, which is held during a level."
            climb.faults.append(Fault(Cause.OVER_LIMIT, point.name, text))

    def _stops(self, climb: _Climb, points: Points, number: int) -> bool:
        """Whether the climb ends here; said as a fault, for what comes next was not tried."""
        here = points[number - 1].name
        rest = "it was the last level"
        if number < len(points):
            rest = f"stopped before {exact_text(self.levels[number], VOLTAGE)}"
        grown = self._growth(climb)
        if grown is not None and grown.bound is not Bound.BELOW and grown.value > self.most_growth:
            sign = ">" if grown.bound is Bound.ABOVE else ""
            text = (
                f"The current {here} is {sign}{display(grown.value, NUMBER, 3)} times that "
                f"{points[number - 2].name}; {rest}."
            )
            climb.faults.append(Fault(Cause.OVER_LIMIT, here, text))
            return True
        off = self._departure(climb)
        if off is not None and self.most_departure is not None and off.value > self.most_departure:
            text = (
                f"The current {here} is {display(off.value, RATIO, 2)} above the line through "
                f"the levels before; {rest}."
            )
            climb.faults.append(Fault(Cause.OVER_LIMIT, here, text))
        return bool(climb.faults or climb.doubts)

    @staticmethod
    def _growth(climb: _Climb) -> Reading | None:
        """The newest current over the one before it; None where both are under the floor."""
        if len(climb.amperes) < 2:
            return None
        before, now = climb.amperes[-2:]
        if before.bound is not Bound.EXACT and now.bound is not Bound.EXACT:
            return None
        value = growth([before.value, now.value])
        if math.isnan(value):
            return None
        bound = now.bound if now.bound is not Bound.EXACT else before.bound.flipped
        relative = math.hypot(before.uncertainty / before.value, now.uncertainty / now.value)
        return Reading(
            "growth",
            value,
            NUMBER,
            now.point,
            bound=bound,
            uncertainty=value * relative,
            instrument=now.instrument,
        )

    @staticmethod
    def _departure(climb: _Climb) -> Reading | None:
        """How far the newest current is off the line; None before the third, or under the floor."""
        if any(each.bound is not Bound.EXACT for each in climb.amperes):
            return None
        value = departure(
            [each.value for each in climb.volts], [each.value for each in climb.amperes]
        )
        if math.isnan(value):
            return None
        now = climb.amperes[-1]
        spread = now.uncertainty / now.value
        return Reading(
            "departure", value, RATIO, now.point, uncertainty=spread, instrument=now.instrument
        )

    def _measured(self, points: Points, climb: _Climb, output: Output) -> Measured:
        """Everything that the levels have shown, and how the output ended."""
        readings: list[Reading] = []
        for count in range(1, len(climb.volts) + 1):
            so_far = replace(climb, volts=climb.volts[:count], amperes=climb.amperes[:count])
            readings += [so_far.volts[-1], so_far.amperes[-1]]
            readings += filter(None, (self._growth(so_far), self._departure(so_far)))
        faults = tuple(climb.faults)
        top_v = self.levels[min(len(climb.volts), len(self.levels) - 1)]
        if output.ending is not Ending.FINISHED:
            faults = (*cut_faults(output, top_v), *faults)
        elif self._greatest(output) > self.levels[-1] * (1 + 2 * self.tolerance):
            faults = (Fault(Cause.OVERSTRESS), *faults)
        doubts = (*climb.doubts, *self._range_doubts(output, climb))
        notes = dict.fromkeys(climb.notes)
        return Measured(
            tuple(readings), faults, " ".join(notes), self._curves(climb), doubts=doubts
        )

    @staticmethod
    def _greatest(output: Output) -> float:
        seen = [each.values.get("voltage", 0.0) for each in output.samples]
        return max([output.summary["voltage"], *seen])

    def _range_doubts(self, output: Output, climb: _Climb) -> Iterator[Doubt]:
        """Each level's meter must have kept its range, once it had the time to choose it."""
        for end_s in climb.ends_s:
            began_s = end_s - self.dwell + RANGING_S
            ranges = {
                each.values["current_range"]
                for each in output.samples
                if each.phase == "dwell"
                and began_s < each.elapsed_s <= end_s
                and "current_range" in each.values
            }
            if len(ranges) > 1 and self.settles_within is None:
                yield Doubt(output.instrument, "changed its range during the hold of a level")
                return

    def _curves(self, climb: _Climb) -> tuple[Curve, ...]:
        """Current over volts at the ends of the levels."""
        if len(climb.volts) < 2:
            return ()
        volts = tuple(each.value for each in climb.volts)
        amperes = tuple(each.value for each in climb.amperes)
        return (
            Curve(
                LADDER,
                Column("voltage", VOLTAGE, volts),
                (Column("current", CURRENT, amperes),),
                drawn=Drawn.POINTS,
            ),
        )

    def judged(self, points: Points, limits: Limits) -> Limits:
        """Each level must have been reached and held, whatever else is asked."""
        found = dict(limits)
        for point in points:
            low = point.values["level_v"] * (1 - self.tolerance)
            high = point.values["level_v"] * (1 + self.tolerance)
            own = Limit(dimension=VOLTAGE.name, minimum=low, maximum=high, source=LEVEL_SOURCE)
            found.setdefault(Measurand("voltage", point.name), own)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the highest level, and stay on for the whole climb."""
        longest_s = self.dwell + OVER_S
        return (
            Demand(self.role, "dc_level_v", self.levels[-1], VOLTAGE, "levels"),
            Demand(self.role, "dwell_s", longest_s, TIME, "dwell"),
            Demand(self.role, "trip_a", self.trip, CURRENT, "trip"),
        )

    def programmed_s(self, points: Points) -> float:
        on_s = len(self.levels) * self.dwell + 2 * self.levels[-1] / self.slope
        return on_s * (1 + self.earthed_times)

    def advice(self, step: Considered) -> Iterator[Advice]:
        rise_v = max(self.levels[0], self.levels[-1] - self.levels[-2])
        yield from charging_advice(step, rise_v, rise_v / self.slope, self.trip)
        yield from low_level(step, self.levels[-1])
        yield from short_earthing(self.earthed_times)
        if self.most_growth > LOOSE_GROWTH:
            yield Advice(
                "loose_ladder",
                Severity.WARNING,
                f"it goes on although the current grows {display(self.most_growth, NUMBER, 2)} "
                "times from one level to the next: a breakdown may be next.",
                f"Stop above {display(LOOSE_GROWTH, NUMBER, 2)} or less.",
            )
