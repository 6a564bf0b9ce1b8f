"""Observations: readings of one measurand from many attempts, as statistics take them.

A reading under a floor or over a range is censored: all that is known is on which side of its value
the truth lies. It is never a number in a mean, a spread or a line.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loricate.core.measuring.grading import Cause
from loricate.core.measuring.readings import Bound
from loricate.core.quantities import RESISTANCE, Dimension
from loricate.core.trends.terms import Scale

Floats = NDArray[np.float64]
Booleans = NDArray[np.bool_]
A_DECADE = 10.0
# Causes of an attempt after which nothing is learnt from its readings: the instrument may have
# lied, or the step did not come to its end.
NOT_BELIEVED = frozenset(
    {
        Cause.IMPLAUSIBLE,
        Cause.INSTRUMENT,
        Cause.OVERSTRESS,
        Cause.LEVEL_NOT_REACHED,
        Cause.ABORTED,
        Cause.INTERRUPTED,
        Cause.GUARD_OPEN,
    }
)


@dataclass(frozen=True, slots=True)
class Observation:
    """One reading of one attempt, SI units; ``value`` is NaN where it was no number.

    ``groups`` are the names that it can be sorted by (product, lot, nest, instrument, ...).
    """

    id: str  # of the unit in its run, or of the check
    at: str  # RFC 3339, UTC
    value: float
    bound: Bound = Bound.EXACT
    uncertainty: float = 0.0
    minimum: float | None = None
    maximum: float | None = None
    verdict: str = ""
    cause: Cause = Cause.NONE  # of its attempt
    serial: str = ""
    number: int = 1
    repetition: int = 1
    groups: tuple[tuple[str, str], ...] = ()

    @property
    def is_known(self) -> bool:
        """Whether something is known of the truth: it was read, and nothing spoke against it."""
        return math.isfinite(self.value) and self.cause not in NOT_BELIEVED

    def group(self, name: str) -> str:
        """Its name of one sort; empty where it has none."""
        return dict(self.groups).get(name, "")


@dataclass(frozen=True, slots=True)
class Interval:
    """Between what the truth of each reading lies, in the scale it is reckoned in.

    ``low`` and ``high`` are equal where the reading is exact; infinite on the side that is open.
    """

    low: Floats
    high: Floats

    @property
    def is_exact(self) -> Booleans:
        """Which readings are numbers."""
        found: Booleans = self.low == self.high
        return found

    @property
    def exact(self) -> Floats:
        """The numbers among them, in their order."""
        return self.low[self.is_exact]


def known(observed: Sequence[Observation]) -> list[Observation]:
    """Those of which something is known."""
    return [each for each in observed if each.is_known]


def usual_scale(observed: Sequence[Observation], dimension: Dimension) -> Scale:
    """Decades where resistances spread over one or more and all are above zero."""
    values = [each.value for each in observed if each.is_known]
    if dimension is not RESISTANCE or not values or min(values) <= 0:
        return Scale.STRAIGHT
    return Scale.DECADES if max(values) >= A_DECADE * min(values) else Scale.STRAIGHT


def fits_scale(observed: Sequence[Observation], scale: Scale) -> bool:
    """Whether every known one has a place in a scale: nothing has a logarithm at or below 0."""
    return scale is Scale.STRAIGHT or all(each.value > 0 for each in observed if each.is_known)


def scaled(value: float, scale: Scale) -> float:
    """A value in the scale that it is reckoned in."""
    return value if scale is Scale.STRAIGHT else math.log10(value)


def unscaled(value: float, scale: Scale) -> float:
    """What a value in a scale is in SI units; beyond what a float holds, infinite."""
    if scale is Scale.STRAIGHT:
        return value
    return 10.0**value if value < 300 else math.inf


def scaled_limit(limit: float | None, scale: Scale) -> float | None:
    """A limit in a scale; None where there is none, or where nothing in the scale can meet it."""
    if limit is None or (scale is Scale.DECADES and limit <= 0):
        return None
    return scaled(limit, scale)


def intervals(observed: Sequence[Observation], scale: Scale) -> Interval:
    """Between what the truth of each known sample lies.

    What is only known to be over a value lies above it, however little: it is never equal to it.
    """
    values = np.array([scaled(each.value, scale) for each in observed], dtype=np.float64)
    above = np.array([each.bound is Bound.ABOVE for each in observed], dtype=bool)
    below = np.array([each.bound is Bound.BELOW for each in observed], dtype=bool)
    low = np.where(below, -np.inf, np.where(above, np.nextafter(values, np.inf), values))
    high = np.where(above, np.inf, np.where(below, np.nextafter(values, -np.inf), values))
    return Interval(low, high)
