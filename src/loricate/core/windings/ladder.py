"""A ladder of volts: the line through the levels so far, and how far the newest is off it.

Source: IEEE 95, for DC ladders of equal steps after the first. A sound winding's current is
proportional to the volts; a knee, or a current that more than doubles, comes before a breakdown.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Line:
    """I = offset + slope·V by least squares, in A and A/V."""

    offset_a: float
    slope_a_per_v: float

    def at(self, volts: float) -> float:
        """The current (A) that it gives at some volts."""
        return self.offset_a + self.slope_a_per_v * volts


def line_through(volts: Sequence[float], amperes: Sequence[float]) -> Line | None:
    """The line through the ends of levels; None through fewer than two different volts."""
    count = len(volts)
    if count < 2 or min(volts) == max(volts):
        return None
    mean_v, mean_a = math.fsum(volts) / count, math.fsum(amperes) / count
    along = math.fsum((v - mean_v) ** 2 for v in volts)
    across = math.fsum((v - mean_v) * (a - mean_a) for v, a in zip(volts, amperes, strict=True))
    slope = across / along
    return Line(mean_a - slope * mean_v, slope)


def departure(volts: Sequence[float], amperes: Sequence[float]) -> float:
    """How far the newest level's current is above the line of those before it, as a fraction.

    NaN before the third level, through which alone no line goes, and where the line gives no
    current above zero.
    """
    line = line_through(volts[:-1], amperes[:-1])
    if line is None or not (expected := line.at(volts[-1])) > 0:
        return math.nan
    return amperes[-1] / expected - 1


def growth(amperes: Sequence[float]) -> float:
    """The newest level's current over the one before; NaN of the first and after no current."""
    if len(amperes) < 2 or not amperes[-2] > 0:
        return math.nan
    return amperes[-1] / amperes[-2]
