"""Withstand (hipot), AC or DC: ramp, dwell and fall; current in A, level in V (rms for AC).

Fails in two ways: the output was cut with no dwell completed (a collapse is `breakdown`, a trip
without one `over_limit`, a trip before any voltage came up `short`), or a dwell was completed with
current or resistance out of limits. The level is re-measured, never copied from the setting. With
AC the total current includes what capacitance draws (V·2πf·C); `resistive_current` is the part in
phase with the voltage.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.outputs import (
    HIGH_SIDE,
    RETURN,
    ROOM,
    SIDES,
    TIME_SLOT,
    beyond_the_meter,
    charging_advice,
    cut_faults,
    level_faults,
    return_field,
)
from loricate.core.measuring.actions import Connect, Ending, Energise, Procedure, do
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, Measurand, resistance_of
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.families.section import Terminal
from loricate.core.quantities import (
    CAPACITANCE,
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
    display,
)

LEAST_DWELL_S = 0.1  # IPC/WHMA-A-620 class 2: no standard here takes less


class Withstand(KindSettings):
    """Level, times, trip and path of a withstand test."""

    name = "withstand"
    title = "Withstand"
    slots = {
        "current": LimitSlot(CURRENT, needed=True, title="Current", side="maximum"),
        "resistive_current": LimitSlot(CURRENT, title="Resistive current (AC)", side="maximum"),
        "resistance": LimitSlot(RESISTANCE, title="Resistance (DC)", side="minimum"),
        "voltage": LimitSlot(VOLTAGE, title="Test voltage"),
        **TIME_SLOT,
    }
    measured_as = {"level": "voltage", "dwell": "time_at_level"}
    ganged = {
        "current": Bound.BELOW,
        "resistive_current": Bound.BELOW,
        "resistance": Bound.ABOVE,
    }
    advises = (
        "empty_nest",
        "charging_current",
        "standing_current",
        "level_of_use",
        "limit_out_of_reach",
        "withstand_again",
    )
    meters = ("voltage", "current")

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
    return_: RETURN = return_field()

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}

    def trip_a(self, limits: Limits) -> float:
        """The current in A at which the output is cut: the setting, else the current's maximum."""
        if self.trip is not None:
            return self.trip
        maximum = limits[Measurand("current")].maximum
        if maximum is None:
            raise ProcedureError(
                "A withstand step has neither a trip current nor a current maximum."
            )
        return maximum

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ramp, dwell, fall; grade the greatest current of the dwell."""
        yield from do(Connect(WITHSTAND, {"high": self.high, "low": self.low}))
        programme: dict[str, float | str] = {
            "function": self.voltage.upper(),
            "level_v": self.level,
            "ramp_s": self.ramp,
            "dwell_s": self.dwell,
            "fall_s": self.fall,
            "trip_a": self.trip_a(limits),
            "return_side": SIDES[self.return_],
        }
        if self.voltage == "ac":
            programme["frequency_hz"] = self.frequency
        output = yield from do(Energise(WITHSTAND, programme))
        voltage = output.reading("voltage", VOLTAGE)
        current = output.reading("current", CURRENT, "current_max")
        if output.ending is not Ending.FINISHED:
            return Measured((current, voltage), cut_faults(output, self.level))
        readings = [current, voltage]
        if self.voltage == "ac":
            readings.append(output.reading("resistive_current", CURRENT))
        else:
            readings.append(resistance_of(voltage, output.reading("current", CURRENT)))
        faults = level_faults(output, voltage, "voltage", self.level, self.tolerance)
        return Measured((*readings, output.time_at_level), faults)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the level, the trip and the times."""
        wanted = [
            Demand(WITHSTAND, f"{self.voltage}_level_v", self.level, VOLTAGE, "level"),
            Demand(WITHSTAND, "dwell_s", self.dwell, TIME, "dwell"),
            Demand(WITHSTAND, "trip_a", self.trip_a(limits), CURRENT, "trip"),
        ]
        if self.return_ == "earthed":
            wanted.append(HIGH_SIDE)
        if self.voltage == "ac":
            wanted.append(Demand(WITHSTAND, "frequency_hz", self.frequency, FREQUENCY, "frequency"))
        return tuple(wanted)

    def takes_isolated(self) -> bool:
        return self.return_ == "isolated"

    def measures_high(self) -> bool:
        return self.return_ == "earthed"

    def programmed_s(self, points: Points) -> float:
        return self.ramp + self.dwell + self.fall

    def slots_here(self) -> Mapping[str, LimitSlot]:
        """Without a trip current of its own the output is cut at the current's maximum."""
        return {**self.slots, "current": replace(self.slots["current"], programs=self.trip is None)}

    def fails_when_empty(self, limits: Limits) -> bool:
        """Only a current that a good unit always draws shows that one is connected."""
        current = limits.get(Measurand("current"))
        return current is not None and bool(current.minimum)

    def advice(self, step: Considered) -> Iterator[Advice]:
        if not self.fails_when_empty(step.limits):
            yield Advice(
                "empty_nest",
                Severity.WARNING,
                "has no minimum current, so it passes with nothing connected.",
                "Set a minimum current that a good unit always draws.",
            )
        if self.voltage == "dc":
            yield from charging_advice(step, self.level, self.ramp, self.trip_a(step.limits))
        else:
            yield from self._standing_current(step)
        yield from self._level_of_use(step)
        yield from beyond_the_meter(step, WITHSTAND)
        if (step.is_repeated or step.is_retried) and not step.forgives:
            again = "repeated" if step.is_repeated else "retried by itself"
            yield Advice(
                "withstand_again",
                Severity.WARNING,
                f"it is {again}: each time wears the insulation, and the standards ask for one.",
                "Leave repeat and retry out; let a person decide with on_fail = ask.",
            )

    def _standing_current(self, step: Considered) -> Iterator[Advice]:
        """The AC current of the unit's own capacitance, V·2πf·C, must fit between the limits."""
        limit = step.limits.get(Measurand("current"))
        if not step.farads or limit is None:
            return
        current = self.level * 2 * math.pi * self.frequency * step.farads
        told = (
            f"{display(step.farads, CAPACITANCE)} draws {display(current, CURRENT)} at this level, "
            "and "
        )
        if limit.maximum is not None and current > limit.maximum * ROOM:
            yield Advice(
                "standing_current",
                Severity.ERROR if current >= limit.maximum else Severity.WARNING,
                f"{told}the maximum is {display(limit.maximum, CURRENT)}: a good unit fails.",
                "Limit the resistive current, test with DC, or raise the maximum if the standard "
                "allows it.",
            )
        if limit.minimum is not None and current < limit.minimum:
            yield Advice(
                "standing_current",
                Severity.ERROR,
                f"{told}the minimum is {display(limit.minimum, CURRENT)}: a good unit fails.",
                f"Set the minimum well under {display(current, CURRENT)}.",
            )

    def _level_of_use(self, step: Considered) -> Iterator[Advice]:
        """It must ask more of the insulation than use does, and long enough to be seen."""
        supply = step.product.supply_voltage
        peak = self.level * (math.sqrt(2) if self.voltage == "ac" else 1.0)
        if supply is not None and peak < 2 * math.sqrt(2) * supply:
            yield Advice(
                "level_of_use",
                Severity.ERROR,
                f"its level of {display(self.level, VOLTAGE)} is less than twice the rated "
                f"{display(supply, VOLTAGE)}: use asks nearly as much of the insulation.",
                "Set the level that the standard asks.",
            )
        if self.dwell < LEAST_DWELL_S:
            yield Advice(
                "level_of_use",
                Severity.ERROR,
                f"its dwell of {display(self.dwell, TIME)} is shorter than any standard's.",
                f"Set the dwell to at least {display(LEAST_DWELL_S, TIME)}.",
            )
