"""What steps share that put an output on a unit: was its level reached, and what cut it short.

A level counts both ways: too little proves nothing, too much (an overstress) may have harmed the
unit. The level is the measured one; for too much it is the greatest that was seen.
"""

import math

from loricate.core.kinds.registry import LimitSlot
from loricate.core.measuring.actions import Ending, Output
from loricate.core.measuring.grading import Cause
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.quantities import TIME

NEARLY = 1e-9  # a level on the very edge of its tolerance is within it
COLLAPSED = 0.1  # of its level: what trips before has a short in front of it
TIME_SLOT = {"time_at_level": LimitSlot(TIME, title="Time at level")}


def falls_short(level: Reading, asked: float, tolerance: float) -> bool:
    """Whether a level is below what was asked for by more than ``tolerance`` (a fraction)."""
    reached = level.value if level.bound is not Bound.BELOW else -math.inf
    return not reached >= asked * (1 - tolerance) * (1 - NEARLY)


def overstressed(output: Output, name: str, asked: float, tolerance: float) -> bool:
    """Whether at any time the unit had more than asked for, by more than ``tolerance``."""
    seen = [sample.values.get(name, 0.0) for sample in output.samples]
    greatest = max([output.summary[name], *seen], key=lambda value: (value == value, value))
    return greatest > asked * (1 + tolerance) * (1 + NEARLY)


def level_causes(
    output: Output, level: Reading, name: str, asked: float, tolerance: float
) -> tuple[Cause, ...]:
    """What is wrong with the level of an output that came to its end."""
    if overstressed(output, name, asked, tolerance):
        return (Cause.OVERSTRESS,)
    return (Cause.LEVEL_NOT_REACHED,) if falls_short(level, asked, tolerance) else ()


def cut_causes(output: Output, asked_v: float) -> tuple[Cause, ...]:
    """Why a source cut its output, where it did.

    A collapse is a breakdown; a trip without one is too much current, or a short where the voltage
    never came up.
    """
    match output.ending:
        case Ending.FINISHED:
            return ()
        case Ending.ARC:
            return (Cause.ARC,)
        case Ending.OVER_CURRENT:
            is_short = not output.summary["voltage"] >= asked_v * COLLAPSED
            return (Cause.SHORT,) if is_short else (Cause.OVER_LIMIT,)
        case _:
            return (Cause.BREAKDOWN,)
