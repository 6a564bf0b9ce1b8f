"""Quantiles of readings of which some are censored: a figure, or what it is over or under."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from loricate.core.measuring.readings import Bound
from loricate.core.trends.observations import Observation


@dataclass(frozen=True, slots=True)
class Quantile:
    """Between what a quantile lies; None on a side that nothing is known of. SI units."""

    low: float | None
    high: float | None

    @property
    def is_exact(self) -> bool:
        """Whether it is one figure, whatever the censored readings truly were."""
        return self.low is not None and self.low == self.high


def quantile(observed: Sequence[Observation], share: float) -> Quantile:
    """The reading that this share of the observed does not exceed (nearest rank).

    Each censored reading may be anything on its side: once all are as low as they may be, and once
    as high, and the quantile lies between. ``observed`` are known ones, at least one.
    """
    place = max(0, math.ceil(share * len(observed)) - 1)
    low = sorted(-math.inf if each.bound is Bound.BELOW else each.value for each in observed)[place]
    high = sorted(math.inf if each.bound is Bound.ABOVE else each.value for each in observed)[place]
    return Quantile(
        low if math.isfinite(low) else None,
        high if math.isfinite(high) else None,
    )


@dataclass(frozen=True, slots=True)
class Histogram:
    """How many readings lie between one edge and the next; the last edge belongs to the last.

    ``below`` and ``above`` are those only known to be under or over a value: they have no place.
    """

    edges: tuple[float, ...]
    counts: tuple[int, ...]
    below: int
    above: int


MOST_BINS = 30


def histogram(exact: Sequence[float], below: int, above: int) -> Histogram:
    """Sort readings, in the scale they are reckoned in, into bins of one width.

    As many bins as the greater of Sturges' and of Freedman and Diaconis' rules wants, 30 at most;
    fewer where readings are so close together that no number lies between.
    """
    if not len(exact):
        return Histogram((), (), below, above)
    values = np.asarray(exact, dtype=np.float64)
    low, high = float(values.min()), float(values.max())
    if low == high:  # no width to be divided
        return Histogram((low, high), (len(values),), below, above)
    # Of readings that are hardly apart, or of which one is far out, a width by rule is no number.
    bins = math.log2(len(values)) + 1
    quarter, three = np.percentile(values, (25, 75))
    if (width := 2 * (three - quarter) / len(values) ** (1 / 3)) > 0:
        bins = max(bins, (high - low) / width)
    edges = np.unique(np.linspace(low, high, math.ceil(min(bins, MOST_BINS)) + 1))
    counts, _ = np.histogram(values, bins=edges)
    return Histogram(tuple(edges.tolist()), tuple(counts.tolist()), below, above)
