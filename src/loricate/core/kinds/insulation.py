"""Insulation resistance: DC volts, a settling delay that is not judged, then R = V/I in Ω.

V is the re-measured voltage and I the current at the end of the dwell. A current under the meter's
floor gives R `above` V over the floor. Charging and absorption currents die away during ``settle``
(settling through source resistance Rs takes Rs·C·ln(R/(ε·Rs)) seconds).

With the unit's own switch off only the cord is measured, and the reading is meaninglessly high:
above ``seems_off_above`` the operator is asked, and measures again or lets the reading stand.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Annotated

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
    SIDES,
    SLOPE,
    SLOPE_AND_TIME,
    TIME_SLOT,
    charging_advice,
    cut_faults,
    level_faults,
    return_field,
    slope_field,
)
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import (
    Ask,
    Asking,
    Connect,
    Ending,
    Energise,
    Procedure,
    Programme,
    do,
)
from loricate.core.measuring.grading import Fault, GradedReading, Measured
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.families.section import Terminal
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CAPACITANCE,
    CURRENT,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Ohms,
    Seconds,
    Volts,
    display,
)

AGAIN, STANDS = "measure again", "let it stand"
SETTLED = 0.01  # how near to its end a charge must have come
LEAST_OHMS = 50e3  # bus-bars by IEC 60204-1: no standard here asks less


class Insulation(KindSettings):
    """Level, times and path of an insulation measurement."""

    name = "insulation"
    title = "Insulation resistance"
    slots = {
        "resistance": LimitSlot(RESISTANCE, needed=True, title="Resistance", side="minimum"),
        "voltage": LimitSlot(VOLTAGE, title="Test voltage"),
        **TIME_SLOT,
    }
    measured_as = {"level": "voltage", "dwell": "time_at_level"}
    ganged = {"resistance": Bound.ABOVE, "current": Bound.BELOW}
    advises = ("charging_current", "settling", "limit_out_of_reach")
    meters = ("voltage", "current", "resistance")

    apply: Apply = apply_field()
    high: tuple[Terminal, ...] = Field(default=(), title="High terminals")
    low: tuple[Terminal, ...] = Field(default=(), title="Low terminals")
    level: Annotated[Volts, Field(gt=0)] = Field(default=500.0, title="Test voltage (DC)")
    ramp: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Ramp up")
    slope: SLOPE = slope_field()
    settle: Annotated[Seconds, Field(ge=0)] = Field(
        default=1.0, title="Settling delay", description="Not judged"
    )
    dwell: Annotated[Seconds, Field(gt=0)] = Field(default=1.0, title="Dwell after settling")
    trip: Annotated[Amperes, Field(gt=0)] = Field(default=2e-3, title="Trip current")
    tolerance: Annotated[Fraction, Field(gt=0, lt=1)] = Field(
        default=0.05, title="Level tolerance", description="Departure of the voltage still accepted"
    )
    return_: RETURN = return_field()

    seems_off_above: Annotated[Ohms, Field(gt=0)] | None = Field(
        default=None,
        title="Seems switched off above",
        description="Asks whether the unit's own switch is on, with outputs off",
    )
    position: str = position_field()
    stop_at_first: bool = Field(
        default=False, title="Stop at the first net that fails", description="Of a cable's nets"
    )

    @model_validator(mode="after")
    def _has_somewhere_to_go(self) -> "Insulation":
        if fault := check_terminals(self.model_dump(include={"apply", "high", "low"})):
            raise fault_at(*fault)
        if self.apply != "between" and self.seems_off_above is not None:
            reason = "is of a unit with a switch of its own"
            raise fault_at("seems_off_above", reason, "leave it out for nets.")
        if self.slope is not None and "ramp" in self.model_fields_set:
            raise fault_at(*SLOPE_AND_TIME)
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

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure, and again as often as the operator switches the unit on; an answer is noted."""
        if self.apply != "between":
            least_ohms = min((each.minimum or 0.0 for each in self._floors(limits)), default=0.0)
            netwise = Netwise(
                self._apply,
                lambda made: ohms_of(made).value >= least_ohms,
                _proven,
                self.stop_at_first,
            )
            made = yield from netwise.go(points, self.apply)
            return Measured(made.readings, made.faults, position=made.position)
        notes: list[str] = []
        while True:
            measured = yield from self._measure()
            resistance = next(
                (reading for reading in measured.readings if reading.quantity == "resistance"), None
            )
            most = self.seems_off_above
            if measured.faults or resistance is None or most is None or not resistance.value > most:
                return replace(measured, note=" ".join(notes))
            question = (
                f"The insulation reads {resistance.text}: the unit seems to be switched off. "
                "Switch it on and measure again, or let the reading stand?"
            )
            asked = Ask(question, (AGAIN, STANDS), passing=STANDS, hands_in=True)
            answer = yield from do(asked)
            if answer.choice not in (AGAIN, STANDS):
                raise ProcedureError(f"An insulation step was sent {answer!r}, no answer to it.")
            if answer.choice == STANDS:
                notes.append(f"{resistance.text} stands by answer of the operator. {answer.note}")
                return replace(measured, note=" ".join(notes).strip())
            notes.append(f"Seemed switched off at {resistance.text}; measured again.")

    @staticmethod
    def _floors(limits: Limits) -> list[Limit]:
        return [limit for measurand, limit in limits.items() if measurand.quantity == "resistance"]

    def _measure(self) -> Procedure:
        made = yield from self._apply(self.high, self.low)
        return Measured(made.readings, made.faults, position=made.position)

    def _apply(self, high: tuple[str, ...], low: tuple[str, ...]) -> Asking[Applied]:
        """Charge, settle, measure at the end of the dwell."""
        yield from do(Connect(WITHSTAND, {"high": high, "low": low}))
        programme: Programme = {
            "function": "DC",
            "level_v": self.level,
            "ramp_s": self.ramp_s,
            "dwell_s": self.settle + self.dwell,
            "fall_s": 0.0,
            "trip_a": self.trip,
            "return_side": SIDES[self.return_],
        }
        output = yield from do(Energise(WITHSTAND, programme))
        voltage = output.reading("voltage", VOLTAGE)
        current = output.reading("current", CURRENT)
        if output.ending is not Ending.FINISHED:
            return Applied((voltage, current), cut_faults(output, self.level))
        faults = level_faults(output, voltage, "voltage", self.level, self.tolerance)
        resistance = resistance_of(voltage, current)
        return Applied((resistance, voltage, current, output.time_at_level), faults)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """The source must reach the level and hold it."""
        return (
            Demand(WITHSTAND, "dc_level_v", self.level, VOLTAGE, "level"),
            Demand(WITHSTAND, "trip_a", self.trip, CURRENT, "trip"),
            Demand(WITHSTAND, "dwell_s", self.settle + self.dwell, TIME, "dwell"),
            *([HIGH_SIDE] if self.return_ == "earthed" else []),
        )

    def takes_isolated(self) -> bool:
        return self.return_ == "isolated"

    def measures_high(self) -> bool:
        return self.return_ == "earthed"

    def programmed_s(self, points: Points) -> float:
        times = 1 if self.apply == "between" else applications(points, self.apply)
        return times * (self.ramp_s + self.settle + self.dwell)

    def advice(self, step: Considered) -> Iterator[Advice]:
        is_netwise = self.apply != "between"
        farads = (
            farads_at_once(step.product, self.apply)
            if is_netwise
            else step.farads_between(self.high, self.low)
        )
        yield from charging_advice(step, self.level, self.ramp_s, self.trip, farads)
        yield from self._settling(step, farads)
        limit = next(iter(step.limits_of("resistance")), None)
        if limit is None or limit.minimum is None or limit.minimum <= 0:
            return
        tripping = self.level / self.trip
        if limit.minimum < LEAST_OHMS:
            yield Advice(
                "limit_out_of_reach",
                Severity.ERROR,
                f"its resistance {limit.text} is less than any standard asks "
                f"({display(LEAST_OHMS, RESISTANCE)}): it decides nothing.",
                "Set the minimum that the standard asks.",
            )
        elif limit.minimum < tripping:
            yield Advice(
                "limit_out_of_reach",
                Severity.WARNING,
                f"its trip cuts below {display(tripping, RESISTANCE)}, before its resistance "
                f"{limit.text} is looked at.",
                "Raise the trip, or the minimum.",
            )

    def _settling(self, step: Considered, farads: float) -> Iterator[Advice]:
        """The settling delay must let the charge come within 1 %: Rs·C·ln(R/(1 %·Rs))."""
        source = step.instrument(WITHSTAND)
        limit = next(iter(step.limits_of("resistance")), None)
        minimum = limit.minimum if limit is not None else None
        if source is None or not source.source_ohms or not farads or not minimum:
            return
        ratio = minimum / (SETTLED * source.source_ohms)
        needed = source.source_ohms * farads * math.log(ratio) if ratio > 1 else 0.0
        if self.settle < needed:
            yield Advice(
                "settling",
                Severity.WARNING,
                f"{display(farads, CAPACITANCE)} through {source.source_ohms / 1e3:g} kΩ has "
                f"settled after {display(needed, TIME)}, and the delay is "
                f"{display(self.settle, TIME)}: charge is read as leakage.",
                f"Settle for at least {display(needed, TIME)}.",
            )


def _proven(made: Sequence[Applied]) -> tuple[Reading, ...]:
    """A net's readings from applications by groups: the least volts and time of all of them."""
    found = [ohms_of(made), summed(made)]
    found += [
        reading
        for quantity in ("voltage", "time_at_level")
        if (reading := least(made, quantity)) is not None
    ]
    return tuple(found)
