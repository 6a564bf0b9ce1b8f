"""Groups of readings beside one another: nest against nest, instrument against instrument.

Whether a group stands out is asked by Gehan's rank test, in which a censored reading counts
wherever it is surely more or less than another: each reading scores how many are surely less than
it, less how many are surely more.
"""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from loricate.core.trends.observations import Floats, Interval, Observation
from loricate.core.trends.quantiles import Quantile, quantile

LEAST = 5  # readings of a group, before which nothing is said of it
CHANCE = 0.01  # that one of all groups stands out although none differs


@dataclass(frozen=True, slots=True)
class Group:
    """One group beside all others; ``stands_out`` is low, high or empty."""

    name: str
    count: int
    failed: int
    median: Quantile
    score: float | None  # how far its ranks are from the others', in standard deviations
    stands_out: str


def compare(observed: Sequence[Observation], y: Interval, by: str) -> list[Group]:
    """The groups of known observed (``y`` are theirs) by a name, in the order of their names."""
    members: dict[str, list[int]] = {}
    for place, each in enumerate(observed):
        members.setdefault(each.group(by), []).append(place)
    scores = gehan_scores(y)
    asked = sum(len(own) >= LEAST for own in members.values())
    found = []
    for name, own in sorted(members.items(), key=lambda pair: natural(pair[0])):
        score = _standing(scores, own) if len(own) >= LEAST and asked > 1 else None
        edge = NormalDist().inv_cdf(1 - CHANCE / (2 * max(1, asked)))
        is_out = score is not None and abs(score) > edge
        mine = [observed[place] for place in own]
        found.append(
            Group(
                name,
                len(own),
                sum(each.verdict == "fail" for each in mine),
                quantile(mine, 0.5),
                score,
                ("high" if (score or 0) > 0 else "low") if is_out else "",
            )
        )
    return found


def gehan_scores(y: Interval) -> Floats:
    """For each reading, how many are surely less, minus how many are surely more."""
    less = np.searchsorted(np.sort(y.high), y.low, side="left")
    more = len(y.low) - np.searchsorted(np.sort(y.low), y.high, side="right")
    return (less - more).astype(np.float64)


def _standing(scores: Floats, own: Sequence[int]) -> float | None:
    """The sum of a group's scores in standard deviations of a draw by chance."""
    size, count = len(scores), len(own)
    if count == size:
        return None
    variance = count * (size - count) / (size * (size - 1)) * float(scores @ scores)
    return float(scores[list(own)].sum()) / math.sqrt(variance) if variance > 0 else 0.0


def natural(name: str) -> tuple[tuple[int, int, str], ...]:
    """In what order names are listed: numbers in them by their value."""
    return tuple(
        (0, int(part), "") if part.isdecimal() else (1, 0, part.casefold())
        for part in re.split(r"(\d+)", name)
        if part
    )
