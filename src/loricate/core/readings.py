"""Readings that never lie: every value carries its bound, its uncertainty and how it came about."""

import math
from dataclasses import dataclass
from enum import StrEnum

from loricate.core.quantities import DIMENSIONS, RESISTANCE, Dimension, display


class Bound(StrEnum):
    """How a reading's value stands to the truth."""

    EXACT = "exact"
    BELOW = "below"  # the truth is under the value: the meter's floor
    ABOVE = "above"  # the truth is over the value: the meter's range

    @property
    def flipped(self) -> "Bound":
        """The bound of a quotient whose divisor has this bound."""
        return {Bound.BELOW: Bound.ABOVE, Bound.ABOVE: Bound.BELOW}.get(self, self)


@dataclass(frozen=True, slots=True)
class Reading:
    """One measured quantity. ``value`` and ``uncertainty`` (expanded, k = 2) are in SI units.

    ``as_measured`` is what the instrument gave before the fixture's zero was taken off; None when
    nothing was.
    """

    name: str
    value: float
    dimension: Dimension
    bound: Bound = Bound.EXACT
    uncertainty: float = 0.0
    instrument: str = ""
    conditions: str = ""
    as_measured: float | None = None

    @property
    def text(self) -> str:
        """The value for people, bound included: ``> 10.00 GΩ``."""
        sign = {Bound.EXACT: "", Bound.BELOW: "< ", Bound.ABOVE: "> "}[self.bound]
        return sign + display(self.value, self.dimension)


def make_reading(
    name: str, value: float, dimension: str, bound: str, uncertainty: float = 0.0
) -> Reading:
    """Build a reading again from its stored parts; KeyError or ValueError on unknown ones."""
    return Reading(name, value, DIMENSIONS[dimension], Bound(bound), uncertainty)


def resistance_of(voltage: Reading, current: Reading, name: str = "resistance") -> Reading:
    """Give R = V/I in Ω with the current's bound carried through.

    V is the re-measured voltage. A current `below 50 nA` at 500 V gives `above 10 GΩ`. The relative
    uncertainties of V and I add in quadrature (GUM 5.1.6). A current of exactly zero cannot come
    from an honest meter and gives NaN, which never passes. The voltage must be exact.
    """
    if voltage.bound is not Bound.EXACT:
        return Reading(name, math.nan, RESISTANCE, instrument=current.instrument)
    if current.value == 0 or not math.isfinite(current.value):
        return Reading(name, math.nan, RESISTANCE, instrument=current.instrument)
    value = abs(voltage.value / current.value)
    relative = math.hypot(
        voltage.uncertainty / voltage.value if voltage.value else 0.0,
        current.uncertainty / current.value,
    )
    return Reading(
        name,
        value,
        RESISTANCE,
        bound=current.bound.flipped,
        uncertainty=value * relative,
        instrument=current.instrument,
        conditions=current.conditions,
    )
