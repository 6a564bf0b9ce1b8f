"""Insulation resistance: DC volts, a settling delay that is not judged, then R = V/I in Ω.

V is the re-measured voltage and I the current at the end of the dwell. A current under the meter's
floor gives R `above` V over the floor. Charging and absorption currents die away during ``settle``
(settling through source resistance Rs takes Rs·C·ln(R/(ε·Rs)) seconds).

With the unit's own switch off only the cord is measured, and the reading is meaninglessly high:
above ``seems_off_above`` the operator is asked, and measures again or lets the reading stand.
"""

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Points
from loricate.core.kinds.outputs import (
    HIGH_SIDE,
    RETURN,
    SIDES,
    TIME_SLOT,
    charging_advice,
    cut_faults,
    level_faults,
    return_field,
)
from loricate.core.measuring.actions import Ask, Connect, Ending, Energise, Procedure, Programme, do
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, Measurand, resistance_of
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.families.section import Terminal
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

    high: tuple[Terminal, ...] = Field(min_length=1, title="High terminals")
    low: tuple[Terminal, ...] = Field(min_length=1, title="Low terminals")
    level: Annotated[Volts, Field(gt=0)] = Field(default=500.0, title="Test voltage (DC)")
    ramp: Annotated[Seconds, Field(gt=0)] = Field(default=0.2, title="Ramp up")
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

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure, and again as often as the operator switches the unit on; an answer is noted."""
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

    def _measure(self) -> Procedure:
        """Charge, settle, measure at the end of the dwell."""
        yield from do(Connect(WITHSTAND, {"high": self.high, "low": self.low}))
        programme: Programme = {
            "function": "DC",
            "level_v": self.level,
            "ramp_s": self.ramp,
            "dwell_s": self.settle + self.dwell,
            "fall_s": 0.0,
            "trip_a": self.trip,
            "return_side": SIDES[self.return_],
        }
        output = yield from do(Energise(WITHSTAND, programme))
        voltage = output.reading("voltage", VOLTAGE)
        current = output.reading("current", CURRENT)
        if output.ending is not Ending.FINISHED:
            return Measured((voltage, current), cut_faults(output, self.level))
        faults = level_faults(output, voltage, "voltage", self.level, self.tolerance)
        resistance = resistance_of(voltage, current)
        return Measured((resistance, voltage, current, output.time_at_level), faults)

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
        return self.ramp + self.settle + self.dwell

    def advice(self, step: Considered) -> Iterator[Advice]:
        yield from charging_advice(step, self.level, self.ramp, self.trip)
        yield from self._settling(step)
        limit = step.limits.get(Measurand("resistance"))
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

    def _settling(self, step: Considered) -> Iterator[Advice]:
        """The settling delay must let the charge come within 1 %: Rs·C·ln(R/(1 %·Rs))."""
        source = step.instrument(WITHSTAND)
        limit = step.limits.get(Measurand("resistance"))
        minimum = limit.minimum if limit is not None else None
        if source is None or not source.source_ohms or not step.farads or not minimum:
            return
        ratio = minimum / (SETTLED * source.source_ohms)
        needed = source.source_ohms * step.farads * math.log(ratio) if ratio > 1 else 0.0
        if self.settle < needed:
            yield Advice(
                "settling",
                Severity.WARNING,
                f"{display(step.farads, CAPACITANCE)} through {source.source_ohms / 1e3:g} kΩ has "
                f"settled after {display(needed, TIME)}, and the delay is "
                f"{display(self.settle, TIME)}: charge is read as leakage.",
                f"Settle for at least {display(needed, TIME)}.",
            )
