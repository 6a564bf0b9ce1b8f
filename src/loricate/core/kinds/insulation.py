"""Insulation resistance: DC volts, a settling delay that is not judged, then R = V/I in Ω.

V is the re-measured voltage and I the current at the end of the dwell. A current under the meter's
floor gives R `above` V over the floor. Charging and absorption currents die away during ``settle``
(settling through source resistance Rs takes Rs·C·ln(R/(ε·Rs)) seconds).

With the unit's own switch off only the cord is measured, and the reading is meaninglessly high:
above ``seems_off_above`` the operator is asked, and measures again or lets the reading stand.
"""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from loricate.core.errors import ProcedureError
from loricate.core.kinds.outputs import TIME_SLOT, cut_causes, level_causes
from loricate.core.kinds.registry import Demand, Kind, KindSettings, LimitSlot, register
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    Connect,
    Ending,
    Procedure,
    Role,
    put_on,
)  # fmt: skip
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.products.product import Terminal
from loricate.core.quantities import (
    CURRENT,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Amperes,
    Fraction,
    Ohms,
    Seconds,
    Volts,
)  # fmt: skip

AGAIN, STANDS = "measure again", "let it stand"


class InsulationSettings(KindSettings):
    """Level, times and path of an insulation measurement."""

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

    seems_off_above: Annotated[Ohms, Field(gt=0)] | None = Field(
        default=None,
        title="Seems switched off above",
        description="Asks whether the unit's own switch is on, with outputs off",
    )

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        return {"high": self.high, "low": self.low}


def procedure(settings: InsulationSettings, limits: Mapping[str, Limit]) -> Procedure:
    """Measure, and again as often as the operator switches the unit on; an answer is noted."""
    notes: list[str] = []
    while True:
        measured = yield from _measure(settings)
        resistance = next((each for each in measured.readings if each.name == "resistance"), None)
        most = settings.seems_off_above
        if measured.causes or resistance is None or most is None or not resistance.value > most:
            return replace(measured, note=" ".join(notes))
        question = (
            f"The insulation reads {resistance.text}: the unit seems to be switched off. Switch it "
            "on and measure again, or let the reading stand?"
        )
        answer = yield Ask(question, (AGAIN, STANDS), passing=STANDS, hands_in=True)
        if not isinstance(answer, Answer) or answer.choice not in (AGAIN, STANDS):
            raise ProcedureError(f"An insulation step was sent {answer!r} instead of an answer.")
        if answer.choice == STANDS:
            notes.append(f"{resistance.text} stands by answer of the operator. {answer.note}")
            return replace(measured, note=" ".join(notes).strip())
        notes.append(f"Seemed switched off at {resistance.text}; measured again.")


def _measure(settings: InsulationSettings) -> Procedure:
    """Charge, settle, measure at the end of the dwell."""
    yield Connect(Role.WITHSTAND, {"high": settings.high, "low": settings.low})
    output = yield from put_on(
        Role.WITHSTAND,
        {
            "function": "DC",
            "level_v": settings.level,
            "ramp_s": settings.ramp,
            "dwell_s": settings.settle + settings.dwell,
            "fall_s": 0.0,
            "trip_a": settings.trip,
        },
    )
    voltage = output.reading("voltage", VOLTAGE)
    current = output.reading("current", CURRENT)
    if output.ending is not Ending.FINISHED:
        return Measured((voltage, current), cut_causes(output, settings.level))
    causes = level_causes(output, voltage, "voltage", settings.level, settings.tolerance)
    resistance = resistance_of(voltage, current)
    return Measured((resistance, voltage, current, output.time_at_level), causes)


def demands(settings: InsulationSettings, limits: Mapping[str, Limit]) -> tuple[Demand, ...]:
    """The source must reach the level and hold it."""
    return (
        Demand(Role.WITHSTAND, "dc_level_v", settings.level, VOLTAGE, "level"),
        Demand(Role.WITHSTAND, "trip_a", settings.trip, CURRENT, "trip"),
        Demand(Role.WITHSTAND, "dwell_s", settings.settle + settings.dwell, TIME, "dwell"),
    )


INSULATION = register(
    Kind(
        name="insulation",
        title="Insulation resistance",
        settings=InsulationSettings,
        limits={
            "resistance": LimitSlot(RESISTANCE, needed=True, title="Resistance"),
            "voltage": LimitSlot(VOLTAGE, title="Test voltage"),
            **TIME_SLOT,
        },
        procedure=procedure,
        demands=demands,
        programmed_s=lambda settings: settings.ramp + settings.settle + settings.dwell,
        measured_as={"level": "voltage", "dwell": "time_at_level"},
        ganged={"resistance": Bound.ABOVE, "current": Bound.BELOW},
    )
)
