"""Readings made for tests of trends."""

import datetime as dt
from collections.abc import Sequence

import numpy as np

from loricate.core.measuring.readings import Bound
from loricate.core.trends.observations import Interval, Observation, intervals
from loricate.core.trends.terms import Scale

BEGIN = dt.datetime(2026, 9, 1, tzinfo=dt.UTC)
OPEN_TOP = "above"


def observed(
    values: Sequence[float | tuple[str, float]],
    minimum: float | None = None,
    maximum: float | None = None,
    hours: float = 1.0,
    **more: str,
) -> list[Observation]:
    """Readings one after another; ``("above", 10e9)`` is one that is only known to be over it."""
    found = []
    for place, value in enumerate(values):
        bound, number = value if isinstance(value, tuple) else ("exact", value)
        at = (BEGIN + dt.timedelta(hours=hours * place)).isoformat()
        found.append(
            Observation(
                f"u{place}",
                at,
                number,
                Bound(bound),
                minimum=minimum,
                maximum=maximum,
                groups=tuple(more.items()),
            )
        )
    return found


def interval(
    values: Sequence[float | tuple[str, float]], scale: Scale = Scale.STRAIGHT
) -> Interval:
    """What is known of readings."""
    return intervals(observed(values), scale)


def scattered(count: int, mean: float = 10.0, sigma: float = 0.3, seed: int = 5) -> list[float]:
    """Normal readings, the same each time."""
    return [float(each) for each in np.random.default_rng(seed).normal(mean, sigma, count)]
