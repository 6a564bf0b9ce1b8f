"""Ratios that hold on a machine whose speed drifts: both sides in turn, the median of the pairs."""

import statistics
from collections.abc import Callable


def ratio_of_pairs(ours: Callable[[], float], baseline: Callable[[], float], pairs: int) -> float:
    """Measure A B A B … and give the median of A/B; each callable gives its own figure."""
    ours()
    baseline()  # a warm-up of each does not count
    return statistics.median(ours() / baseline() for _ in range(pairs))
