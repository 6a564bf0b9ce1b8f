"""The headline of a step with many points: of each kind of limit the reading that tells most."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

MANY_POINTS = 40  # fewer are read as they are
_GRAVITY = {"fail": 2, "inconclusive": 1}


@dataclass(frozen=True, slots=True)
class Judged:
    """A judged reading, as far as it matters here.

    ``kind`` is what its limit is for: alike for every reading that is limited alike. ``margin`` is
    a fraction of the limit.
    """

    point: str
    kind: str
    verdict: str
    margin: float | None


@dataclass(frozen=True, slots=True)
class Headline:
    """The reading of a kind that failed by most, else came nearest to its limit.

    ``place`` is which it is among those that were given, ``count`` how many there are of the kind.
    """

    kind: str
    place: int
    count: int


def kind_of(quantity: str, applies: str, limit: str) -> str:
    """What a limit is for: as its limit set says it, else the quantity with its figure."""
    return applies or f"{quantity.replace('_', ' ')} {limit}"


def headlines(readings: Sequence[Judged | None]) -> tuple[Headline, ...]:
    """One reading a kind, in the order of the kinds; none where there are not many points.

    What is None, or of no point, is not judged here and only keeps its place.
    """
    by_kind: dict[str, list[int]] = {}
    for place, reading in enumerate(readings):
        if reading is not None and reading.point:
            by_kind.setdefault(reading.kind, []).append(place)
    if len({each.point for each in readings if each is not None and each.point}) <= MANY_POINTS:
        return ()
    return tuple(
        Headline(kind, _telling(readings, places), len(places)) for kind, places in by_kind.items()
    )


def _telling(readings: Sequence[Judged | None], places: Iterable[int]) -> int:
    def rank(place: int) -> tuple[int, float]:
        reading = readings[place]
        assert reading is not None
        margin = math.inf if reading.margin is None else reading.margin
        return -_GRAVITY.get(reading.verdict, 0), margin

    return min(places, key=rank)
