"""Withstand (hipot), AC or DC: ramp, dwell and fall; current in A, level in V (rms for AC).

Fails in two ways: the output was cut with no dwell completed (a collapse is `breakdown`, a trip
without one `over_limit`, a trip before any voltage came up `short`), or a dwell was completed with
current or resistance out of limits. The level is re-measured, never copied from the setting. With
AC the total current includes what capacitance draws (V·2πf·C); `resistive_current` is the part in
phase with the voltage.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.errors import ProcedureError
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import WHOLE, Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.netwise import (
    NETS_ONE_BY_ONE,
    Applied,
    Apply,
    Netwise,
    applications,
    apply_field,
    check_terminals,
    explain_nets,
    farads_at_once,
    least,
    net_points,
    ohms_of,
    position_field,
    summed,
)
from loricate.core.kinds.outputs import (
    HIGH_SIDE,
    RETURN,
    ROOM,
    SIDES,
    SLOPE,
    TIME_SLOT,
    beyond_the_meter,
    charging_advice,
    cut_faults,
    level_faults,
    return_field,
    slope_field,
)
from loricate.core.measuring.actions import Asking, Connect, Ending, Energise, Procedure, do
from loricate.core.measuring.grading import Fault, GradedReading, Measured
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
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

    apply: Apply = apply_field()
    high: tuple[Terminal, ...] = Field(default=(), title="High terminals")
    low: tuple[Terminal, ...] = Field(default=(), title="Low terminals")
    voltage: Literal["ac", "dc"] = Field(default="ac", title="Voltage")
    level: Annotated[Volts, Field(gt=0)] = Field(title="Test voltage", description="rms for AC")
    frequency: Annotated[Hertz, Field(gt=0)] = Field(default=50.0, title="Frequency")
    ramp: Annotated[Seconds, Field(gt=0)] = Field(default=0.5, title="Ramp up")
    slope: SLOPE = slope_field()
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=1.0, title="Dwell")
    fall: Annotated[Seconds, Field(ge=0)] = Field(default=0.1, title="Ramp down")
    trip: Annotated[Amperes, Field(gt=0)] | None = Field(
        default=None, title="Trip current", description="Cuts at once; the current maximum if empty"
    )
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Level tolerance", description="Departure of the voltage still accepted"
    )
    return_: RETURN = return_field()
    position: str = position_field()
    stop_at_first: bool = Field(
        default=False, title="Stop at the first net that fails", description="Of a cable's nets"
    )

    @model_validator(mode="after")
    def _has_somewhere_to_go(self) -> "Withstand":
        if fault := check_terminals(self.model_dump(include={"apply", "high", "low"})):
            raise fault_at(*fault)
        if self.slope is not None and "ramp" in self.model_fields_set:
            raise fault_at(
                "slope", "is given beside the time of the ramp", "leave one of them out."
            )
        return self

    @property
    def ramp_s(self) -> float:
        """How long the level takes to come up, in s: the time that is set, or by the slope."""
        return self.ramp if self.slope is None else self.level / self.slope

    def points(self, product: Product) -> Points:
        """As a whole, or each net."""
        return (WHOLE,) if self.apply == "between" else net_points(product, self.position)

    def explain(
        self, points: Points, readings: Sequence[GradedReading], faults: Sequence[Fault]
    ) -> Iterator[Fault]:
        if self.apply != "between":
            yield from explain_nets(points, readings, faults)

    def shares_terminals(self) -> bool:
        return self.apply != "between"

    def why_not_together(self) -> str:
        return "" if self.apply == "between" else NETS_ONE_BY_ONE

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}

    def trip_a(self, limits: Limits) -> float:
        """The current in A at which the output is cut: the setting, else the current's maximum."""
        if self.trip is not None:
            return self.trip
        maxima = [
            limit.maximum
            for measurand, limit in limits.items()
            if measurand.quantity == "current" and limit.maximum is not None
        ]
        maximum = max(maxima, default=None)
        if maximum is None:
            raise ProcedureError(
                "A withstand step has neither a trip current nor a current maximum."
            )
        return maximum

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ramp, dwell, fall; grade the greatest current of the dwell."""
        trip_a = self.trip_a(limits)
        if self.apply == "between":
            made = yield from self._apply(self.high, self.low, trip_a)
        else:
            netwise = Netwise(
                lambda high, low: self._apply(high, low, trip_a),
                lambda made: self._is_enough(made, limits),
                self._proven,
                self.stop_at_first,
            )
            made = yield from netwise.go(points, self.apply)
        return Measured(made.readings, made.faults, position=made.position)

    def _apply(self, high: tuple[str, ...], low: tuple[str, ...], trip_a: float) -> Asking[Applied]:
        yield from do(Connect(WITHSTAND, {"high": high, "low": low}))
        programme: dict[str, float | str] = {
            "function": self.voltage.upper(),
            "level_v": self.level,
            "ramp_s": self.ramp_s,
            "dwell_s": self.dwell,
            "fall_s": self.fall,
            "trip_a": trip_a,
            "return_side": SIDES[self.return_],
        }
        if self.voltage == "ac":
            programme["frequency_hz"] = self.frequency
        output = yield from do(Energise(WITHSTAND, programme))
        voltage = output.reading("voltage", VOLTAGE)
        current = output.reading("current", CURRENT, "current_max")
        if output.ending is not Ending.FINISHED:
            return Applied((current, voltage), cut_faults(output, self.level))
        readings = [current, voltage]
        if self.voltage == "ac":
            readings.append(output.reading("resistive_current", CURRENT))
        else:
            readings.append(resistance_of(voltage, output.reading("current", CURRENT)))
        faults = level_faults(output, voltage, "voltage", self.level, self.tolerance)
        return Applied((*readings, output.time_at_level), faults)

    def _is_enough(self, made: Sequence[Applied], limits: Limits) -> bool:
        """Whether applications together prove that a net keeps its limits."""
        maxima, minima = (
            [
                edge
                for measurand, limit in limits.items()
                if measurand.quantity == quantity and (edge := getattr(limit, side)) is not None
            ]
            for quantity, side in (("current", "maximum"), ("resistance", "minimum"))
        )
        amperes = summed(made).value
        if not amperes <= min(maxima, default=math.inf):
            return False
        return not minima or ohms_of(made).value >= max(minima)

    def _proven(self, made: Sequence[Applied]) -> tuple[Reading, ...]:
        """A net's readings from applications by groups: at most their currents together."""
        found = [summed(made)]
        if self.voltage == "dc":
            found.append(ohms_of(made))
        found += [
            reading
            for quantity in ("voltage", "time_at_level")
            if (reading := least(made, quantity)) is not None
        ]
        return tuple(found)

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
        times = 1 if self.apply == "between" else applications(points, self.apply)
        return times * (self.ramp_s + self.dwell + self.fall)

    def slots_here(self) -> Mapping[str, LimitSlot]:
        """Without a trip current of its own the output is cut at the current's maximum."""
        return {**self.slots, "current": replace(self.slots["current"], programs=self.trip is None)}

    def fails_when_empty(self, limits: Limits) -> bool:
        """Only a current that a good unit always draws shows that one is connected."""
        currents = [limit for each, limit in limits.items() if each.quantity == "current"]
        return bool(currents) and all(limit.minimum for limit in currents)

    def advice(self, step: Considered) -> Iterator[Advice]:
        is_wired = self.apply != "between" and step.is_wired
        if not self.fails_when_empty(step.limits) and not is_wired:
            yield Advice(
                "empty_nest",
                Severity.WARNING,
                "has no minimum current, so it passes with nothing connected.",
                "Set a minimum current that a good unit always draws.",
            )
        if self.voltage == "dc":
            trip_a = self.trip_a(step.limits)
            yield from charging_advice(step, self.level, self.ramp_s, trip_a, self._farads(step))
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

    def _farads(self, step: Considered) -> float:
        """What the source has to charge: the unit's, or that of the nets at one time."""
        if self.apply == "between":
            return step.farads_between(self.high, self.low)
        return farads_at_once(step.product, self.apply)

    def _standing_current(self, step: Considered) -> Iterator[Advice]:
        """The AC current of the unit's own capacitance, V·2πf·C, must fit between the limits."""
        farads = self._farads(step)
        limits = step.limits_of("current")
        if not farads or not limits:
            return
        maximum = min((each.maximum for each in limits if each.maximum is not None), default=None)
        minimum = max((each.minimum for each in limits if each.minimum is not None), default=None)
        current = self.level * 2 * math.pi * self.frequency * farads
        told = (
            f"{display(farads, CAPACITANCE)} draws {display(current, CURRENT)} at this level, and "
        )
        if maximum is not None and current > maximum * ROOM:
            by_groups = self.apply == "groups"
            yield Advice(
                "standing_current",
                Severity.ERROR if current >= maximum else Severity.WARNING,
                f"{told}the maximum is {display(maximum, CURRENT)}: a good unit fails.",
                "Apply it to each net, or test with DC: by groups the capacitances of half of all "
                "nets add up."
                if by_groups
                else "Limit the resistive current, test with DC, or raise the maximum if the "
                "standard allows it.",
            )
        if minimum is not None and current < minimum:
            yield Advice(
                "standing_current",
                Severity.ERROR,
                f"{told}the minimum is {display(minimum, CURRENT)}: a good unit fails.",
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
