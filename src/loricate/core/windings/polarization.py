"""How the current into an insulation dies away: marks, absorption ratio, index, wobble.

Index and ratio are I(early)/I(late) at constant volts, which is R(late)/R(early). Source: IEEE
43-2013. A current under the meter's floor makes them a bound, not a number.
"""

import math
from collections.abc import Sequence

from loricate.core.measuring.readings import Bound, Reading
from loricate.core.quantities import NUMBER

DEGREE = 3
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


def is_meaningless(one_minute_40: Reading) -> bool:
    """Whether R(60 s) at 40 °C is so great that the index says little: it is said, not graded."""
    return one_minute_40.value > MEANINGLESS_OHMS and one_minute_40.bound is not Bound.BELOW


def wobble(times_s: Sequence[float], currents_a: Sequence[float]) -> float:
    """How far a current scatters about the curve it follows, as a fraction of it.

    The curve is ln I over ln t, of the third degree: absorption follows a straight line over
    decades (Curie and von Schweidler), and bends where it comes to what leaks. The scatter is the
    root mean square of what is left. NaN of fewer than eight samples, or where a current is not
    above zero: a meter at its floor tells nothing.
    """
    import numpy as np

    kept = [(t, i) for t, i in zip(times_s, currents_a, strict=True) if t > 0]
    if len(kept) < 2 * DEGREE + 2 or any(not i > 0 for _, i in kept):
        return math.nan
    x, y = np.log(np.array(kept)).T
    if float(x.max()) == float(x.min()):
        return math.nan
    curve = np.polynomial.Polynomial.fit(x, y, DEGREE)
    left = y - curve(x)
    return float(np.sqrt((left**2).sum() / (len(kept) - DEGREE - 1)))
