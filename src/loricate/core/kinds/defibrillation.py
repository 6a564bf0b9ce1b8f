"""Defibrillator energy reduction: what a defibrillation-proof part takes of a pulse (8.5.5.2).

IEC 60601-1: a pulse of 32 µF charged to 5 kV goes through 25 mH into 100 Ω with the part connected,
E1, and without it, E2; the part may take 10 % at most, E1 >= 0.90·E2. Each connection in turn, all
others earthed; 30 s between pulses, which the bench keeps to. Energies in J by integrating the
record of the volts across the load; the reduction 1 - E1/E2 as a ratio, with the uncertainties of
both energies as if they had nothing in common.

A source that did not deliver is no failure of the device: a charge, a peak or an energy of the
reference that the circuit cannot have, a record cut short, or the record of another pulse leave the
step undecided.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.measuring.actions import (
    Acquire,
    Ask,
    Asking,
    At,
    Connect,
    Ending,
    Energise,
    Procedure,
    Rest,
    do,
)
from loricate.core.measuring.curves import Column, Curve
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Doubt, Reading
from loricate.core.measuring.roles import PULSE
from loricate.core.medical.pulses import (
    MOST_SERIES_OHMS,
    REST_S,
    Pulse,
    due_pulse,
    energy_so_far,
    recorded_pulse,
)
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    ENERGY,
    RATIO,
    TIME,
    VOLTAGE,
    Dimension,
    Fraction,
    Ohms,
    Seconds,
    Volts,
    display,
)

WAVEFORM = "waveform"  # the record of the volts across it
REFERENCE = "reference"
PULSE_S = 0.2
LEAST_SAMPLES = 1_000
RESTED = 0.02  # of the peak: what a record may end at, or one begin with
BACK = 0.05  # of the peak: how far one may swing back
EARLIEST, LATEST = 0.4, 2.5  # times the time of the peak that is due
CHARGES_AGREE = 0.01  # of two pulses that are compared
MORE = 0.02  # of the reference that a part cannot add
DONE = "connected, hands are out"


@dataclass(slots=True)
class _Recorded:
    """One pulse: what it was charged to, its record, and what that says."""

    name: str
    charged: Reading
    curve: Curve
    pulse: Pulse
    spread: float  # of its energy, relative and expanded


@dataclass(slots=True)
class _Found:
    pulses: list[_Recorded] = field(default_factory=list)
    readings: list[Reading] = field(default_factory=list)
    doubts: list[Doubt] = field(default_factory=list)


class Defibrillation(KindSettings):
    """How high the pulse is charged, and how the part is connected."""

    name = "defibrillation"
    title = "Defibrillator energy reduction"
    slots = {
        "energy_reduction": LimitSlot(RATIO, needed=True, title="Reduction", side="maximum"),
    }
    judged_by = ("energy_reduction",)
    meters = ("voltage",)

    level: Annotated[Volts, Field(gt=0)] = Field(default=5000.0, title="Charged to")
    charge: Annotated[Seconds, Field(gt=0, le=60)] = Field(
        default=4.0, title="Charging time", description="Of the source"
    )
    load: Annotated[Ohms, Field(gt=0)] = Field(default=100.0, title="Load of the source")
    tolerance: Annotated[Fraction, Field(gt=0, lt=0.2)] = Field(
        default=0.05,
        title="Source tolerance",
        description="Departure of the reference's energy and peak from what is due",
    )
    connecting: Literal["relay", "hand"] = Field(
        default="relay", title="Connected by", description="hand: a cue for each connection"
    )
    reference: Literal["once", "each"] = Field(
        default="once", title="Reference", description="A pulse without the part: once, or for each"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        is_proof = any(part.defibrillation_proof for part in product.applied_parts)
        return "" if is_proof else "no applied part is defibrillation-proof"

    def points(self, product: Product) -> Points:
        """Each connection of each part that is proof against defibrillation."""
        others = [each for part in product.applied_parts for each in part.terminals]
        others += [part.terminal for part in product.accessible_parts]
        others += ["PE"] if "PE" in product.terminals else []
        return tuple(
            Point(
                f"{part.id} {terminal}",
                {
                    "high": (terminal,),
                    "earthed": tuple(each for each in dict.fromkeys(others) if each != terminal),
                    "terminals": (terminal,),
                    "applied_part": part.type,
                },
            )
            for part in product.applied_parts
            if part.defibrillation_proof
            for terminal in part.terminals
        )

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """A pulse without the part, then one into each connection."""
        found = _Found()
        count = len(points) * (2 if self.reference == "each" else 1) + (self.reference == "once")
        number, reference = 0, None
        for point in points:
            if reference is None or self.reference == "each":
                number += 1
                name = REFERENCE if self.reference == "once" else f"{REFERENCE}, {point.name}"
                yield from do(At(name, number, count))
                reference = yield from self._pulse(name, point, found, is_connected=False)
                if reference is None:
                    break
                found.doubts += self._not_due(reference)
            number += 1
            yield from do(At(point.name, number, count))
            made = yield from self._pulse(point.name, point, found, is_connected=True)
            if made is None:
                break
            found.doubts += self._unlike(made, reference)
            found.readings += self._compared(made, reference)
        return Measured(
            tuple(found.readings),
            curves=tuple(self._energies(found.pulses)),
            doubts=tuple(found.doubts),
        )

    def _pulse(
        self, name: str, point: Point, found: _Found, is_connected: bool
    ) -> Asking[_Recorded | None]:
        """One pulse and its record; None where there is none to be had."""
        yield from do(Rest(PULSE))
        if self.connecting == "hand":
            yield from do(Ask(self._cue(point, is_connected), (DONE,), hands_in=True))
            yield from do(Rest(PULSE))
        terminals = {"earthed": point.values["earthed"]}
        if is_connected:
            terminals["high"] = point.values["high"]
        yield from do(Connect(PULSE, terminals if self.connecting == "relay" else {}))
        programme = {"level_v": self.level, "ramp_s": self.charge, "dwell_s": PULSE_S}
        output = yield from do(Energise(PULSE, programme))
        charged = output.reading("voltage", VOLTAGE)
        if output.ending is not Ending.FINISHED:
            text = f"gave no pulse into {name}: {output.ending.replace('_', ' ')}"
            found.doubts.append(Doubt(output.instrument, text))
            return None
        if not abs(charged.value - self.level) <= self.tolerance * self.level:
            shown, due = display(charged.value, VOLTAGE), display(self.level, VOLTAGE)
            text = f"charged to {shown} in place of {due} for {name}"
            found.doubts.append(Doubt(output.instrument, text))
        record = yield from do(Acquire(PULSE, WAVEFORM))
        doubts = tuple(self._strange(name, record.curve, record.instrument, found.pulses))
        found.doubts += doubts
        if doubts:
            return None
        curve = record.curve
        values = [value or 0.0 for value in curve.columns[0].values]
        times = [value or 0.0 for value in curve.x.values]
        pulse = recorded_pulse(times, values, self.load)
        spread = 2 * self._relative(output.accuracy_of("voltage", pulse.peak_v), pulse.peak_v)
        made = _Recorded(name, charged, curve, pulse, spread)
        found.pulses.append(made)
        if not is_connected:
            found.readings += self._said(made)
        return made

    @staticmethod
    def _relative(spread: float, value: float) -> float:
        return spread / value if value > 0 else 0.0

    def _cue(self, point: Point, is_connected: bool) -> str:
        earthed = ", ".join(point.values["earthed"])
        if not is_connected:
            return "Take the pulse lead off the device: the reference goes into the load alone."
        high = ", ".join(point.values["high"])
        return f"Connect the pulse lead to {high}, and earth {earthed}."

    def _strange(
        self, name: str, curve: Curve, instrument: str, before: Sequence[_Recorded]
    ) -> Iterator[Doubt]:
        """Why a record is none of a pulse through this circuit, or of another one."""
        values = [value if value is not None else math.nan for value in curve.columns[0].values]
        if len(values) < LEAST_SAMPLES or not all(map(math.isfinite, values)):
            yield Doubt(instrument, f"recorded {name} in {len(values)} samples")
            return
        peak_v = max(values)
        place = values.index(peak_v)
        at_s = (curve.x.values[place] or 0.0) - (curve.x.values[0] or 0.0)
        due_s = due_pulse(self.level, MOST_SERIES_OHMS, self.load).peak_at_s
        if not peak_v > 0 or min(values) < -BACK * peak_v:
            yield Doubt(instrument, f"recorded {name} with volts that swing back")
        elif not EARLIEST * due_s <= at_s <= LATEST * due_s:
            shown, due = display(at_s, TIME), display(due_s, TIME)
            yield Doubt(instrument, f"recorded the peak of {name} at {shown}, where {due} is due")
        elif abs(values[-1]) > RESTED * peak_v or abs(values[0]) > 5 * RESTED * peak_v:
            yield Doubt(instrument, f"recorded {name} cut short")
        if any(each.curve.columns[0].values == curve.columns[0].values for each in before):
            yield Doubt(instrument, f"gave the record of another pulse for {name}")

    def _not_due(self, made: _Recorded) -> Iterator[Doubt]:
        """Why the source did not deliver: energy and peak of a pulse into its load alone."""
        least = due_pulse(self.level, MOST_SERIES_OHMS, self.load)
        most = due_pulse(self.level, 0.0, self.load)
        for what, value, low, high, dimension in (
            ("energy", made.pulse.energy_j, least.energy_j, most.energy_j, ENERGY),
            ("peak current", made.pulse.peak_a, least.peak_a, most.peak_a, CURRENT),
        ):
            if not low * (1 - self.tolerance) <= value <= high * (1 + self.tolerance):
                dim: Dimension = dimension
                text = (
                    f"delivered a {what} of {display(value, dim)} into its load, where "
                    f"{display(low, dim)} to {display(high, dim)} are due"
                )
                yield Doubt(made.charged.instrument, text)

    def _unlike(self, made: _Recorded, reference: _Recorded) -> Iterator[Doubt]:
        """Why two pulses cannot be compared."""
        one, other = made.charged, reference.charged
        if not abs(one.value - other.value) <= CHARGES_AGREE * other.value:
            text = (
                f"charged to {display(one.value, VOLTAGE)} for {made.name} and to "
                f"{display(other.value, VOLTAGE)} for the reference"
            )
            yield Doubt(one.instrument, text)
        if made.pulse.energy_j > reference.pulse.energy_j * (1 + MORE):
            text = (
                f"recorded {display(made.pulse.energy_j, ENERGY)} with {made.name} connected, more "
                f"than the {display(reference.pulse.energy_j, ENERGY)} without"
            )
            yield Doubt(one.instrument, text)

    def _said(self, made: _Recorded) -> Iterator[Reading]:
        """What a pulse was: its energy, its peak, and what it was charged to."""
        instrument, pulse = made.charged.instrument, made.pulse
        yield made.charged.at(made.name)
        for quantity, value, dimension, share in (
            ("energy", pulse.energy_j, ENERGY, 1.0),
            ("peak_voltage", pulse.peak_v, VOLTAGE, 0.5),
            ("peak_current", pulse.peak_a, CURRENT, 0.5),
        ):
            yield Reading(
                quantity,
                value,
                dimension,
                made.name,
                uncertainty=value * made.spread * share,
                instrument=instrument,
            )

    def _compared(self, made: _Recorded, reference: _Recorded) -> Iterator[Reading]:
        """What came through with the part connected, and by how much less that is."""
        kept = made.pulse.energy_j / reference.pulse.energy_j
        yield Reading(
            "energy_reduction",
            1 - kept,
            RATIO,
            made.name,
            uncertainty=kept * math.hypot(made.spread, reference.spread),
            instrument=made.charged.instrument,
        )
        yield from self._said(made)

    def _energies(self, pulses: Sequence[_Recorded]) -> Iterator[Curve]:
        """The energy that has come into the load, as it came."""
        for made in pulses:
            column = Column("energy", ENERGY, tuple(energy_so_far(made.curve, self.load)))
            yield Curve("energy", made.curve.x, (column,), made.name)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the level."""
        return (
            Demand(PULSE, "dc_level_v", self.level, VOLTAGE, "level"),
            Demand(PULSE, "ramp_s", self.charge, TIME, "charge"),
        )

    def programmed_s(self, points: Points) -> float:
        pulses = len(points) * (2 if self.reference == "each" else 1) + (self.reference == "once")
        return pulses * (self.charge + PULSE_S) + (pulses - 1) * REST_S
