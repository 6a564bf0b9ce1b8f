"""Individuals and moving-range charts (ISO 7870-2), with rules for runs.

σ is the mean moving range over 1.128, so that a drift does not widen its own limits. A censored
reading has no place in a mean or a range; a rule counts it where all that it may be agrees with it,
and it ends a run where it may not.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from loricate.core.trends.observations import Booleans, Floats, Interval
from loricate.core.trends.terms import LEAST_CHARTED, Rule

D2, D4 = 1.128, 3.267  # of ranges of two (ISO 7870-2, table 2)


@dataclass(frozen=True, slots=True)
class Signal:
    """A rule that readings break, from the first to the last of them by their places."""

    rule: Rule
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Chart:
    """Centre and limits of readings and of moving ranges, in the scale they are reckoned in.

    ``ranges`` has NaN where one of the two readings is censored. ``base`` is how many readings, the
    first ones, the limits rest on.
    """

    centre: float
    sigma: float
    mean_range: float
    ranges: Floats
    base: int
    signals: tuple[Signal, ...]

    @property
    def upper(self) -> float:
        """The upper limit of readings."""
        return self.centre + 3 * self.sigma

    @property
    def lower(self) -> float:
        """The lower limit of readings."""
        return self.centre - 3 * self.sigma

    @property
    def most_range(self) -> float:
        """The limit of moving ranges."""
        return D4 * self.mean_range


def moving_ranges(y: Interval) -> Floats:
    """The range from each reading to the next; NaN where one of them is censored."""
    values = np.where(y.is_exact, y.low, np.nan)
    return np.abs(np.diff(values))


def sigma_within(y: Interval) -> float | None:
    """The mean moving range over 1.128; None where no two readings in a row are exact."""
    ranges = moving_ranges(y)
    ranges = ranges[np.isfinite(ranges)]
    return float(ranges.mean()) / D2 if len(ranges) else None


def chart_of(y: Interval, base: int = 0) -> Chart | None:
    """The chart of readings in the order of time; None where too few of its base are exact.

    Limits come from the first ``base`` readings, or from all of them.
    """
    size = len(y.low)
    base = min(base or size, size)
    own = Interval(y.low[:base], y.high[:base])
    sigma = sigma_within(own)
    if len(own.exact) < LEAST_CHARTED or 2 * len(own.exact) < base or sigma is None:
        return None
    centre, ranges = float(own.exact.mean()), moving_ranges(y)
    mean_range = sigma * D2
    signals = tuple(_signals(y, centre, sigma, ranges, D4 * mean_range)) if sigma > 0 else ()
    return Chart(centre, sigma, mean_range, ranges, base, signals)


def _signals(
    y: Interval, centre: float, sigma: float, ranges: Floats, most_range: float
) -> list[Signal]:
    low, high = (y.low - centre) / sigma, (y.high - centre) / sigma
    found: dict[Rule, list[tuple[int, int]]] = {rule: [] for rule in Rule}
    found[Rule.BEYOND] = [(i, i) for i in np.flatnonzero((low > 3) | (high < -3)).tolist()]
    found[Rule.RANGE] = [(i, i + 1) for i in np.flatnonzero(ranges > most_range).tolist()]
    for reach in (low, -high):  # how far each surely is on one side, and on the other
        found[Rule.SIDE] += _among(reach > 0, 9, 9)
        found[Rule.OUTER] += _among(reach > 2, 2, 3)
        found[Rule.OFF] += _among(reach > 1, 4, 5)
    for moves in (low[1:] > high[:-1], high[1:] < low[:-1]):
        found[Rule.STEADY] += [(first, last + 1) for first, last in _among(moves, 5, 5)]
    return [
        Signal(rule, first, last)
        for rule, stretches in found.items()
        for first, last in _joined(stretches)
    ]


def _among(is_so: Booleans, wanted: int, among: int) -> list[tuple[int, int]]:
    """Where so many among so many in a row are so: from the first such to the last."""
    found = list[tuple[int, int]]()
    for last in np.flatnonzero(is_so).tolist():
        window = is_so[max(0, last - among + 1) : last + 1]
        if int(window.sum()) >= wanted:
            found.append((last - len(window) + 1 + int(np.argmax(window)), last))
    return found


def _joined(stretches: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Stretches that overlap as one, in order."""
    joined = list[tuple[int, int]]()
    for first, last in sorted(stretches):
        if joined and first <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(last, joined[-1][1]))
        else:
            joined.append((first, last))
    return joined
