"""Surge comparison: rising pulses on each phase, and what their waveforms say of the turns.

Each pulse rings in the winding; turns that flash over change how. The error area ratio between
successive pulses of a phase, each scaled by its own peak, finds what gives way as volts rise; the
one between phases at the last level finds turns that are shorted for good. It is a share of the
reference's area (``core.windings.surge``); its default limits of 10 % are trade custom, of no
standard. A rotor in place makes phases differ legitimately: then that is said and not graded.

Levels: IEEE 522 counts in per-unit, √(2/3)·U between lines; trade custom takes 2·U + 1000 V for
low-voltage machines.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations, pairwise
from typing import Annotated

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.kinds.outputs import cut_faults
from loricate.core.kinds.under_dc import low_level
from loricate.core.kinds.winding_resistance import THREE, WHY_NOT
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    Acquire,
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Procedure,
    do,
)
from loricate.core.measuring.curves import Column, Curve, Drawn
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.readings import Doubt, Measurand, Reading
from loricate.core.measuring.roles import SURGE
from loricate.core.products.product import Product
from loricate.core.quantities import (
    RATIO,
    VOLTAGE,
    Fraction,
    Volts,
    display,
    exact_text,
)
from loricate.core.windings.surge import error_area_ratio, peak_of, pulse_to_pulse

WAVEFORM = "waveform"
PULSE_S = 0.2
LEAST_SAMPLES = 1_000
AGREES = 0.1  # of the peak that the generator tells and the one in its record
LOOSE = 0.25
CUSTOM = LimitSource(engineer="trade custom, of no standard")
LEVELS = LimitSource(engineer="the level of this step")
ROTOR = "a rotor in place makes phases differ"


@dataclass(slots=True)
class _Pulse:
    """One pulse: what it was set to, its peak, and its record."""

    level_v: float
    voltage: Reading
    curve: Curve

    @property
    def values(self) -> Sequence[float | None]:
        return self.curve.columns[0].values


@dataclass(slots=True)
class _Phase:
    """The pulses of a phase as they came, and the ratio of each to the one before."""

    pulses: list[_Pulse] = field(default_factory=list)
    ratios: list[float] = field(default_factory=list)


class Surge(KindSettings):
    """How high, in how many pulses, and what may differ."""

    name = "surge"
    title = "Surge comparison"
    slots = {
        "voltage": LimitSlot(VOLTAGE, title="Peak volts reached"),
        "pulse_ratio": LimitSlot(RATIO, title="Greatest pulse to pulse", side="maximum"),
        "phase_ratio": LimitSlot(RATIO, title="Phase to phase", side="maximum"),
    }
    judged_by = ()
    meters = ("voltage",)
    advises = ("loose_surge", "low_level")

    first: Annotated[Volts, Field(gt=0)] = Field(default=500.0, title="First pulse")
    level: Annotated[Volts, Field(gt=0)] = Field(title="Level", description="Peak of the last")
    pulses: Annotated[int, Field(ge=3, le=50)] = Field(
        default=10, title="Pulses", description="Of each phase, in equal steps"
    )
    most_pulse_ratio: Annotated[Fraction, Field(gt=0, lt=2)] = Field(
        default=0.1, title="Pulse to pulse at most", description="It stops at the first beyond it"
    )
    most_phase_ratio: Annotated[Fraction, Field(gt=0, lt=2)] = Field(
        default=0.1, title="Phase to phase at most"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=0.5)] = Field(
        default=0.05, title="Level tolerance", description="Departure of the peak still accepted"
    )
    rotor_in: bool = Field(
        default=False, title="Rotor in", description="Phases are compared and not graded"
    )

    @model_validator(mode="after")
    def _rises(self) -> "Surge":
        if not self.first < self.level:
            raise fault_at("first", "is not below the level", "begin lower.")
        return self

    @classmethod
    def why_not(cls, product: Product) -> str:
        return "" if product.winding is not None and product.winding.leads else WHY_NOT

    def points(self, product: Product) -> Points:
        """Each lead against the others: a phase."""
        section = product.winding
        leads = section.leads if section is not None else ()
        if len(leads) < THREE:
            return tuple(
                Point(f"{a} to {b}", {"high": (a,), "low": (b,), "terminals": (a, b)})
                for a, b in pairwise(leads)
            )
        return tuple(
            Point(
                lead,
                {
                    "high": (lead,),
                    "low": tuple(each for each in leads if each != lead),
                    "terminals": leads,
                },
            )
            for lead in leads
        )

    def shares_terminals(self) -> bool:
        return True

    @property
    def levels_v(self) -> tuple[float, ...]:
        """The peak that each pulse is set to."""
        step = (self.level - self.first) / (self.pulses - 1)
        return tuple(self.first + step * number for number in range(self.pulses))

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Pulse each phase up to the level, then compare what they have shown."""
        phases: dict[str, _Phase] = {}
        faults: list[Fault] = []
        doubts: list[Doubt] = []
        for number, point in enumerate(points, start=1):
            yield from do(At(point.name, number, len(points)))
            terminals = {"high": point.values["high"], "low": point.values["low"]}
            yield from do(Connect(SURGE, terminals))
            phases[point.name] = yield from self._climb(point, faults, doubts)
            if faults or doubts:
                break
        readings = [each for name, phase in phases.items() for each in self._of(name, phase)]
        ungraded: dict[Measurand, str] = {}
        if not faults and not doubts:
            pairs, odd = self._between(phases)
            readings += pairs
            doubts += odd
            if self.rotor_in:
                ungraded = {each.measurand: ROTOR for each in pairs}
        return Measured(
            tuple(readings),
            tuple(faults),
            curves=tuple(self._ratio_curves(phases)),
            ungraded=ungraded,
            doubts=tuple(doubts),
        )

    def _climb(self, point: Point, faults: list[Fault], doubts: list[Doubt]) -> Asking[_Phase]:
        """The pulses of one phase, to the last or to the first that differs."""
        phase = _Phase()
        for level_v in self.levels_v:
            output = yield from do(Energise(SURGE, {"level_v": level_v, "dwell_s": PULSE_S}))
            voltage = output.reading("voltage", VOLTAGE).at(point.name)
            if output.ending is not Ending.FINISHED:
                faults += cut_faults(output, level_v)
                return phase
            record = yield from do(Acquire(SURGE, WAVEFORM))
            pulse = _Pulse(level_v, voltage, record.curve)
            doubts += self._strange(pulse, phase, record.instrument)
            if doubts:
                return phase
            phase.pulses.append(pulse)
            if not voltage.value >= level_v * (1 - self.tolerance):
                faults.append(Fault(Cause.LEVEL_NOT_REACHED, point.name))
                return phase
            if len(phase.pulses) > 1 and (fault := self._differs(point, phase)) is not None:
                faults.append(fault)
                return phase
        return phase

    def _strange(self, pulse: _Pulse, phase: _Phase, instrument: str) -> Iterator[Doubt]:
        """Why a record is none of this pulse."""
        values = pulse.values
        if len(values) < LEAST_SAMPLES:
            yield Doubt(instrument, f"recorded a pulse in {len(values)} samples")
            return
        import numpy as np

        peak = abs(peak_of(np.asarray(values)))
        told = pulse.voltage.value
        if not abs(peak - told) <= AGREES * max(peak, told):
            yield Doubt(
                instrument,
                f"told a peak of {display(told, VOLTAGE)} and recorded {display(peak, VOLTAGE)}",
            )
        if phase.pulses:
            former = phase.pulses[-1]
            if former.values == values:
                yield Doubt(instrument, "gave the same record of two pulses")
            elif former.curve.x.values != pulse.curve.x.values:
                yield Doubt(instrument, "recorded two pulses over different times")

    def _differs(self, point: Point, phase: _Phase) -> Fault | None:
        """Compare the newest pulse with the one before; a fault where they differ."""
        import numpy as np

        former, newer = phase.pulses[-2:]
        ratio = pulse_to_pulse(np.asarray(former.values), np.asarray(newer.values))
        phase.ratios.append(ratio)
        if ratio <= self.most_pulse_ratio:
            return None
        text = (
            f"{point.name}: the pulse of {exact_text(round(newer.level_v, 1), VOLTAGE)} differs by "
            f"{display(ratio, RATIO, 3)} from the one of "
            f"{exact_text(round(former.level_v, 1), VOLTAGE)}: turns give way, or a lead is loose."
        )
        return Fault(Cause.BREAKDOWN, point.name, text)

    def _of(self, name: str, phase: _Phase) -> Iterator[Reading]:
        """What one phase has shown: its highest peak, and the greatest ratio of its pulses."""
        if phase.pulses:
            yield phase.pulses[-1].voltage
        if phase.ratios:
            instrument = phase.pulses[-1].voltage.instrument
            yield Reading("pulse_ratio", max(phase.ratios), RATIO, name, instrument=instrument)

    def _between(self, phases: Mapping[str, _Phase]) -> tuple[list[Reading], list[Doubt]]:
        """Each two phases at the last level, one against the other."""
        import numpy as np

        found: list[Reading] = []
        doubts: list[Doubt] = []
        for (a, one), (b, other) in combinations(phases.items(), 2):
            first, second = one.pulses[-1], other.pulses[-1]
            instrument = second.voltage.instrument
            if first.curve.x.values != second.curve.x.values:
                doubts.append(Doubt(instrument, "recorded two phases over different times"))
                continue
            if first.values == second.values:
                doubts.append(Doubt(instrument, "gave the same record of two phases"))
                continue
            ratio = error_area_ratio(np.asarray(first.values), np.asarray(second.values))
            found.append(Reading("phase_ratio", ratio, RATIO, f"{a} to {b}", instrument=instrument))
        return found, doubts

    @staticmethod
    def _ratio_curves(phases: Mapping[str, _Phase]) -> Iterator[Curve]:
        """The ratio over the test: it should be flat."""
        for name, phase in phases.items():
            if len(phase.ratios) > 1:
                volts = tuple(each.level_v for each in phase.pulses[1:])
                yield Curve(
                    "ratio",
                    Column("voltage", VOLTAGE, volts[: len(phase.ratios)]),
                    (Column("pulse_ratio", RATIO, tuple(phase.ratios)),),
                    name,
                    drawn=Drawn.POINTS,
                )

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The level, and both ratios, at what the step says unless a limit is written."""
        found = dict(limits)

        def most(quantity: str, point: str, value: float) -> None:
            limit = Limit(dimension=RATIO.name, maximum=value, source=CUSTOM)
            found.setdefault(Measurand(quantity, point), limit)

        for point in points:
            low, high = (self.level * (1 + sign * self.tolerance) for sign in (-1, 1))
            level = Limit(dimension=VOLTAGE.name, minimum=low, maximum=high, source=LEVELS)
            found.setdefault(Measurand("voltage", point.name), level)
            most("pulse_ratio", point.name, self.most_pulse_ratio)
        for a, b in combinations([point.name for point in points], 2):
            most("phase_ratio", f"{a} to {b}", self.most_phase_ratio)
        # What is written for every point stands for every pair as well, and not for one phase.
        for point in points:
            found.pop(Measurand("phase_ratio", point.name), None)
        return found

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The generator must reach the level."""
        return (Demand(SURGE, "level_v", self.level, VOLTAGE, "level"),)

    def programmed_s(self, points: Points) -> float:
        return len(points) * self.pulses * PULSE_S

    def advice(self, step: Considered) -> Iterator[Advice]:
        """Volts that stress no turn, and ratios that let shorted ones pass."""
        yield from low_level(step, self.level)
        loosest = max(
            limit.maximum or 0.0
            for quantity in ("pulse_ratio", "phase_ratio")
            for limit in (*step.limits_of(quantity), Limit(dimension=RATIO.name, maximum=0.0))
        )
        if loosest > LOOSE:
            yield Advice(
                "loose_surge",
                Severity.WARNING,
                f"it lets waveforms differ by {display(loosest, RATIO, 2)}: shorted turns pass.",
                f"Set {display(LOOSE, RATIO, 2)} or less.",
            )

    def fails_when_empty(self, limits: Limits) -> bool:
        return True
