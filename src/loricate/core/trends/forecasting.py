"""When a drift meets the limit: a line over time, and Fieller's interval for where it crosses.

The line is through all readings, the censored ones on their side. A drift is told where its slope
differs from none with 95 % confidence. A forecast reaches no further ahead than five times as long
as the readings were watched: beyond that it would be made of the line alone.
"""

import math
from dataclasses import dataclass, replace
from statistics import NormalDist

from loricate.core.trends.fitting import Fit, fit_line
from loricate.core.trends.observations import Floats, Interval

LEAST, REACH = 8, 5.0
CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class Forecast:
    """A drift, and when it meets a limit; times in the unit of ``x`` that it was made from.

    ``slope`` is per that unit, ``slope_low`` to ``slope_high`` its 95 % interval. ``meets`` is when
    the line crosses the limit that it goes to, within ``earliest`` to ``latest`` (None: not within
    the reach). ``why_not`` says why nothing is forecast.
    """

    slope: float | None = None
    slope_low: float | None = None
    slope_high: float | None = None
    begins_at: float | None = None  # the line where the readings begin, and where they end
    ends_at: float | None = None
    limit: str = ""  # minimum, maximum
    meets: float | None = None
    earliest: float | None = None
    latest: float | None = None
    why_not: str = ""

    @property
    def is_drift(self) -> bool:
        """Whether the slope is told from none."""
        return self.slope_low is not None and self.slope_low * (self.slope_high or 0.0) > 0


def forecast_of(x: Floats, y: Interval, minimum: float | None, maximum: float | None) -> Forecast:
    """Forecast from readings over ``x``, in the order of time, and limits in the scale of ``y``."""
    exact = int(y.is_exact.sum())
    if exact < LEAST:
        return Forecast(why_not=f"fewer than {LEAST} readings are numbers")
    fit = fit_line(x, y)
    if fit is None:
        return Forecast(why_not="no line goes through them: too many are censored, or all at once")
    times = t_quantile(0.5 + CONFIDENCE / 2, exact - 2)
    reach = times * math.sqrt(fit.var_slope)
    begin, end = float(x[0]), float(x[-1])
    told = Forecast(fit.slope, fit.slope - reach, fit.slope + reach, fit.at(begin), fit.at(end))
    if not told.is_drift:
        return replace(told, why_not="no drift that chance would not give as well")
    side = "maximum" if fit.slope > 0 else "minimum"
    limit = maximum if fit.slope > 0 else minimum
    if limit is None:
        return replace(told, why_not="it drifts to the side that nothing limits")
    meets = (limit - fit.intercept) / fit.slope
    earliest, latest = _crossing(fit, limit, times)
    farthest = end + REACH * (end - begin)
    if earliest > farthest:
        return replace(told, limit=side, why_not="at this rate the limit is too far off to be told")
    return replace(
        told,
        limit=side,
        meets=meets if meets <= farthest else None,
        earliest=earliest,
        latest=latest if latest <= farthest else None,
    )


def _crossing(fit: Fit, limit: float, times: float) -> tuple[float, float]:
    """Fieller's interval: where the limit is within so many standard errors of the line."""
    square = times**2
    a = fit.slope**2 - square * fit.var_slope  # above zero: the slope is told from none
    b = 2 * (fit.slope * (fit.intercept - limit) - square * fit.covariance)
    c = (fit.intercept - limit) ** 2 - square * fit.var_intercept
    root = math.sqrt(max(0.0, b * b - 4 * a * c))
    return (-b - root) / (2 * a), (-b + root) / (2 * a)


def t_quantile(share: float, freedom: int) -> float:
    """Student's t that this share does not exceed (Abramowitz and Stegun 26.7.5).

    Within 0.5 % from 5 degrees of freedom on, where it is asked for.
    """
    z, n = NormalDist().inv_cdf(share), float(freedom)
    return (
        z
        + (z**3 + z) / (4 * n)
        + (5 * z**5 + 16 * z**3 + 3 * z) / (96 * n**2)
        + (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / (384 * n**3)
    )
