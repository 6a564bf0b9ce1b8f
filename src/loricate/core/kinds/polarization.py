"""Polarization: insulation of a winding at constant DC volts for minutes, and how its current dies.

R at one minute, or another moment, in Ω as measured and at 40 °C, the current at the marks of the
table, the absorption ratio and the polarization index, which are I(early)/I(late) at constant volts
(IEEE 43-2013). Above 5000 MΩ at 40 °C the index is said and not graded. The wobble is how far the
current scatters about the curve that it follows: a sign of surface leakage, or of a bad contact.

Volts are held for the whole time; the meter may change its range only at the beginning, for a
change spoils what is read. What each mark read is kept at once.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.corrected import CORRECTED, corrected_slot, of_insulation, untold_advice
from loricate.core.kinds.insulation import LEAST_OHMS
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import (
    SLOPE,
    SLOPE_AND_TIME,
    TIME_SLOT,
    charging_advice,
    cut_faults,
    level_faults,
    slope_field,
)
from loricate.core.kinds.under_dc import (
    EARTHED,
    RANGING_S,
    earthed_field,
    low_level,
    range_doubts,
    short_earthing,
)
from loricate.core.measuring.actions import (
    Asking,
    Connect,
    Ending,
    Hold,
    Keep,
    Look,
    Off,
    Output,
    Procedure,
    Programme,
    Source,
    UnitTemperature,
    do,
)
from loricate.core.measuring.curves import Column, Curve, Drawn
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.holding import ByClock
from loricate.core.measuring.readings import Bound, Measurand, Reading, resistance_of
from loricate.core.measuring.roles import DC_SOURCE
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    NUMBER,
    RATIO,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Seconds,
    Volts,
    display,
)
from loricate.core.windings.polarization import is_meaningless, mark_times, ratio_of, wobble

OVER, OVER_S = 0.1, 5.0  # what it is programmed for beyond its time
MARKS = "marks"  # the curve that is the table
STEEPEST = 1.2  # the greatest power of time that absorption falls with
LATE, LATE_S = 0.1, 1.0  # how long after its moment a mark may be read
WOBBLES = 0.05  # from here on it is worth saying
MEANINGLESS = "R at one minute is above 5000 MΩ at 40 °C, where the index says little"


@dataclass(frozen=True, slots=True)
class _Mark:
    """What a mark read: when it was to come and came (s since the level stood), and the look."""

    mark_s: float
    at_s: float
    look: Look

    @property
    def current(self) -> Reading:
        """Its current; what it was read late is in its uncertainty, for the current falls."""
        read = self.look.reading("current", CURRENT)
        late = STEEPEST * abs(self.at_s - self.mark_s) / self.mark_s
        return replace(read, uncertainty=math.hypot(read.uncertainty, read.value * late))

    @property
    def is_in_time(self) -> bool:
        return self.at_s - self.mark_s <= LATE * self.mark_s + LATE_S

    @property
    def told_late(self) -> str:
        """Why it is not among the readings."""
        moment, came = (display(time_s, TIME, 3) for time_s in (self.mark_s, self.at_s))
        return f"The current at {moment} was read at {came}, which is too late to stand for it."

    @property
    def resistance(self) -> Reading:
        return resistance_of(self.look.reading("voltage", VOLTAGE), self.current)


class Polarization(KindSettings):
    """Volts, how long, and which moments the ratios are of."""

    name = "polarization"
    title = "Polarization"
    slots = {
        "resistance": LimitSlot(RESISTANCE, title="Resistance as measured", side="minimum"),
        **corrected_slot("40 °C"),
        "absorption_ratio": LimitSlot(NUMBER, title="Absorption ratio", side="minimum"),
        "polarization_index": LimitSlot(NUMBER, title="Polarization index", side="minimum"),
        "wobble": LimitSlot(RATIO, title="Wobble of the current", side="maximum"),
        "voltage": LimitSlot(VOLTAGE, title="Test voltage"),
        **TIME_SLOT,
    }
    judged_by = ("resistance", CORRECTED, "absorption_ratio", "polarization_index")
    # A standard's test volts are nominal here: how far they may be off is the step's tolerance.
    measured_as = {"lasts": "time_at_level"}
    meters = ("voltage", "current", "resistance")
    advises = (
        "charging_current",
        "mark_out_of_time",
        "limit_out_of_reach",
        "low_level",
        "no_temperature",
        "ratio_alone",
        "short_earthing",
    )

    high: tuple[Terminal, ...] = Field(min_length=1, title="High terminals")
    low: tuple[Terminal, ...] = Field(min_length=1, title="Low terminals")
    level: Annotated[Volts, Field(gt=0)] = Field(default=500.0, title="Test voltage (DC)")
    ramp: Annotated[Seconds, Field(gt=0)] = Field(default=2.0, title="Ramp up")
    slope: SLOPE = slope_field()
    lasts: Annotated[Seconds, Field(ge=15, le=3600)] = Field(
        default=600.0, title="Lasts", description="1, 3 or 10 minutes are usual"
    )
    read_at: Annotated[Seconds, Field(ge=5)] = Field(
        default=60.0, title="Resistance at", description="One minute by IEEE 43"
    )
    ratio_from: Annotated[Seconds, Field(gt=0)] = Field(
        default=30.0, title="Absorption ratio from", description="I at this moment"
    )
    ratio_to: Annotated[Seconds, Field(gt=0)] = Field(
        default=60.0, title="Absorption ratio to", description="over I at this one"
    )
    index_from: Annotated[Seconds, Field(gt=0)] = Field(
        default=60.0, title="Index from", description="I at this moment"
    )
    index_to: Annotated[Seconds, Field(gt=0)] = Field(
        default=600.0, title="Index to", description="over I at this one"
    )
    trip: Annotated[Amperes, Field(gt=0)] = Field(default=2e-3, title="Trip current")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Level tolerance", description="Departure of the voltage still accepted"
    )
    earthed_times: EARTHED = earthed_field()

    @model_validator(mode="after")
    def _fits(self) -> "Polarization":
        if self.slope is not None and "ramp" in self.model_fields_set:
            raise fault_at(*SLOPE_AND_TIME)
        for early, late in (("ratio_from", "ratio_to"), ("index_from", "index_to")):
            if not getattr(self, early) < getattr(self, late):
                raise fault_at(late, "is not after the moment it is held against", "give more.")
        if set(self.high) & set(self.low):
            raise fault_at("low", "has a terminal that is high as well", "leave it out of one.")
        return self

    @property
    def ramp_s(self) -> float:
        """How long the level takes to come up, in s."""
        return self.ramp if self.slope is None else self.level / self.slope

    @property
    def longest_s(self) -> float:
        """What the source is programmed for, in s; it is taken off before."""
        return self.lasts * (1 + OVER) + OVER_S

    @property
    def times_s(self) -> tuple[float, ...]:
        """Every moment at which the current is read, in s since the level stood."""
        asked = (
            self.ratio_from,
            self.ratio_to,
            self.index_from,
            self.index_to,
            self.read_at,
            self.lasts,
        )
        own = {time for time in asked if time <= self.lasts}
        return tuple(sorted({*mark_times(self.lasts), *own}))

    def points(self, product: Product) -> Points:
        """The insulation as a whole; how it is corrected is told by the product."""
        insulant = product.winding.insulant if product.winding is not None else None
        return (Point("", {"insulant": insulant}),)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}

    def earthed_after(self) -> float:
        return self.earthed_times

    def slots_here(self) -> Mapping[str, LimitSlot]:
        """Of ratios those whose moments come."""
        late = {"absorption_ratio": self.ratio_to, "polarization_index": self.index_to}
        late |= {"resistance": self.read_at, CORRECTED: self.read_at}
        return {
            name: slot for name, slot in self.slots.items() if late.get(name, 0.0) <= self.lasts
        }

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Hold the volts, read the current at each mark, then say what it makes."""
        temperature = yield from do(UnitTemperature())
        yield from do(Connect(DC_SOURCE, {"high": self.high, "low": self.low}))
        programme: Programme = {
            "function": "DC",
            "level_v": self.level,
            "ramp_s": self.ramp_s,
            "dwell_s": self.longest_s,
            "fall_s": self.ramp_s,
            "trip_a": self.trip,
            "ranging_s": RANGING_S,
        }
        level = yield from do(Source(DC_SOURCE, programme, self.lasts))
        made: list[_Mark] = []
        missed: list[_Mark] = []
        began_s = math.nan
        if level.look is not None:
            began_s = level.look.sample.elapsed_s
            made, missed = yield from self._marks(began_s)
        output = yield from do(Off(DC_SOURCE))
        voltage = output.reading("voltage", VOLTAGE)
        curves = tuple(self._curves(made))
        if output.ending is not Ending.FINISHED:
            kept = (voltage, output.reading("current", CURRENT))
            return Measured(kept, cut_faults(output, self.level), curves=curves)
        faults = level_faults(output, voltage, "voltage", self.level, self.tolerance)
        readings, ungraded, notes = self._readings(points[0], made, temperature)
        notes += [mark.told_late for mark in missed]
        readings += [voltage, output.time_at_level]
        scatter = self._wobble(output, began_s)
        if scatter is not None:
            readings.append(scatter)
            if scatter.value > WOBBLES:
                notes.append(
                    f"The current wobbles by {display(scatter.value, RATIO, 2)} about its curve: "
                    "a sign of leakage over a surface, or of a bad contact."
                )
        return Measured(
            tuple(readings),
            faults,
            " ".join(notes),
            curves,
            ungraded,
            range_doubts(output, began_s + RANGING_S),
        )

    def _marks(self, began_s: float) -> Asking[tuple[list[_Mark], list[_Mark]]]:
        """Read the current at each mark, and keep it; and the marks that were read too late.

        There are fewer where the output ends before.
        """
        made: list[_Mark] = []
        missed: list[_Mark] = []
        for time_s in self.times_s:
            held = yield from do(Hold(DC_SOURCE, (ByClock(began_s + time_s),)))
            if held.met is None:
                break
            mark = _Mark(time_s, held.last.sample.elapsed_s - began_s, held.last)
            if mark.is_in_time:
                made.append(mark)
                yield from do(Keep((mark.current, mark.resistance), time_s))
            else:
                missed.append(mark)
        return made, missed

    def _readings(
        self, point: Point, made: Sequence[_Mark], temperature: Reading | None
    ) -> tuple[list[Reading], dict[Measurand, str], list[str]]:
        """R at one minute, corrected, and both ratios, as far as their moments came."""
        at = {mark.mark_s: mark for mark in made}
        readings: list[Reading] = []
        ungraded: dict[Measurand, str] = {}
        notes: list[str] = []
        corrected: Reading | None = None
        if (minute := at.get(self.read_at)) is not None:
            readings.append(minute.resistance)
            corrected, why = of_insulation(minute.resistance, temperature, point.values["insulant"])
            if corrected is not None:
                readings.append(corrected)
            if why:
                notes.append(why)
        for quantity, early, late in (
            ("absorption_ratio", self.ratio_from, self.ratio_to),
            ("polarization_index", self.index_from, self.index_to),
        ):
            if early not in at or late not in at:
                continue
            readings.append(ratio_of(at[early].current, at[late].current, quantity))
            if corrected is not None and is_meaningless(corrected):
                ungraded[Measurand(quantity)] = MEANINGLESS
        return readings, ungraded, notes

    def _wobble(self, output: Output, began_s: float) -> Reading | None:
        """How far the current scatters about its curve, once the meter's range stands."""
        seen = [
            (sample.elapsed_s - began_s, sample.values["current"])
            for sample in output.samples
            if sample.elapsed_s >= began_s + RANGING_S
            and sample.bounds.get("current", Bound.EXACT) is Bound.EXACT
            and "current" in sample.values
            and sample.phase == "dwell"
        ]
        if not seen:
            return None
        times, currents = zip(*seen, strict=True)
        value = wobble(times, currents)
        if math.isnan(value):
            return None
        return Reading("wobble", value, RATIO, instrument=output.instrument)

    @staticmethod
    def _curves(made: Sequence[_Mark]) -> Iterator[Curve]:
        """The table of the marks."""
        if made:
            yield Curve(
                MARKS,
                Column("time", TIME, tuple(mark.mark_s for mark in made)),
                (
                    Column("current", CURRENT, tuple(_exact(mark.current) for mark in made)),
                    Column(
                        "resistance", RESISTANCE, tuple(_exact(mark.resistance) for mark in made)
                    ),
                ),
                drawn=Drawn.TABLE,
            )

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the volts and hold them for the whole time."""
        return (
            Demand(DC_SOURCE, "dc_level_v", self.level, VOLTAGE, "level"),
            Demand(DC_SOURCE, "dwell_s", self.longest_s, TIME, "lasts"),
            Demand(DC_SOURCE, "trip_a", self.trip, CURRENT, "trip"),
        )

    def programmed_s(self, points: Points) -> float:
        on_s = 2 * self.ramp_s + self.lasts
        return on_s * (1 + self.earthed_times)

    def advice(self, step: Considered) -> Iterator[Advice]:
        yield from charging_advice(step, self.level, self.ramp_s, self.trip)
        yield from low_level(step, self.level)
        yield from short_earthing(self.earthed_times)
        yield from untold_advice(step)
        yield from self._ratios_alone(step)
        for quantity in ("resistance", CORRECTED):
            for limit in step.limits_of(quantity):
                if limit.minimum is None or limit.minimum < LEAST_OHMS:
                    yield Advice(
                        "limit_out_of_reach",
                        Severity.ERROR,
                        f"its {quantity.replace('_', ' ')} {limit.text} is less than any standard "
                        f"asks ({display(LEAST_OHMS, RESISTANCE)}): it decides nothing.",
                        "Set the minimum that the standard asks.",
                    )
        for name, late in (("absorption ratio", self.ratio_to), ("index", self.index_to)):
            if late > self.lasts and (name == "absorption ratio" or self.lasts > self.read_at):
                yield Advice(
                    "mark_out_of_time",
                    Severity.NOTE,
                    f"its {name} is told at {display(late, TIME, 3)}, and it lasts "
                    f"{display(self.lasts, TIME, 3)}: there will be none.",
                    "Have it last longer, or take earlier moments.",
                )

    def _ratios_alone(self, step: Considered) -> Iterator[Advice]:
        """A ratio says how a current dies away, and nothing of how much leaks."""
        if not step.limits_of("resistance") and not step.limits_of(CORRECTED):
            yield Advice(
                "ratio_alone",
                Severity.WARNING,
                "it limits a ratio of currents and no resistance: a winding that leaks as much as "
                "it likes may pass, and one that leaks too little to have a ratio decides nothing.",
                "Limit its resistance as well.",
            )


def _exact(reading: Reading) -> float | None:
    """A value for a table; a bound is none."""
    return reading.value if reading.bound is Bound.EXACT else None
