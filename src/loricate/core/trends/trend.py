"""A trend: all that readings of one measurand say together."""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from loricate.core.measuring.readings import Bound
from loricate.core.quantities import Dimension
from loricate.core.trends.capability import Capability, capability_of
from loricate.core.trends.charting import Chart, chart_of
from loricate.core.trends.forecasting import Forecast, forecast_of
from loricate.core.trends.groups import Group, compare
from loricate.core.trends.observations import (
    Floats,
    Observation,
    fits_scale,
    intervals,
    known,
    scaled_limit,
    usual_scale,
)
from loricate.core.trends.quantiles import Histogram, Quantile, histogram, quantile
from loricate.core.trends.terms import Scale

SHARES = (0.05, 0.5, 0.95)
DAY_S = 86_400.0


@dataclass(frozen=True, slots=True)
class Trend:
    """What readings say together, oldest first.

    ``used`` are the places of those that statistics rest on: what was no number, or came of an
    attempt that proves nothing, is told and left out. ``chart`` counts places among those used.
    ``minimum`` and ``maximum`` are the newest reading's limits (SI), by which capability and
    forecast go; ``limits_changed`` where older ones had others. ``quantiles`` are those of 5, 50
    and 95 %. ``forecast`` is in days from the first reading used.
    """

    observed: tuple[Observation, ...]
    used: tuple[int, ...]
    scale: Scale
    below: int
    above: int
    minimum: float | None
    maximum: float | None
    limits_changed: bool
    quantiles: tuple[Quantile, ...]
    histogram: Histogram
    chart: Chart | None
    capability: Capability
    forecast: Forecast
    groups: tuple[Group, ...]


def trend_of(
    observed: Sequence[Observation],
    dimension: Dimension,
    scale: Scale | None = None,
    base: int = 0,
    by: str = "",
) -> Trend:
    """The trend of readings of one measurand, oldest first; in a scale, else in the usual one.

    ``base`` is how many readings the chart's limits rest on (0: all); ``by`` names the groups that
    are compared. Raises ValueError where a reading has no place in the scale.
    """
    used = [place for place, each in enumerate(observed) if each.is_known]
    own = known(observed)
    scale = scale or usual_scale(own, dimension)
    if not fits_scale(own, scale):
        raise ValueError("has readings at or below zero, which have no logarithm")
    y = intervals(own, scale)
    newest = own[-1] if own else None
    minimum, maximum = (newest.minimum, newest.maximum) if newest else (None, None)
    limits = scaled_limit(minimum, scale), scaled_limit(maximum, scale)
    below = sum(each.bound is Bound.BELOW for each in own)
    above = sum(each.bound is Bound.ABOVE for each in own)
    return Trend(
        tuple(observed),
        tuple(used),
        scale,
        below,
        above,
        minimum,
        maximum,
        any((each.minimum, each.maximum) != (minimum, maximum) for each in own),
        tuple(quantile(own, share) for share in SHARES) if own else (),
        histogram(y.exact.tolist(), below, above),
        chart_of(y, base),
        capability_of(y, *limits),
        forecast_of(days(own), y, *limits),
        tuple(compare(own, y, by)) if by else (),
    )


def days(observed: Sequence[Observation]) -> Floats:
    """When each was read, in days from the first."""
    moments = [dt.datetime.fromisoformat(each.at).timestamp() for each in observed]
    return np.array([(each - moments[0]) / DAY_S for each in moments], dtype=np.float64)
