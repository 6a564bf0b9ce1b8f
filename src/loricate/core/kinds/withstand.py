"""Withstand (hipot), AC or DC: ramp, dwell and fall; current in A, level in V (rms for AC).

Fails in two ways: the output was cut with no dwell completed (a collapse is `breakdown`, a trip
without one `over_limit`, a trip before any voltage came up `short`), or a dwell was completed with
current or resistance out of limits. The level is re-measured, never copied from the setting. With
AC the total current includes what capacitance draws (V·2πf·C); `resistive_current` is the part in
phase with the voltage.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.outputs import TIME_SLOT, cut_causes, level_causes
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Connect, Ending, Procedure, Role, put_on
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.products.product import Terminal
from loricate.core.quantities import (
    CURRENT,
    FREQUENCY,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Hertz,
    Seconds,
    Volts,
)  # fmt: skip


class WithstandSettings(KindSettings):
    """Level, times, trip and path of a withstand test."""

    high: tuple[Terminal, ...] = Field(min_length=1, title="High terminals")
    low: tuple[Terminal, ...] = Field(min_length=1, title="Low terminals")
    voltage: Literal["ac", "dc"] = Field(default="ac", title="Voltage")
    level: Annotated[Volts, Field(gt=0)] = Field(title="Test voltage", description="rms for AC")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Frequency")
    ramp: Annotated[Seconds, Field(gt=0)] = Field(default=0.5, title="Ramp up")
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=1.0, title="Dwell")
    fall: Annotated[Seconds, Field(ge=0)] = Field(default=0.1, title="Ramp down")
    trip: Annotated[Amperes, Field(gt=0)] | None = Field(
        default=None, title="Trip current", description="Cuts at once; the current maximum if empty"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Level tolerance", description="Departure of the voltage still accepted"
    )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}


def trip_a(settings: WithstandSettings, limits: Mapping[str, Limit]) -> float:
    """The current in A at which the output is cut: the setting, else the current's maximum."""
    if settings.trip is not None:
        return settings.trip
    maximum = limits["current"].maximum
    if maximum is None:
        raise ProcedureError("A withstand step has neither a trip current nor a current maximum.")
    return maximum


def procedure(settings: WithstandSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Ramp, dwell, fall; grade the greatest current of the dwell."""
    yield Connect(Role.WITHSTAND, {"high": settings.high, "low": settings.low})
    program: dict[str, float | str] = {
        "function": settings.voltage.upper(),
        "level_v": settings.level,
        "ramp_s": settings.ramp,
        "dwell_s": settings.dwell,
        "fall_s": settings.fall,
        "trip_a": trip_a(settings, limits),
    }
    if settings.voltage == "ac":
        program["frequency_hz"] = settings.frequency
    output = yield from put_on(Role.WITHSTAND, program)
    voltage = output.reading("voltage", VOLTAGE)
    current = output.reading("current", CURRENT, "current_max")
    if output.ending is not Ending.FINISHED:
        return Measured((current, voltage), cut_causes(output, settings.level))
    readings = [current, voltage]
    if settings.voltage == "ac":
        readings.append(output.reading("resistive_current", CURRENT))
    else:
        readings.append(resistance_of(voltage, output.reading("current", CURRENT)))
    causes = level_causes(output, voltage, "voltage", settings.level, settings.tolerance)
    return Measured((*readings, output.time_at_level), causes)


def demands(settings: WithstandSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The source must reach the level, the trip and the times."""
    wanted = [
        Demand(Role.WITHSTAND, f"{settings.voltage}_level_v", settings.level, VOLTAGE, "level"),
        Demand(Role.WITHSTAND, "dwell_s", settings.dwell, TIME, "dwell"),
        Demand(Role.WITHSTAND, "trip_a", trip_a(settings, limits), CURRENT, "trip"),
    ]
    if settings.voltage == "ac":
        wanted.append(
            Demand(Role.WITHSTAND, "frequency_hz", settings.frequency, FREQUENCY, "frequency")
        )
    return tuple(wanted)


LIMITS = {
    "current": LimitSlot(CURRENT, needed=True, title="Current"),
    "resistive_current": LimitSlot(CURRENT, title="Resistive current (AC)"),
    "resistance": LimitSlot(RESISTANCE, title="Resistance (DC)"),
    "voltage": LimitSlot(VOLTAGE, title="Test voltage"),
    **TIME_SLOT,
}


def slots(settings: WithstandSettings) -> Mapping[str, LimitSlot]:
    """Without a trip current of its own the output is cut at the current's maximum."""
    return {**LIMITS, "current": replace(LIMITS["current"], programs=settings.trip is None)}


WITHSTAND = register(
    Kind(
        name="withstand",
        title="Withstand",
        settings=WithstandSettings,
        limits=LIMITS,
        slots=slots,
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.ramp + settings.dwell + settings.fall,
        measured_as={"level": "voltage", "dwell": "time_at_level"},
        ganged={
            "current": Bound.BELOW,
            "resistive_current": Bound.BELOW,
            "resistance": Bound.ABOVE,
        },
    )
)
