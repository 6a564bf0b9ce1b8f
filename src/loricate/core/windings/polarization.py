"""How the current into an insulation dies away: marks, absorption ratio, index, wobble.

Index and ratio are I(early)/I(late) at constant volts, which is R(late)/R(early). Source: IEEE
43-2013. A current under the meter's floor makes them a bound, not a number.
"""

import math
from collections.abc import Iterable, Sequence
from enum import StrEnum

from loricate.core.measuring.readings import Bound, Reading
from loricate.core.quantities import NUMBER

MEANINGLESS_OHMS = 5e9  # of R(60 s) at 40 °C: above it the index says little (IEEE 43-2013, 12.2.2)


def mark_times(until_s: float) -> tuple[float, ...]:
    """The moments (s) of the table: each 15 s to 1 min, each 30 s to 3 min, each minute after."""
    times = [15.0 * number for number in range(1, 5)]
    times += [60.0 + 30.0 * number for number in range(1, 5)]
    times += [180.0 + 60.0 * number for number in range(1, math.ceil(until_s / 60) + 1)]
    return tuple(time for time in times if time <= until_s)


def ratio_of(early: Reading, late: Reading, quantity: str) -> Reading:
    """The ratio of two currents as a reading, its bound and its uncertainty with it.

    31.2 nA at 60 s and 9.84 nA at 600 s: an index of 3.171. A late current that is ``below`` the
    floor makes the ratio ``above``; two that both are, or one that is no number, make none (NaN).
    """
    bounds = {early.bound, late.bound.flipped} - {Bound.EXACT}
    known = math.isfinite(early.value) and math.isfinite(late.value)
    both = early.bound is not Bound.EXACT and late.bound is not Bound.EXACT
    if both or not known or early.value <= 0 or late.value <= 0:
        return Reading(quantity, math.nan, NUMBER, instrument=late.instrument)
    value = early.value / late.value
    relative = math.hypot(early.uncertainty / early.value, late.uncertainty / late.value)
    return Reading(
        quantity,
        value,
        NUMBER,
        bound=bounds.pop() if bounds else Bound.EXACT,
        uncertainty=value * relative,
        instrument=late.instrument,
    )


class Worth(StrEnum):
    """What an index says of an insulation."""

    GOOD = "good"
    CAUTION = "caution"
    BAD = "bad"
    UNGRADED = "ungraded"  # so little current that its ratio says nothing


def worth_of(index: Reading, good: float, bad: float, one_minute_40: Reading) -> Worth:
    """The band of an index: good from ``good`` on, bad under ``bad``, caution between.

    Where R(60 s) at 40 °C is above 5000 MΩ it is said and not graded; a bound is graded only where
    every value that it leaves open is of one band.
    """
    if one_minute_40.value > MEANINGLESS_OHMS and one_minute_40.bound is not Bound.BELOW:
        return Worth.UNGRADED
    if math.isnan(index.value):
        return Worth.UNGRADED
    if index.value >= good and index.bound is not Bound.BELOW:
        return Worth.GOOD
    if index.value < bad and index.bound is not Bound.ABOVE:
        return Worth.BAD
    return Worth.CAUTION if index.bound is Bound.EXACT else Worth.UNGRADED


def wobble(times_s: Sequence[float], currents_a: Iterable[float]) -> float:
    """How far a current scatters about the curve it follows, as a fraction of it.

    The curve is a straight line of ln I over ln t, which absorption follows over decades
    (Curie and von Schweidler); the scatter is the root mean square of what is left. NaN of fewer
    than five samples, or where a current is not above zero: a meter at its floor tells nothing.
    """
    pairs = [(t, i) for t, i in zip(times_s, currents_a, strict=True) if t > 0]
    if len(pairs) < 5 or any(not i > 0 for _, i in pairs):
        return math.nan
    xs = [math.log(t) for t, _ in pairs]
    ys = [math.log(i) for _, i in pairs]
    mean_x, mean_y = math.fsum(xs) / len(xs), math.fsum(ys) / len(ys)
    spread = math.fsum((x - mean_x) ** 2 for x in xs)
    if spread == 0:
        return math.nan
    slope = math.fsum((x - mean_x) * (y - mean_y) for x, y in zip(xs, ys, strict=True)) / spread
    left = [y - mean_y - slope * (x - mean_x) for x, y in zip(xs, ys, strict=True)]
    return math.sqrt(math.fsum(each**2 for each in left) / (len(left) - 2))
