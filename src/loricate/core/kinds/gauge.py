"""Gauge: what a gauge at the unit shows as it goes: a value, what is lost in a minute, or a peak.

A value is captured together with what the device itself shows, and the difference is graded. A loss
is (first - last)/elapsed of the samples actually taken over 30, 60 or 90 s, as Pa a minute. A peak
is the greatest that was seen until somebody says that it is over, or the time is.

A gauge that hangs on nothing, or has stuck, shows no loss at all. So a loss counts only where it
was seen to start from nothing, to rise to the pressure asked for, and to fall when the unit was
vented; a peak only where it rose from nothing. Another try keeps the one before: the last one is
graded.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.errors import QuantityError
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.measuring.actions import (
    BARE,
    Ask,
    Asking,
    Ending,
    Held,
    Hold,
    Look,
    Off,
    Procedure,
    Source,
    Tell,
    do,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import Cause, DecisionRule, Fault, Measured, Verdict, grade
from loricate.core.measuring.holding import Answered, Enters, Entry, For, Marks
from loricate.core.measuring.readings import Doubt, Measurand, Reading
from loricate.core.measuring.roles import GAUGE
from loricate.core.medical.losses import loss_between
from loricate.core.quantities import (
    PRESSURE,
    PRESSURE_RATE,
    TIME,
    Pascals,
    Seconds,
    display,
    exact_text,
    parse,
)

QUANTITY = "pressure"
EMPTY = 0.1  # of the pressure asked for: what a vented unit may still show
STEADY_S = 1.0  # how long the pressure asked for must have stood
VENTED_S = 0.5
OVER_S = 5.0
AFTER_S = 0.5  # how long a captured value must stand
NOISE = 0.5  # of the expanded uncertainty: how far samples of what stands still lie apart
ALONE = 0.05  # of a peak: how far the next highest sample may be below it
SHARE = 0.5  # of the pressure, lost within the window: no limit lets that pass
LATE = 0.05  # of the window: how much later its last sample may be
CAPTURE, OVER = "capture", "it is over"
KEEP, AGAIN = "keep it", "another try"
SIMPLE = DecisionRule()


@dataclass(slots=True)
class _Try:
    """One try: its readings, what was found outright, why it is not to be believed."""

    readings: list[Reading] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    doubts: list[Doubt] = field(default_factory=list)
    note: str = ""


class Gauge(KindSettings):
    """What is read from the gauge, and at which pressure."""

    name = "gauge"
    title = "Gauge"
    slots = {
        "difference": LimitSlot(PRESSURE, title="Shown by the device, less the gauge"),
        "loss": LimitSlot(PRESSURE_RATE, title="Loss per minute", side="maximum"),
        "peak": LimitSlot(PRESSURE, title="Peak"),
        "pressure": LimitSlot(PRESSURE, title="Pressure at the gauge"),
    }
    meters = (QUANTITY,)
    advises = ("still_gauge", "loose_loss")

    read: Literal["value", "loss", "peak"] = Field(
        default="value",
        title="Read",
        description="value: beside what the device shows; loss: in a minute; peak: the greatest",
    )
    prompt: str = Field(
        default="", max_length=200, title="Prompt", description="What brings the pressure there"
    )
    pressure: Annotated[Pascals, Field(gt=0)] = Field(
        title="Pressure", description="It is brought there before anything counts"
    )
    over: Literal["30 s", "60 s", "90 s"] = Field(
        default="60 s", title="Loss over", description="The window of the samples"
    )
    step: str = Field(
        default="", title="Display step", description="How finely the device shows it"
    )
    tries: Annotated[int, Field(ge=1, le=5)] = Field(
        default=3, title="Tries at most", description="All are kept; the last is graded"
    )
    at_most: Annotated[Seconds, Field(gt=0, le=1800)] = Field(
        default=300.0, title="Waits at most", description="For somebody to do what is asked"
    )

    @model_validator(mode="after")
    def _step_is_a_pressure(self) -> "Gauge":
        if self.step:
            try:
                parse(self.step, PRESSURE)
            except QuantityError as error:
                raise fault_at("step", str(error)) from error
        return self

    @property
    def window_s(self) -> float:
        """The time in s that a loss is taken over."""
        return parse(self.over, TIME)

    def slots_here(self) -> Mapping[str, LimitSlot]:
        wanted = {"value": ("difference", "pressure"), "loss": ("loss",), "peak": ("peak",)}
        return {name: self.slots[name] for name in wanted[self.read]}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Try, and try again where that is asked for; the last try counts."""
        kept: list[Reading] = []
        notes: list[str] = []
        for number in range(1, self.tries + 1):
            tried = yield from self._try()
            wrong = self._is_wrong(tried, limits)
            if not wrong or number == self.tries:
                break
            wrong = wrong.rstrip(".")
            text = f"{wrong}. Keep it, or try again?"
            answer = yield from do(Ask(text, (KEEP, AGAIN), passing=KEEP))
            if answer.choice != AGAIN:
                break
            kept += [each.at(f"try {number}") for each in tried.readings]
            notes.append(f"Try {number}: {wrong}. {answer.note}".strip())
        return Measured(
            (*tried.readings, *kept),
            tuple(tried.faults),
            " ".join([*notes, tried.note]).strip(),
            doubts=tuple(tried.doubts),
        )

    def _is_wrong(self, tried: _Try, limits: Limits) -> str:
        """What of a try would not pass, in words; nothing where all of it would."""
        if tried.doubts:
            return tried.doubts[0].text
        if tried.faults or not tried.readings:
            return tried.note or "Nothing was read"
        for reading in tried.readings:
            limit = limits.get(Measurand(reading.quantity))
            if limit is not None and grade(reading, limit, SIMPLE).verdict is not Verdict.PASS:
                return f"{reading.quantity.capitalize()} {reading.text}, limit {limit.text}"
        return ""

    def _try(self) -> Asking[_Try]:
        tried = _Try()
        yield from do(Source(GAUGE, {"dwell_s": self._longest_s}))
        if self.read == "value":
            yield from self._value(tried)
        elif self.read == "loss":
            yield from self._loss(tried)
        else:
            yield from self._peak(tried)
        output = yield from do(Off(GAUGE))
        if not tried.note and not tried.readings and not tried.doubts:
            tried.note = "The gauge was not read to its end."
        if output.ending is not Ending.FINISHED:
            tried.doubts.append(Doubt(output.instrument, "ended by itself"))
        return tried

    @property
    def _longest_s(self) -> float:
        """How long the gauge is read at most, in s."""
        return 3 * self.at_most + self.window_s + OVER_S

    def _rises(self, tried: _Try) -> Asking[bool]:
        """See it at nothing, then at the pressure; False, with a note, where it was not."""
        empty = Enters(QUANTITY, -math.inf, self.pressure * EMPTY, VENTED_S)
        yield from do(Tell("Vent the cuff: the gauge must begin at nothing."))
        vented = yield from do(Hold(GAUGE, (empty, For(self.at_most)), brings=0.0))
        if vented.met != empty:
            tried.note = "The gauge was not seen at nothing before."
            return False
        there = Enters(QUANTITY, self.pressure, math.inf, STEADY_S)
        asked = self.prompt or f"Bring the cuff to {display(self.pressure, PRESSURE)}."
        yield from do(Tell(asked))
        risen = yield from do(
            Hold(GAUGE, (there, For(self.at_most)), brings=self.pressure * (1 + EMPTY))
        )
        if risen.met != there:
            most = display(risen.highest.get(QUANTITY, math.nan), PRESSURE)
            wanted = display(self.pressure, PRESSURE)
            tried.note = f"The pressure came to {most} of the {wanted} asked for."
            tried.faults.append(Fault(Cause.LEVEL_NOT_REACHED, text=tried.note))
            return False
        return True

    def _falls(self, tried: _Try) -> Asking[None]:
        """See it fall when the unit is vented: it hung on the unit the whole time."""
        empty = Enters(QUANTITY, -math.inf, self.pressure * EMPTY, VENTED_S)
        yield from do(Tell("Vent the cuff."))
        held = yield from do(Hold(GAUGE, (empty, For(self.at_most)), brings=0.0))
        if held.met != empty:
            text = "did not fall when the cuff was vented: it may have stuck, or hang on nothing"
            tried.doubts.append(Doubt(held.last.instrument, text))

    def _loss(self, tried: _Try) -> Asking[None]:
        if not (yield from self._rises(tried)):
            return
        yield from do(Tell(f"Leave it as it is: the loss is taken over {self.over}."))
        held = yield from do(Hold(GAUGE, (Marks((0.0, self.window_s)),)))
        first, last = held.at.get(0.0), held.at.get(self.window_s)
        if first is None or last is None:
            tried.note = f"The gauge was not read for the whole {self.over}."
            return
        loss = loss_between(first, last, QUANTITY)
        tried.doubts += self._late(loss.over_s, held)
        tried.doubts += self._jumped(first, last, held)
        tried.readings.append(loss.reading)
        tried.note = (
            f"From {first.reading(QUANTITY, PRESSURE).text} to "
            f"{last.reading(QUANTITY, PRESSURE).text} in {display(loss.over_s, TIME)}."
        )
        yield from self._falls(tried)

    def _late(self, over_s: float, held: Held) -> Iterator[Doubt]:
        """Why two samples make no window; one that comes a little late does no harm."""
        if over_s > self.window_s * (1 + LATE) + STEADY_S:
            lasted = display(over_s, TIME)
            yield Doubt(held.last.instrument, f"was read after {lasted}, not {self.over}")

    def _jumped(self, first: Look, last: Look, held: Held) -> Iterator[Doubt]:
        """Why the two samples of a loss are none of the course between them.

        What leaks falls: the first is the highest of all and the last the lowest, but for noise.
        """
        began, ended = first.reading(QUANTITY, PRESSURE), last.reading(QUANTITY, PRESSURE)
        lowest, highest = held.lowest.get(QUANTITY, math.nan), held.highest.get(QUANTITY, math.nan)
        noise = ended.uncertainty * NOISE
        if not ended.value - lowest <= noise:
            shown, least = ended.text, display(lowest, PRESSURE)
            yield Doubt(last.instrument, f"showed {shown} in the end and {least} before")
        if not highest - began.value <= noise:
            shown, most = began.text, display(highest, PRESSURE)
            yield Doubt(first.instrument, f"showed {shown} at first and {most} after it")

    def _peak(self, tried: _Try) -> Asking[None]:
        empty = Enters(QUANTITY, -math.inf, self.pressure * EMPTY, VENTED_S)
        yield from do(Tell("Vent the cuff: the gauge must begin at nothing."))
        vented = yield from do(Hold(GAUGE, (empty, For(self.at_most)), brings=0.0))
        if vented.met != empty:
            tried.note = "The gauge was not seen at nothing before."
            return
        question = self.prompt or "Bring it to its greatest pressure; say when it is over."
        over = Answered(question, (OVER,))
        held = yield from do(
            Hold(GAUGE, (over, For(self.at_most)), brings=self.pressure * (1 + EMPTY))
        )
        if held.met != over:
            tried.note = "Nobody said that it is over."
            return
        highest = held.highest.get(QUANTITY, math.nan)
        if not highest >= self.pressure:
            shown, wanted = display(highest, PRESSURE), display(self.pressure, PRESSURE)
            tried.note = f"The pressure came to {shown} of the {wanted} asked for."
            tried.faults.append(Fault(Cause.LEVEL_NOT_REACHED, text=tried.note))
        if not highest - held.runner_up.get(QUANTITY, math.nan) <= ALONE * highest:
            text = f"showed {display(highest, PRESSURE)} once, and nothing near it"
            tried.doubts.append(Doubt(held.last.instrument, text))
        at_peak = Look(
            Sample(held.last.sample.elapsed_s, 0.0, "dwell", {QUANTITY: highest}),
            held.last.instrument,
            held.last.accuracy,
        )
        tried.readings.append(at_peak.reading("peak", PRESSURE, QUANTITY))

    def _value(self, tried: _Try) -> Asking[None]:
        if not (yield from self._rises(tried)):
            return
        shown = Entry("shown", "The device shows", PRESSURE, step=self.step)
        asked = Answered("What does the device show now?", entries=(shown,))
        held = yield from do(Hold(GAUGE, (asked, For(self.at_most))))
        if held.met != asked or held.answer is None:
            tried.note = "Nobody said what the device shows."
            return
        there = held.last.reading(QUANTITY, PRESSURE)
        value = parse(held.answer.values["shown"], PRESSURE)
        half = parse(self.step, PRESSURE) / math.sqrt(3) if self.step else 0.0
        spread = math.hypot(there.uncertainty, half)
        told = exact_text(value, PRESSURE)
        difference = Reading(
            "difference",
            value - there.value,
            PRESSURE,
            uncertainty=spread,
            instrument=there.instrument,
        )
        tried.readings += [difference, there]
        after = yield from do(Hold(GAUGE, (For(AFTER_S),)))
        for seen in (held.last, after.last):
            shown_pa = seen.sample.values.get(QUANTITY, math.nan)
            if not abs(shown_pa - there.value) <= there.uncertainty:
                text = f"showed {there.text} and then {display(shown_pa, PRESSURE)}"
                tried.doubts.append(Doubt(there.instrument, text))
        note = held.answer.beside.get("shown", BARE).note
        tried.note = f"The device showed {told}, the gauge {there.text}. {note}".strip()
        yield from self._falls(tried)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A gauge that can be read for so long."""
        return (Demand(GAUGE, "dwell_s", self._longest_s, TIME, "at_most"),)

    def programmed_s(self, points: Points) -> float:
        return (self.window_s if self.read == "loss" else 0.0) + STEADY_S + 2 * VENTED_S

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """A loss that every unit meets, or that the gauge cannot tell."""
        for limit in step.limits_of("loss"):
            if (limit.maximum or 0.0) * self.window_s > self.pressure * SHARE:
                yield Advice(
                    "loose_loss",
                    Severity.ERROR,
                    f"its loss {limit.text} lets more than half of the pressure go within "
                    f"{self.over}: whatever leaks passes.",
                    "Set the loss that a tight unit has.",
                )
        gauge = step.instrument(GAUGE)
        if gauge is None or QUANTITY not in gauge.accuracy or self.read != "loss":
            return
        told = math.sqrt(2) * gauge.accuracy[QUANTITY].expanded(self.pressure) / self.window_s
        for limit in step.limits_of("loss"):
            if limit.maximum is not None and limit.maximum < told:
                yield Advice(
                    "still_gauge",
                    Severity.WARNING,
                    f"its loss {limit.text} is finer than the gauge tells over {self.over}, "
                    f"{display(told, PRESSURE_RATE, 2)}.",
                    "Take a longer window, or a finer gauge.",
                )
