"""A straight line, or a mean, through readings of which some are censored.

Maximum likelihood with normal scatter: an exact reading counts by its density, a censored one by
the probability of its side. Without censored readings that is least squares. Newton's steps in
(intercept/σ, slope/σ, 1/σ), in which the likelihood has one summit (Olsen 1978). The variance is
taken over the exact readings less the figures fitted.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from loricate.core.trends.observations import Booleans, Floats, Interval

MOST_STEPS, DONE = 100, 1e-10
LEAST_EXACT = 3  # beyond which a line and its scatter can be told
_SQRT_2, _SQRT_2_PI = math.sqrt(2.0), math.sqrt(2.0 * math.pi)
FAR = 25.0  # standard deviations beyond which a tail is taken by its series


@dataclass(frozen=True, slots=True)
class Fit:
    """y = intercept + slope·x with scatter σ; the covariance of intercept and slope.

    Of a mean the slope is 0, and so is what belongs to it.
    """

    intercept: float
    slope: float
    sigma: float
    var_intercept: float
    covariance: float
    var_slope: float
    exact: int

    def at(self, x: float) -> float:
        """The line at a place."""
        return self.intercept + self.slope * x

    def standard_error(self, x: float) -> float:
        """Of the line at a place."""
        variance = self.var_intercept + 2 * x * self.covariance + x * x * self.var_slope
        return math.sqrt(max(0.0, variance))


def fit_mean(y: Interval) -> Fit | None:
    """The mean of readings; None where more than half are censored or fewer than 3 are exact."""
    return _fit(np.ones((len(y.low), 1)), y)


def fit_line(x: Floats, y: Interval) -> Fit | None:
    """The line through readings over ``x``; None as for a mean, and where all lie at one place."""
    if len(x) == 0:
        return None
    middle, reach = float(x.mean()), float(np.ptp(x[y.is_exact])) if y.is_exact.any() else 0.0
    if reach == 0.0:
        return None
    made = _fit(np.column_stack([np.ones(len(x)), (x - middle) / reach]), y)
    if made is None:
        return None
    # Back from the middle and the reach that it was reckoned in.
    slope, covariance, var_slope = (
        made.slope / reach,
        made.covariance / reach,
        made.var_slope / reach**2,
    )
    return Fit(
        made.intercept - slope * middle,
        slope,
        made.sigma,
        made.var_intercept - 2 * middle * covariance + middle**2 * var_slope,
        covariance - middle * var_slope,
        var_slope,
        made.exact,
    )


def _fit(design: Floats, y: Interval) -> Fit | None:
    exact = y.is_exact
    count, figures = int(exact.sum()), design.shape[1]
    if 2 * count < len(exact) or count < max(LEAST_EXACT, figures + 1):
        return None
    centre = float(y.low[exact].mean())
    spread = float(y.low[exact].std()) or 1.0
    values = np.where(exact | np.isfinite(y.low), y.low, y.high)
    values = (values - centre) / spread
    first, _, rank, _ = np.linalg.lstsq(design[exact], values[exact], rcond=None)
    if rank < figures:
        return None
    residual = values[exact] - design[exact] @ first
    sigma = math.sqrt(float(residual @ residual) / count)
    if count == len(exact) or sigma < DONE:
        beta, inverse = first, np.linalg.inv(design[exact].T @ design[exact])
        if count < len(exact) and not _agrees(design @ first, y, centre, spread):
            return None  # on one line to the last digit, and what is censored is not
    else:
        found = _ascend(design, values, exact, np.isfinite(y.low), np.append(first, 1.0) / sigma)
        if found is None:
            return None
        beta, sigma, inverse = found
    corrected = sigma * math.sqrt(count / (count - figures))
    variances = inverse * corrected**2 * spread**2
    line = beta * spread
    return Fit(
        centre + float(line[0]),
        float(line[1]) if figures == 2 else 0.0,
        corrected * spread,
        float(variances[0, 0]),
        float(variances[0, 1]) if figures == 2 else 0.0,
        float(variances[1, 1]) if figures == 2 else 0.0,
        count,
    )


def _agrees(line: Floats, y: Interval, centre: float, spread: float) -> bool:
    told = line * spread + centre
    return bool(np.all((told >= y.low - DONE) & (told <= y.high + DONE)))


def _ascend(
    design: Floats, values: Floats, exact: Booleans, is_above: Booleans, begin: Floats
) -> tuple[Floats, float, Floats] | None:
    """The summit of the likelihood: the line, σ, and the line's covariance over σ²."""
    columns = np.column_stack([-design, values])
    count = int(exact.sum())

    def likelihood(phi: Floats) -> float:
        if phi[-1] <= 0:
            return -math.inf
        r = columns @ phi
        told = count * math.log(phi[-1]) - 0.5 * float(r[exact] @ r[exact])
        signed = np.where(is_above, r, -r)[~exact]
        return told + float(sum(_log_tail(each) for each in signed))

    phi = begin
    now = likelihood(phi)
    for _ in range(MOST_STEPS):
        r = columns @ phi
        gradient, bend = -r.copy(), -np.ones(len(r))
        sign = np.where(is_above, 1.0, -1.0)
        hazard = _hazards(sign[~exact] * r[~exact])
        gradient[~exact] = -sign[~exact] * hazard
        bend[~exact] = -hazard * (hazard - sign[~exact] * r[~exact])
        slope = columns.T @ gradient
        slope[-1] += count / phi[-1]
        matrix = (columns * bend[:, None]).T @ columns
        matrix[-1, -1] -= count / phi[-1] ** 2
        try:
            step = np.linalg.solve(matrix, -slope)
        except np.linalg.LinAlgError:
            return None
        part = 1.0
        while part > DONE and (then := likelihood(phi + part * step)) < now:
            part /= 2
        if part <= DONE:
            break
        phi, gained, now = phi + part * step, then - now, then
        if gained < DONE:
            break
    else:
        return None
    theta = float(phi[-1])
    if not theta > 0 or not np.all(np.isfinite(phi)):
        return None
    covariance = np.linalg.inv(-matrix)
    # β = γ/θ: what a change of γ and θ makes of it.
    figures = len(phi) - 1
    turn = np.column_stack([np.eye(figures) / theta, -phi[:-1] / theta**2])
    return phi[:-1] / theta, 1 / theta, (turn @ covariance @ turn.T) * theta**2


def _log_tail(z: float) -> float:
    """The logarithm of the probability that a standard normal exceeds z."""
    if z < FAR:
        return math.log(0.5 * math.erfc(z / _SQRT_2))
    return -0.5 * z * z - math.log(z * _SQRT_2_PI)


def _hazards(z: Iterable[float]) -> Floats:
    """Density over tail of a standard normal, which nears z far out."""
    return np.array(
        [
            math.exp(-0.5 * each * each) / _SQRT_2_PI / (0.5 * math.erfc(each / _SQRT_2))
            if each < FAR
            else each + 1 / each
            for each in z
        ]
    )
