"""Intermittent: nets of a cable watched while somebody bends and taps it.

Each net is watched at an input of its own. A break, or a rise over a threshold, that lasts longer
than a set time fails; it is found and timed by the instrument, which samples without a gap, and not
by polling. It ends when the operator says so, not before a set time, or on time.

Before the watch the meter is shown a break: with the far ends open every input must see one. A
meter that sees none there would see none later, and pass every lead.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    Acquire,
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Output,
    Procedure,
    Programme,
    Watch,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, GradedReading, Measured, Verdict
from loricate.core.measuring.holding import Answered, For, Until
from loricate.core.measuring.readings import Bound, Doubt, Measurand, Reading
from loricate.core.measuring.roles import WIRING
from loricate.core.products.product import Product
from loricate.core.quantities import NUMBER, RESISTANCE, TIME, Ohms, Seconds, display
from loricate.core.wiring.description import Net

DONE = "done"
SHOWN_S = 0.1  # how long the meter is shown open inputs
OVER_S = 1.0  # what the meter is programmed for beyond the longest watch
SLACK_S = 0.05  # of times that the meter tells
LEAST_TRACE = 20  # values of a trace
SHORT_S, SLOW_S, MUCH_OHMS = 2.0, 1e-3, 50.0
NUMBER_SOURCE = LimitSource(engineer="what this step finds")


@dataclass(slots=True)
class _Broke:
    """The breaks of one net: start and length of each in s, and whether those are all."""

    spans: list[tuple[float, float]] = field(default_factory=list)
    is_all: bool = True

    @property
    def longest_s(self) -> float:
        return max((length for _, length in self.spans), default=0.0)


class Intermittent(KindSettings):
    """Which nets are watched, from which rise and for how long a break counts, and how long."""

    name = "intermittent"
    title = "Intermittent contacts"
    slots = {
        "breaks": LimitSlot(NUMBER, title="Breaks", side="maximum"),
        "longest_break": LimitSlot(TIME, title="Longest break", side="maximum"),
        "resistance": LimitSlot(
            RESISTANCE, title="Greatest resistance outside breaks", side="maximum"
        ),
        "time_watched": LimitSlot(TIME, title="Time watched", of_whole=True, side="minimum"),
    }
    judged_by = ()
    meters = ("resistance", "breaks")
    advises = ("loose_watch",)

    nets: tuple[str, ...] = Field(
        min_length=1, max_length=64, title="Nets", description="Watched at the same time"
    )
    above: Annotated[Ohms, Field(ge=1, le=1000)] = Field(
        default=10.0, title="A break is above", description="A rise over this is one"
    )
    least: Annotated[Seconds, Field(ge=1e-5, le=1)] = Field(
        default=1e-5, title="Shortest break", description="What is shorter does not count"
    )
    at_least: Annotated[Seconds, Field(gt=0, le=600)] = Field(
        default=5.0, title="Watched at least", description="However soon the operator answers"
    )
    at_most: Annotated[Seconds, Field(gt=0, le=3000)] = Field(
        default=60.0, title="Watched at most", description="It ends by itself then"
    )
    question: str = Field(
        default="Bend and tap the lead along its whole length, and at both plugs.",
        min_length=1,
        max_length=200,
        title="What the operator does",
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        if product.wirings:
            return ""
        return "The product describes no connectors and nets; describe them in its cable section."

    def points(self, product: Product) -> Points:
        """Each net by its name, each branch of one with more contacts."""
        steady = {net.name: net for net in _steady_nets(product)}
        return tuple(
            Point(name, {"net": steady[each], "terminals": (a, b)})
            for each in self.nets
            if each in steady
            for name, a, b in steady[each].branches
        )

    def unfit(self, product: Product) -> Iterator[tuple[str, str, str]]:
        steady = {net.name for net in _steady_nets(product)}
        there = {net.name for wiring in product.wirings for net in wiring.nets}
        for place, name in enumerate(self.nets):
            if name not in there:
                told = f"product '{product.code}' has no net '{name}'"
                yield f"nets[{place}]", told, f"it has {', '.join(sorted(there))}."
            elif name not in steady:
                told = f"net '{name}' is not there in every position of the switch"
                yield f"nets[{place}]", told, "watch nets that are."
        if self.at_most < self.at_least:
            told = "is less than it is watched at least"
            yield "at_most", told, "give more."

    def bends(self) -> bool:
        return True

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Show the meter a break of each net, watch them, and read what it has kept."""
        inputs = {
            f"watch_{number}": (point.values["terminals"][1],)
            for number, point in enumerate(points, start=1)
        }
        programme: Programme = {
            "function": "WATCH",
            "points": 1.0,
            "inputs": float(len(points)),
            "threshold_ohm": self.above,
            "least_s": self.least,
        }
        yield from do(Connect(WIRING, inputs))
        shown = yield from do(Energise(WIRING, {**programme, "dwell_s": SHOWN_S}))
        doubts = list(_blind(shown, len(points)))
        near = tuple(dict.fromkeys(point.values["terminals"][0] for point in points))
        yield from do(Connect(WIRING, {**inputs, "low": near}))
        watching: Programme = {**programme, "dwell_s": self.at_most + OVER_S}
        watched = yield from do(Watch(WIRING, watching, self._ends()))
        output = watched.output
        broke, more = yield from self._breaks(output, points)
        doubts += [*more, *self._missed(output)]
        readings = [Reading("time_watched", output.at_level_s, TIME, instrument=output.instrument)]
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            seen, told = yield from self._course(number, output, broke[number])
            doubts += told
            readings += self._readings(point, broke[number], seen, output.instrument)
        return Measured(tuple(readings), doubts=tuple(dict.fromkeys(doubts)))

    def _ends(self) -> tuple[Until, ...]:
        """When the operator has done, at least after so long; at most so long."""
        text = (
            f"{self.question} At least {display(self.at_least, TIME, 2)}; answer when you have "
            "done it."
        )
        asked = Answered(text, (DONE,), hands_in=True, not_before_s=self.at_least)
        return asked, For(self.at_most)

    def _breaks(
        self, output: Output, points: Points
    ) -> Asking[tuple[dict[int, _Broke], list[Doubt]]]:
        """The breaks of each input as the meter timed them, and what of it cannot be."""
        found = {number: _Broke() for number in range(1, len(points) + 1)}
        count = output.summary.get("breaks_found", math.nan)
        if not count >= 1:
            texts = [] if count == 0 else [f"counted {count:g} breaks"]
            return found, [Doubt(output.instrument, text) for text in texts]
        records: dict[str, Sequence[float | None]] = {}
        for name in ("break_input", "break_start", "break_length", "break_resistance"):
            curve = (yield from do(Acquire(WIRING, name))).curve
            records[name] = curve.columns[0].values
        texts = []
        if len({len(values) for values in records.values()}) != 1:
            texts.append("kept records of its breaks that are not equally long")
        for number, start_s, length_s, ohms in zip(*records.values(), strict=False):
            if number not in found or start_s is None or length_s is None or ohms is None:
                texts.append("kept a break of an input that watched nothing")
                continue
            found[int(number)].spans.append((start_s, length_s))
            over = start_s + length_s - output.at_level_s
            if start_s < 0 or length_s < self.least * 0.99 or over > SLACK_S or ohms < self.above:
                told = f"{display(length_s, TIME)} from {display(start_s, TIME)}"
                texts.append(f"kept a break that it was not set to find ({told})")
        kept = sum(len(each.spans) for each in found.values())
        if kept > count or kept == 0:
            texts.append(f"counted {count:g} breaks and kept {kept}")
        for each in found.values():
            each.is_all = kept == count
        return found, [Doubt(output.instrument, text) for text in dict.fromkeys(texts)]

    def _missed(self, output: Output) -> Iterator[Doubt]:
        """What says that it cannot have seen every break that it was set to find."""
        samples = output.summary.get("samples_taken", math.nan)
        wanted = output.at_level_s / self.least
        if output.ending is not Ending.FINISHED:
            yield Doubt(output.instrument, f"ended its watch with {output.ending}")
        if not samples >= wanted * 0.99 - 1:
            yield Doubt(
                output.instrument,
                f"took {samples:g} samples in {display(output.at_level_s, TIME)}, too few to see a "
                f"break of {display(self.least, TIME)}",
            )
        count = output.summary.get("breaks_found", math.nan)
        seen = max((each.values.get("breaks", 0.0) for each in output.samples), default=0.0)
        if not seen <= count:
            yield Doubt(output.instrument, f"showed {seen:g} breaks and counted {count:g}")

    def _course(
        self, number: int, output: Output, broke: _Broke
    ) -> Asking[tuple[float, list[Doubt]]]:
        """The greatest resistance that an input saw outside its breaks, and what cannot be."""
        curve = (yield from do(Acquire(WIRING, f"watch_{number}"))).curve
        values = [math.nan if each is None else each for each in curve.columns[0].values]
        times = [each for each in curve.x.values if each is not None]
        texts = []
        step_s = times[0] if times else math.inf
        covered_s = times[-1] if times else 0.0
        if len(values) < LEAST_TRACE:
            texts.append(f"kept a trace of {len(values)} values, too few to see anything in")
        if not output.at_level_s - SLACK_S - step_s <= covered_s:
            told = f"{display(covered_s, TIME)} of {display(output.at_level_s, TIME)}"
            texts.append(f"kept a trace of {told}")
        whole = max(values, default=math.nan)
        if len(values) > 8 and len(set(values)) == 1 and whole <= self.above:
            texts.append(f"gave {display(whole, RESISTANCE)} {len(values)} times to the last digit")
        if min(values, default=0.0) < -1.0:
            texts.append("gave a resistance below nothing")
        if broke.spans and not whole >= self.above * 0.9:
            texts.append("kept a break that its trace does not show")
        quiet = [
            value
            for time, value in zip(times, values, strict=False)
            if not any(
                start <= time and time - step_s <= start + length for start, length in broke.spans
            )
        ]
        return max(quiet, default=math.nan), [Doubt(output.instrument, text) for text in texts]

    def _readings(
        self, point: Point, broke: _Broke, most: float, instrument: str
    ) -> Iterator[Reading]:
        """How often a net broke, for how long at most, and how far its resistance went."""
        count, longest_s = len(broke.spans), broke.longest_s
        yield Reading(
            "breaks",
            float(count),
            NUMBER,
            point.name,
            # Of breaks that the meter counted and did not keep nobody knows whose they are.
            bound=Bound.EXACT if broke.is_all or not count else Bound.ABOVE,
            instrument=instrument,
        )
        yield Reading(
            "longest_break",
            longest_s if count else self.least,
            TIME,
            point.name,
            bound=Bound.EXACT if count else Bound.BELOW,
            uncertainty=self.least if count else 0.0,
            instrument=instrument,
        )
        if count:
            first_s = min(start for start, _ in broke.spans)
            yield Reading("first_break", first_s, TIME, point.name, instrument=instrument)
        if math.isfinite(most):
            yield Reading("resistance", most, RESISTANCE, point.name, instrument=instrument)

    def explain(
        self, points: Points, readings: Sequence[GradedReading], faults: Sequence[Fault]
    ) -> Iterator[Fault]:
        """A sentence for each net that broke: how often, the longest and when."""
        at = {point.name: point.values for point in points}
        value = {(one.reading.quantity, one.reading.point): one.reading for one in readings}
        watched = value.get(("time_watched", ""))
        failed = {
            one.reading.point: None
            for one in readings
            if one.grade is not None
            and one.grade.verdict is Verdict.FAIL
            and one.reading.quantity in ("breaks", "longest_break")
        }
        for name in failed:
            count, longest = value["breaks", name], value["longest_break", name]
            first = value.get(("first_break", name))
            a, b = at[name]["terminals"]
            if first is None:
                continue
            if watched is not None and longest.value >= 0.98 * watched.value - SLACK_S:
                text = f"{name} is open between {a} and {b} all the time. Look at both crimps."
                yield Fault(Cause.OPEN, name, text, contacts=(a, b))
                continue
            times = "once" if count.value == 1 else f"{count.value:g} times"
            text = (
                f"{name} breaks off between {a} and {b}: {times}, for {longest.text} at the "
                f"longest, first {first.text} into the watch. Look at its crimps, and where the "
                "lead leaves the plugs."
            )
            yield Fault(Cause.INTERMITTENT, name, text, contacts=(a, b))

    def judged(self, points: Points, limits: Limits) -> Limits:
        """No break at all, and the time, where nothing else is written."""
        found = dict(limits)
        none = Limit(dimension=NUMBER.name, maximum=0.0, source=NUMBER_SOURCE)
        for point in points:
            found.setdefault(Measurand("breaks", point.name), none)
        time = Limit(dimension=TIME.name, minimum=self.at_least * 0.99, source=NUMBER_SOURCE)
        found.setdefault(Measurand("time_watched"), time)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A meter with enough inputs, that samples often enough, for long enough."""
        inputs = sum(measurand.quantity == "breaks" for measurand in limits)
        return (
            Demand(WIRING, "watched", float(max(inputs, len(self.nets))), NUMBER, "nets"),
            Demand(WIRING, "break_s", self.least, TIME, "least"),
            Demand(WIRING, "dwell_s", self.at_most + OVER_S, TIME, "at_most"),
        )

    def programmed_s(self, points: Points) -> float:
        return SHOWN_S + self.at_least

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """A watch in which a loose contact has no chance to show."""
        for is_loose, told, remedy in (
            (self.at_least < SHORT_S, display(self.at_least, TIME), "Watch for 2 s at least."),
            (
                self.least > SLOW_S,
                f"breaks under {display(self.least, TIME)} left out",
                "Set the shortest break to 1 ms or less.",
            ),
            (
                self.above > MUCH_OHMS,
                f"a rise to {display(self.above, RESISTANCE)} taken for good",
                "Set 50 Ω or less.",
            ),
            (
                any(
                    measurand.quantity == "breaks" and (limit.maximum or 0.0) > 0
                    for measurand, limit in step.limits.items()
                ),
                "breaks that its limit lets pass",
                "Leave the limit out: then none passes.",
            ),
        ):
            if is_loose:
                yield Advice(
                    "loose_watch",
                    Severity.WARNING,
                    f"it watches with {told}: a loose contact may not show.",
                    remedy,
                )


def _steady_nets(product: Product) -> Iterator[Net]:
    """The nets that are there in every position of the switch."""
    wirings = product.wirings
    for net in wirings[0].nets if wirings else ():
        if all(net in wiring.nets for wiring in wirings):
            yield net


def _blind(shown: Output, inputs: int) -> Iterator[Doubt]:
    """Why a meter that was shown open inputs cannot be believed."""
    seen = shown.summary.get("breaks_found", math.nan)
    if seen != inputs:
        told = f"was shown {inputs} open {'input' if inputs == 1 else 'inputs'} and saw {seen:g}"
        yield Doubt(shown.instrument, told)
