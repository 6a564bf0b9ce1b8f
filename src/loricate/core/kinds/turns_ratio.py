"""Turns ratio: volts of two windings at no load, their ratio, its error and their polarity.

n = U_p/U_s; the error is 100·(n/n_nominal - 1) in percent of the nominal ratio, and the polarity is
told by the in-phase part of the secondary's volts (``core.windings.ratio``). A secondary without
volts is open, or not there; one whose volts are neither in phase nor against it has them from
elsewhere (an open winding picks up through its capacitance), and has no polarity. IEC 60076-1 asks
for the lesser of 0.5 % and a tenth of the impedance.
"""

import math
from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import (
    Demand,
    KindSettings,
    Limits,
    LimitSlot,
    NominalPlace,
    Point,
    Points,
)
from loricate.core.limits.limit import Code, Limit, LimitSource
from loricate.core.measuring.actions import (
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Procedure,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import RATIO_METER
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    FREQUENCY,
    RATIO,
    TURNS_RATIO,
    VOLTAGE,
    Fraction,
    Hertz,
    Seconds,
    TurnsRatio,
    Volts,
    display,
)
from loricate.core.windings.ratio import COUPLED, turns_ratio

LOOSE = 0.05
USUAL = 0.005  # tolerance
NOMINAL = LimitSource(engineer="the nominal ratio of this step")


class RatioPoint(BaseModel):
    """Two windings by their ends, and the ratio that they should have."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Code = Field(title="Name")
    primary: tuple[Terminal, Terminal] = Field(title="Driven", description="Start and end")
    secondary: tuple[Terminal, Terminal] = Field(title="Read", description="Start and end")
    nominal: Annotated[TurnsRatio, Field(gt=0)] = Field(title="Nominal ratio")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(default=USUAL, title="Tolerance")
    level: Annotated[Volts, Field(gt=0)] | None = Field(
        default=None, title="Volts of this one", description="In place of the step's"
    )

    @model_validator(mode="after")
    def _are_four(self) -> "RatioPoint":
        if len({*self.primary, *self.secondary}) < 3:
            raise fault_at("secondary", "is the driven winding itself", "name another one.")
        return self


class TurnsRatioStep(KindSettings):
    """The volts and frequency that windings are driven with, and their ratios."""

    name = "turns_ratio"
    title = "Turns ratio"
    slots = {
        "turns_ratio": LimitSlot(TURNS_RATIO, title="Ratio"),
        "ratio_error": LimitSlot(RATIO, title="Error of the ratio"),
        "voltage": LimitSlot(VOLTAGE, title="Volts driven"),
    }
    judged_by = ()
    meters = ("voltage", "secondary")
    advises = ("loose_ratio",)

    ratios: tuple[RatioPoint, ...] = Field(min_length=1, max_length=40, title="Ratios")
    tie: tuple[Terminal, ...] = Field(
        default=(), title="Tied", description="Pins that the step joins with each other"
    )
    level: Annotated[Volts, Field(gt=0)] = Field(default=5.0, title="Volts", description="rms")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=400.0, title="Frequency")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Dwell")

    @model_validator(mode="after")
    def _names_differ(self) -> "TurnsRatioStep":
        names = [each.name for each in self.ratios]
        if len(set(names)) < len(names):
            raise fault_at("ratios", "has a name twice", "each needs its own.")
        if len(self.tie) == 1:
            raise fault_at("tie", "has one pin alone", "name those that it is joined with.")
        return self

    def points(self, product: Product) -> Points:
        """Each ratio."""
        return tuple(
            Point(each.name, {"ratio": each, "terminals": (*each.primary, *each.secondary)})
            for each in self.ratios
        )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        ends = (end for each in self.ratios for end in (*each.primary, *each.secondary))
        return {"ratios": tuple(dict.fromkeys(ends)), "tie": self.tie}

    def shares_terminals(self) -> bool:
        return True

    def place_of_nominal(self, measurand: Measurand) -> NominalPlace | None:
        """Each ratio has its own."""
        names = [each.name for each in self.ratios]
        if measurand.quantity != "turns_ratio" or measurand.point not in names:
            return None
        place = ("settings", "ratios", names.index(measurand.point))
        return NominalPlace((*place, "nominal"), (*place, "tolerance"), USUAL)

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Drive each winding and read the other."""
        readings: list[Reading] = []
        faults: list[Fault] = []
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            found, fault = yield from self._one(point.values["ratio"])
            readings += [each.at(point.name) for each in found]
            faults += fault
        return Measured(tuple(readings), tuple(faults))

    def _one(self, ratio: RatioPoint) -> Asking[tuple[tuple[Reading, ...], tuple[Fault, ...]]]:
        terminals: dict[str, tuple[str, ...]] = {
            "high": ratio.primary[:1],
            "low": ratio.primary[1:],
            "sense_high": ratio.secondary[:1],
            "sense_low": ratio.secondary[1:],
        }
        if self.tie:
            terminals["tie"] = self.tie
        yield from do(Connect(RATIO_METER, terminals))
        level_v = self.level if ratio.level is None else ratio.level
        programme = {
            "level_v": level_v,
            "frequency_hz": self.frequency,
            "dwell_s": self.dwell,
        }
        output = yield from do(Energise(RATIO_METER, programme))
        voltage = output.reading("voltage", VOLTAGE)
        secondary = output.reading("secondary", VOLTAGE)
        if output.ending is not Ending.FINISHED or voltage.bound is Bound.BELOW:
            text = f"{ratio.name}: the driven winding takes no volts; it is open or shorted."
            return (voltage,), (Fault(Cause.OPEN, ratio.name, text),)
        if secondary.bound is Bound.BELOW:
            text = f"{ratio.name}: the winding that is read has no volts; it is open or shorted."
            return (voltage,), (Fault(Cause.OPEN, ratio.name, text),)
        in_phase = output.summary["in_phase"]
        known = all(map(math.isfinite, (voltage.value, secondary.value, in_phase)))
        if not known or secondary.value == 0:
            return (voltage, secondary), ()
        if abs(in_phase) < COUPLED * secondary.value:
            text = (
                f"{ratio.name}: the volts that are read are neither in phase with those that drive "
                "nor against them; the winding is open or loaded."
            )
            return (voltage, secondary), (Fault(Cause.OPEN, ratio.name, text),)
        made = turns_ratio(
            complex(voltage.value), complex(math.copysign(secondary.value, in_phase))
        )
        relative = math.hypot(
            voltage.uncertainty / voltage.value, secondary.uncertainty / secondary.value
        )
        own = Reading(
            "turns_ratio",
            made.value,
            TURNS_RATIO,
            uncertainty=made.value * relative,
            instrument=output.instrument,
        )
        error = Reading(
            "ratio_error",
            made.error(ratio.nominal),
            RATIO,
            uncertainty=made.value / ratio.nominal * relative,
            instrument=output.instrument,
        )
        if made.is_in_phase:
            return (own, error, voltage, secondary), ()
        text = f"{ratio.name}: {' and '.join(ratio.secondary)} are exchanged: polarity is reversed."
        return (own, error, voltage, secondary), (Fault(Cause.REVERSED, ratio.name, text),)

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The error of each ratio, at its tolerance unless a limit is written."""
        found = dict(limits)
        for each in self.ratios:
            own = Limit(
                dimension=RATIO.name,
                minimum=-each.tolerance,
                maximum=each.tolerance,
                source=NOMINAL,
            )
            found.setdefault(Measurand("ratio_error", each.name), own)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The meter must drive the volts at the frequency."""
        most = max((each.level or self.level for each in self.ratios), default=self.level)
        return (
            Demand(RATIO_METER, "level_v", most, VOLTAGE, "level"),
            Demand(RATIO_METER, "frequency_hz", self.frequency, FREQUENCY, "frequency"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell * len(self.ratios)

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """A tolerance that lets turns be missing."""
        loosest = max(each.tolerance for each in self.ratios)
        if loosest > LOOSE:
            yield Advice(
                "loose_ratio",
                Severity.WARNING,
                f"it lets a ratio be off by {display(loosest, RATIO, 2)}: turns may be missing.",
                f"Set {display(LOOSE, RATIO, 2)} or less.",
            )
