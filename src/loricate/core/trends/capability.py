"""Capability: how readings lie between their limits, with the lower 95 % bound of each index.

Cp = (U - L)/(6σ), Cpk = min(U - mean, mean - L)/(3σ); a limit on one side gives Cpk alone, of that
side. σ is the mean moving range over 1.128; where readings are censored it is that of the fit in
which they count on their side, and so is the mean. Bounds (Bissell 1990):
Cpk - 1.645·√(1/(9n) + Cpk²/(2(n - 1))), and of Cp the same without the first term.
"""

import math
from dataclasses import dataclass

from loricate.core.trends.charting import sigma_within
from loricate.core.trends.fitting import fit_mean
from loricate.core.trends.observations import Interval

Z_95 = 1.645  # one-sided
LEAST = 5


@dataclass(frozen=True, slots=True)
class Capability:
    """Indices in the scale that the readings are reckoned in; ``why_not`` says why there are none.

    ``mean`` and ``sigma`` are in that scale. ``is_fitted`` where they come from a fit.
    """

    mean: float | None = None
    sigma: float | None = None
    is_fitted: bool = False
    cp: float | None = None
    cp_least: float | None = None
    cpk: float | None = None
    cpk_least: float | None = None
    why_not: str = ""


def capability_of(y: Interval, minimum: float | None, maximum: float | None) -> Capability:
    """The indices of readings in the order of time, between limits in the same scale."""
    exact, size = y.exact, len(y.low)
    if len(exact) < LEAST:
        return Capability(why_not=f"fewer than {LEAST} readings are numbers")
    if 2 * len(exact) < size:
        return Capability(why_not="more than half are under a floor or over a range")
    is_fitted = len(exact) < size
    if is_fitted:
        made = fit_mean(y)
        if made is None:
            return Capability(why_not="the censored readings go with no scatter of the others")
        mean, sigma = made.intercept, made.sigma
    else:
        mean, sigma = float(exact.mean()), sigma_within(y) or 0.0
    if sigma <= 0:
        return Capability(mean, sigma, is_fitted, why_not="all readings are the same")
    if minimum is None and maximum is None:
        return Capability(mean, sigma, is_fitted, why_not="nothing limits it")
    rooms = []
    if maximum is not None:
        rooms.append(maximum - mean)
    if minimum is not None:
        rooms.append(mean - minimum)
    cpk, count = min(rooms) / (3 * sigma), len(exact)
    cp = None if minimum is None or maximum is None else (maximum - minimum) / (6 * sigma)
    return Capability(
        mean,
        sigma,
        is_fitted,
        cp,
        None if cp is None else cp - Z_95 * math.sqrt(cp**2 / (2 * (count - 1))),
        cpk,
        cpk_least(cpk, count),
    )


def cpk_least(cpk: float, count: int) -> float:
    """The lower 95 % bound of a Cpk from so many readings."""
    return cpk - Z_95 * math.sqrt(1 / (9 * count) + cpk**2 / (2 * (count - 1)))
