"""Impedance of a component between two contacts: |Z| and R in Ω, C in F or L in H, series form.

A small signal at one frequency. What the fixture adds is taken out by its open and shorted zero
(``core.measuring.impedance``), and both values are kept. A reactance below zero is a capacitance,
above zero an inductance; a limit on the one that is not there leaves the step inconclusive. Over
the meter's range |Z| is `above`, and the path counts as open.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.measuring.actions import Connect, Energise, FixtureZero, Procedure, do
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.impedance import (
    ImpedancePath,
    capacitance_f,
    corrected,
    inductance_h,
)
from loricate.core.measuring.readings import Bound, Correction, Reading
from loricate.core.measuring.roles import IMPEDANCE
from loricate.core.products.families.section import Terminal
from loricate.core.quantities import (
    CAPACITANCE,
    FREQUENCY,
    INDUCTANCE,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Hertz,
    Seconds,
    Volts,
)


class Impedance(KindSettings):
    """The two contacts and the signal between them."""

    name = "impedance"
    title = "Impedance"
    slots = {
        "impedance": LimitSlot(RESISTANCE, title="Impedance"),
        "resistance": LimitSlot(RESISTANCE, title="Series resistance"),
        "capacitance": LimitSlot(CAPACITANCE, title="Series capacitance"),
        "inductance": LimitSlot(INDUCTANCE, title="Series inductance"),
    }
    meters = ("impedance",)

    high: Terminal = Field(title="High terminal")
    low: Terminal = Field(title="Low terminal")
    level: Annotated[Volts, Field(gt=0)] = Field(default=1.0, title="Signal", description="rms")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=1000.0, title="Frequency")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Dwell")

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": (self.high,), "low": (self.low,)}

    @property
    def path(self) -> ImpedancePath:
        """The path whose open and shorted zero belongs to this measurement."""
        return ImpedancePath(self.high, self.low, self.frequency)

    def impedance_paths(self) -> tuple[ImpedancePath, ...]:
        return (self.path,)

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure R and X, take the fixture out, and report what the component is."""
        zero = yield from do(FixtureZero(self.path))
        yield from do(Connect(IMPEDANCE, {"high": (self.high,), "low": (self.low,)}))
        programme = {
            "level_v": self.level,
            "frequency_hz": self.frequency,
            "dwell_s": self.dwell,
        }
        output = yield from do(Energise(IMPEDANCE, programme))
        size = output.reading("impedance", RESISTANCE)
        if size.bound is not Bound.EXACT:
            return Measured((size,), (Fault(Cause.OPEN),))
        measured = complex(output.summary["resistance"], output.summary["reactance"])
        if zero is None:
            return Measured(tuple(_readings(measured, size, self.frequency).values()))
        shown = _readings(corrected(measured, zero), size, self.frequency)
        before = _readings(measured, size, self.frequency)
        return Measured(
            tuple(
                replace(reading, corrections=(Correction("zero", before[name].value),))
                if name in before
                else reading
                for name, reading in shown.items()
            )
        )

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The meter must give the signal at this frequency."""
        return (
            Demand(IMPEDANCE, "level_v", self.level, VOLTAGE, "level"),
            Demand(IMPEDANCE, "frequency_hz", self.frequency, FREQUENCY, "frequency"),
            Demand(IMPEDANCE, "dwell_s", self.dwell, TIME, "dwell"),
        )

    def programmed_s(self, points: Points) -> float:
        return self.dwell

    def fails_when_empty(self, limits: Limits) -> bool:
        return True


def _readings(ohms: complex, size: Reading, frequency_hz: float) -> dict[str, Reading]:
    """The readings of an impedance; the meter's relative uncertainty holds for each of them."""
    relative = size.uncertainty / size.value if size.value else 0.0
    parts = {"impedance": (abs(ohms), RESISTANCE), "resistance": (ohms.real, RESISTANCE)}
    if ohms.imag < 0:
        parts["capacitance"] = (capacitance_f(ohms, frequency_hz), CAPACITANCE)
    elif ohms.imag > 0:
        parts["inductance"] = (inductance_h(ohms, frequency_hz), INDUCTANCE)
    # The smaller part of Z is known no better than the whole: its share is of |Z|.
    return {
        name: Reading(
            name,
            value,
            dimension,
            uncertainty=relative * (abs(ohms) if name == "resistance" else abs(value)),
            instrument=size.instrument,
        )
        for name, (value, dimension) in parts.items()
    }
