"""What steps share that put an output on a unit: was its level reached, and what cut it short.

A level counts both ways: too little proves nothing, too much (an overstress) may have harmed the
unit. The level is the measured one; for too much it is the greatest that was seen.
"""

import math
from collections.abc import Iterator
from typing import Annotated, Any, Literal

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, LimitSlot
from loricate.core.limits.grouping import grouped
from loricate.core.measuring.actions import Ending, Output
from loricate.core.measuring.grading import Cause, Fault
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.measuring.roles import WITHSTAND, Role
from loricate.core.quantities import CAPACITANCE, CURRENT, NUMBER, TIME, VoltsPerSecond, display

NEARLY = 1e-9  # a level on the very edge of its tolerance is within it
COLLAPSED = 0.1  # of its level: what trips before has a short in front of it
RETURN = Literal["isolated", "earthed"]
SIDES = {"isolated": "LOW", "earthed": "HIGH"}  # where the current is measured


HIGH_SIDE = Demand(WITHSTAND, "high_side", 1.0, NUMBER, "return")  # a meter on the high side


def return_field() -> Any:
    """The setting of how the current comes back; its name is a word of the language."""
    return Field(
        default="isolated",
        alias="return",
        title="Return",
        description="earthed: the unit's case stays earthed, so the current is measured on the high"
        " side, less finely",
    )


SLOPE = Annotated[VoltsPerSecond, Field(gt=0)] | None
SLOPE_AND_TIME = ("slope", "is given beside the time of the ramp", "leave one of them out.")


def slope_field() -> Any:
    """The setting of how steeply a level comes up, in place of how long it takes."""
    return Field(
        default=None, title="Slope of the ramp", description="In place of the time of the ramp"
    )


TIME_SLOT = {"time_at_level": LimitSlot(TIME, title="Time at level")}
ROOM = 0.8  # of a limit that a good unit may use up
USUAL_RANGE_A = 0.1  # where the bench is not known


def falls_short(level: Reading, asked: float, tolerance: float) -> bool:
    """Whether a level is below what was asked for by more than ``tolerance`` (a fraction)."""
    reached = level.value if level.bound is not Bound.BELOW else -math.inf
    return not reached >= asked * (1 - tolerance) * (1 - NEARLY)


def overstressed(output: Output, name: str, asked: float, tolerance: float) -> bool:
    """Whether at any time the unit had more than asked for, by more than ``tolerance``."""
    seen = [sample.values.get(name, 0.0) for sample in output.samples]
    greatest = max([output.summary[name], *seen], key=lambda value: (value == value, value))
    return too_much(greatest, asked, tolerance)


def too_much(greatest: float, asked: float, tolerance: float) -> bool:
    """Whether the greatest that a unit had is more than asked for, by more than ``tolerance``."""
    return greatest > asked * (1 + tolerance) * (1 + NEARLY)


def level_faults(
    output: Output, level: Reading, name: str, asked: float, tolerance: float
) -> tuple[Fault, ...]:
    """What is wrong with the level of an output that came to its end."""
    if overstressed(output, name, asked, tolerance):
        return (Fault(Cause.OVERSTRESS),)
    return (Fault(Cause.LEVEL_NOT_REACHED),) if falls_short(level, asked, tolerance) else ()


def cut_faults(output: Output, asked_v: float) -> tuple[Fault, ...]:
    """Why a source cut its output, where it did.

    A collapse is a breakdown; a trip without one is too much current, or a short where the voltage
    never came up.
    """
    match output.ending:
        case Ending.FINISHED:
            return ()
        case Ending.ARC:
            return (Fault(Cause.ARC),)
        case Ending.OVER_CURRENT:
            is_short = not output.summary["voltage"] >= asked_v * COLLAPSED
            return (Fault(Cause.SHORT if is_short else Cause.OVER_LIMIT),)
        case _:
            return (Fault(Cause.BREAKDOWN),)


def charging_advice(
    step: Considered, level_v: float, ramp_s: float, trip_a: float, farads: float | None = None
) -> Iterator[Advice]:
    """The DC current that charges the unit during the ramp, C·V/t, must stay under the trip.

    ``farads`` are the unit's own unless they are given.
    """
    farads = step.farads if farads is None else farads
    current = farads * level_v / ramp_s
    if not farads or current < trip_a * ROOM:
        return
    shortest = farads * level_v / (trip_a * ROOM)
    yield Advice(
        "charging_current",
        Severity.ERROR if current >= trip_a else Severity.WARNING,
        f"charging {display(farads, CAPACITANCE)} draws {display(current, CURRENT)} during the "
        f"ramp, and the trip is at {display(trip_a, CURRENT)}: a good unit trips.",
        f"Ramp for at least {display(shortest, TIME)}, or raise the trip.",
    )


def beyond_the_meter(step: Considered, role: Role) -> Iterator[Advice]:
    """A maximum current beyond the meter's range decides nothing."""
    meter = step.instrument(role)
    range_a = meter.ceiling.get("current", USUAL_RANGE_A) if meter is not None else USUAL_RANGE_A
    for told, measurand, limit in grouped(step.limits):
        is_current = limit.dimension == CURRENT.name and measurand.quantity != "load_current"
        if not is_current or limit.maximum is None or limit.maximum <= range_a:
            continue
        yield Advice(
            "limit_out_of_reach",
            Severity.ERROR,
            f"its {told} {limit.text} is beyond the meter's range of "
            f"{display(range_a, CURRENT)}: it decides nothing.",
            "Set the maximum that the standard asks.",
        )
