"""Curves: what was seen over time or over another quantity, thinned to what can be kept.

A curve is columns of equal length over an x axis of any quantity. Thinning keeps its ends, its
marks, and in each stretch of the x axis the least and the greatest value of every column: a spike
of one sample survives. Where a sample lacks a quantity its place holds None.
"""

import math
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from itertools import pairwise
from typing import Any, NamedTuple, overload

from loricate.core.measuring.readings import Bound
from loricate.core.quantities import NUMBER, TIME, Dimension

MOST_SAMPLES = 1_000  # of a curve
MOST_IN_ALL = 20_000  # of the curves of one attempt together
MOST_MARKS = 100
LONG = 4_000  # samples from which on they are looked at all at once
DIGITS = 6
COURSE = "course"  # the curve that an output leaves: what was seen of it while it was on
TIME_AXIS = "time"


@dataclass(frozen=True, slots=True)
class Sample:
    """One look at a running output. Times are the instrument's own, in seconds."""

    elapsed_s: float
    remaining_s: float
    phase: str
    values: Mapping[str, float]
    bounds: Mapping[str, Bound] = field(default_factory=dict)


class Block(Sequence[float]):
    """Numbers in one piece of memory, read-only: a record of thousands is no thousands of objects.

    To numpy it is an array; one is the same as another when every number is.
    """

    __slots__ = ("_numbers",)

    def __init__(self, numbers: Any) -> None:
        import numpy as np

        self._numbers = np.array(numbers, dtype=np.float64)
        self._numbers.flags.writeable = False

    def __len__(self) -> int:
        return len(self._numbers)

    @overload
    def __getitem__(self, place: int) -> float: ...
    @overload
    def __getitem__(self, place: slice) -> "Block": ...
    def __getitem__(self, place: int | slice) -> "float | Block":
        found = self._numbers[place]
        return Block(found) if isinstance(place, slice) else float(found)

    def __iter__(self) -> Iterator[float]:
        return iter(self._numbers.tolist())

    def __eq__(self, other: object) -> bool:
        import numpy as np

        return isinstance(other, Block) and np.array_equal(self._numbers, other._numbers)

    def __hash__(self) -> int:
        return hash(len(self._numbers))  # 0 and -0 are the same

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> Any:
        return self._numbers.astype(dtype or self._numbers.dtype, copy=bool(copy))

    @property
    def are_numbers(self) -> bool:
        """Whether none of them is infinite or not a number."""
        import numpy as np

        return bool(np.isfinite(self._numbers).all())


def evenly(start: float, step: float, count: int) -> Block:
    """So many places of an axis, each a step after the one before."""
    import numpy as np

    return Block(start + step * np.arange(count))


@dataclass(frozen=True, slots=True)
class Column:
    """One quantity of a curve, in SI units of its dimension."""

    name: str
    dimension: Dimension
    values: Sequence[float | None]


class Mark(NamedTuple):
    """A place on the x axis that has a name: where a phase begins, when a pulse came."""

    x: float
    text: str


class Drawn(StrEnum):
    """How a curve is shown: as a line, as points and the straight line through them, in figures."""

    LINE = "line"
    POINTS = "points"
    TABLE = "table"


@dataclass(frozen=True, slots=True)
class Curve:
    """Columns over an x axis; ``repetition`` counts from 1 where the step is repeated."""

    name: str
    x: Column
    columns: tuple[Column, ...]
    point: str = ""
    marks: tuple[Mark, ...] = ()
    repetition: int = 1
    drawn: Drawn = Drawn.LINE

    def __post_init__(self) -> None:
        if any(len(column.values) != len(self.x.values) for column in self.columns):
            raise ValueError(f"The columns of curve {self.name} are not as long as its x axis.")

    def __len__(self) -> int:
        return len(self.x.values)

    def __bool__(self) -> bool:
        """Whether there is a curve to draw: one sample is none."""
        return len(self) > 1


def course_of(
    samples: Sequence[Sample], dimensions: Mapping[str, Dimension], point: str = ""
) -> Curve:
    """The curve of an output by its samples in order; each phase's beginning is a mark.

    The range that a meter read on is no course of anything.
    """
    names = dict.fromkeys(
        name for sample in samples for name in sample.values if not name.endswith("_range")
    )
    marks: list[Mark] = []
    for sample in samples:
        if not marks or marks[-1].text != sample.phase:
            marks.append(Mark(sample.elapsed_s, sample.phase))
    return Curve(
        COURSE,
        Column(TIME_AXIS, TIME, tuple(sample.elapsed_s for sample in samples)),
        tuple(
            Column(
                name,
                dimensions.get(name, NUMBER),
                tuple(sample.values.get(name) for sample in samples),
            )
            for name in names
        ),
        point,
        tuple(marks),
    )


def thinned(curve: Curve, most: int = MOST_SAMPLES) -> Curve:
    """The curve in at most ``most`` samples, each value to six significant digits."""
    marks = curve.marks[:MOST_MARKS]
    kept = chosen([column.values for column in curve.columns], curve.x.values, marks, most)
    x = replace(curve.x, values=tuple(_rounded(curve.x.values[index]) for index in kept))
    columns = tuple(
        replace(column, values=tuple(_rounded(column.values[index]) for index in kept))
        for column in curve.columns
    )
    near = tuple(Mark(_rounded(mark.x) or 0.0, mark.text) for mark in marks)
    return replace(curve, x=x, columns=columns, marks=near)


def thinned_together(curves: Sequence[Curve]) -> tuple[Curve, ...]:
    """The curves of one attempt, so that all of them together stay in bounds."""
    drawn = [curve for curve in curves if curve]
    most = min(MOST_SAMPLES, MOST_IN_ALL // len(drawn)) if drawn else MOST_SAMPLES
    return tuple(thinned(curve, most) for curve in drawn)


def chosen(
    columns: Sequence[Sequence[float | None]],
    x: Sequence[float | None],
    marks: Iterable[Mark],
    most: int,
) -> list[int]:
    """The places of the samples to keep, in order: ends, marks, the extremes of each stretch."""
    count = len(x)
    if count <= most:
        return list(range(count))
    if count > LONG:
        return _chosen_of_many(columns, x, marks, most)
    places = [value if value is not None and math.isfinite(value) else math.nan for value in x]
    is_rising = all(earlier <= later for earlier, later in pairwise(places))
    if not is_rising:
        places = [float(index) for index in range(count)]
    kept = {0, count - 1}
    if is_rising:
        kept |= {min(bisect_left(places, mark.x), count - 1) for mark in marks}
    stretches = max(1, (most - len(kept)) // (2 * max(1, len(columns))))
    begin, span = places[0], places[-1] - places[0]
    stretch_of = [
        min(stretches - 1, int((place - begin) / span * stretches)) if span else 0
        for place in places
    ]
    for column in columns:
        lowest: dict[int, tuple[float, int]] = {}
        highest: dict[int, tuple[float, int]] = {}
        for index, value in enumerate(column):
            if value is None or not math.isfinite(value):
                continue
            stretch = stretch_of[index]
            if stretch not in lowest or value < lowest[stretch][0]:
                lowest[stretch] = (value, index)
            if stretch not in highest or value > highest[stretch][0]:
                highest[stretch] = (value, index)
        kept.update(index for _, index in (*lowest.values(), *highest.values()))
    return sorted(kept)[:most]


def _chosen_of_many(
    columns: Sequence[Sequence[float | None]],
    x: Sequence[float | None],
    marks: Iterable[Mark],
    most: int,
) -> list[int]:
    """The same for what has thousands of samples, such as a pulse that rings."""
    import numpy as np

    count = len(x)
    places = np.asarray(x, dtype=np.float64)
    is_rising = bool(np.isfinite(places).all() and (np.diff(places) >= 0).all())
    kept = {0, count - 1}
    if is_rising:
        at = np.searchsorted(places, [mark.x for mark in marks])
        kept |= set(np.minimum(at, count - 1).tolist())
    else:
        places = np.arange(count, dtype=np.float64)
    stretches = max(1, (most - len(kept)) // (2 * max(1, len(columns))))
    edges = np.linspace(places[0], places[-1], stretches + 1)
    begins = np.unique(np.searchsorted(places, edges[:-1]))
    lengths = np.diff(np.append(begins, count))
    for column in columns:
        values = np.asarray(column, dtype=np.float64)
        is_number = np.isfinite(values)
        for farthest, extreme in ((np.inf, np.minimum), (-np.inf, np.maximum)):
            filled = np.where(is_number, values, farthest)
            best = np.repeat(extreme.reduceat(filled, begins), lengths)
            at = np.flatnonzero((filled == best) & is_number)
            # Of several that are as far out the first of its stretch.
            _, first = np.unique(np.searchsorted(begins, at, side="right"), return_index=True)
            kept |= set(at[first].tolist())
    return sorted(kept)[:most]


@dataclass(slots=True)
class Thinner:
    """Collects the samples of an output however long it is on; twice ``most`` at any time."""

    most: int = MOST_SAMPLES
    samples: list[Sample] = field(default_factory=list)

    def add(self, sample: Sample) -> None:
        """Take a sample in."""
        self.samples.append(sample)
        if len(self.samples) >= 2 * self.most:
            self.samples = self.thin()

    def thin(self) -> list[Sample]:
        """What is kept so far, in at most ``most`` samples."""
        curve = course_of(self.samples, {})
        columns = [column.values for column in curve.columns]
        kept = chosen(columns, curve.x.values, curve.marks, self.most)
        return [self.samples[index] for index in kept]


def _rounded(value: float | None) -> float | None:
    """To six significant digits, however small it is."""
    return None if value is None or not math.isfinite(value) else float(f"{value:.{DIGITS}g}")
