"""Impedance of a component between two contacts: |Z| and R in Ω, C in F or L in H, series form.

A small signal at one frequency. What the fixture adds is taken out by its open and shorted zero
(``core.impedance``), and both values are kept. A reactance below zero is a capacitance, above zero
an inductance; a limit on the one that is not there leaves the step inconclusive. Over the meter's
range |Z| is `above`, and the path counts as open.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, FixtureZero, Procedure, Role, put_on
from loricate.core.measuring.grading import Cause, Measured
from loricate.core.measuring.impedance import (
    ImpedancePath,
    ImpedanceZero,
    capacitance_f,
    corrected,
    inductance_h,
)
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import Terminal
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
)  # fmt: skip


class ImpedanceSettings(KindSettings):
    """The two contacts and the signal between them."""

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


def procedure(settings: ImpedanceSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Measure R and X, take the fixture out, and report what the component is."""
    zero = yield FixtureZero(settings.path)
    yield Connect(Role.IMPEDANCE, {"high": (settings.high,), "low": (settings.low,)})
    output = yield from put_on(
        Role.IMPEDANCE,
        {
            "level_v": settings.level,
            "frequency_hz": settings.frequency,
            "dwell_s": settings.dwell,
        },
    )
    size = output.reading("impedance", RESISTANCE)
    if size.bound is not Bound.EXACT:
        return Measured((size,), (Cause.OPEN,))
    measured = complex(output.summary["resistance"], output.summary["reactance"])
    own = corrected(measured, zero) if isinstance(zero, ImpedanceZero) else measured
    shown = _readings(own, size, settings.frequency)
    if isinstance(zero, ImpedanceZero):
        before = _readings(measured, size, settings.frequency)
        shown = {
            name: replace(each, as_measured=before[name].value if name in before else None)
            for name, each in shown.items()
        }
    return Measured(tuple(shown.values()))


def _readings(ohms: complex, size: Reading, frequency_hz: float) -> dict[str, Reading]:
    """The readings of an impedance; the meter's relative uncertainty holds for each of them."""
    relative = size.uncertainty / size.value if size.value else 0.0
    found = {"impedance": (abs(ohms), RESISTANCE), "resistance": (ohms.real, RESISTANCE)}
    if ohms.imag < 0:
        found["capacitance"] = (capacitance_f(ohms, frequency_hz), CAPACITANCE)
    elif ohms.imag > 0:
        found["inductance"] = (inductance_h(ohms, frequency_hz), INDUCTANCE)
    # The smaller part of Z is known no better than the whole: its share is of |Z|.
    return {
        name: Reading(
            name,
            value,
            dimension,
            uncertainty=relative * (abs(ohms) if name == "resistance" else abs(value)),
            instrument=size.instrument,
        )
        for name, (value, dimension) in found.items()
    }


def demands(settings: ImpedanceSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The meter must give the signal at this frequency."""
    return (
        Demand(Role.IMPEDANCE, "level_v", settings.level, VOLTAGE, "level"),
        Demand(Role.IMPEDANCE, "frequency_hz", settings.frequency, FREQUENCY, "frequency"),
        Demand(Role.IMPEDANCE, "dwell_s", settings.dwell, TIME, "dwell"),
    )


IMPEDANCE = register(
    Kind(
        name="impedance",
        title="Impedance",
        settings=ImpedanceSettings,
        limits={
            "impedance": LimitSlot(RESISTANCE, title="Impedance"),
            "resistance": LimitSlot(RESISTANCE, title="Series resistance"),
            "capacitance": LimitSlot(CAPACITANCE, title="Series capacitance"),
            "inductance": LimitSlot(INDUCTANCE, title="Series inductance"),
        },
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.dwell,
        impedance_path=lambda settings: settings.path,
    )
)
