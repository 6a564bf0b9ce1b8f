"""Readings that never lie: every value carries its bound, its uncertainty and how it came about.

What is measured of a unit is a quantity at a point: the resistance of one path, the current of one
applied part. Where a step measures the unit as a whole the point is empty.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import NamedTuple

from loricate.core.quantities import DIMENSIONS, RESISTANCE, Dimension, display

MOST_FACTOR = 1.01  # a power factor is at most 1; a hundredth for what rounding makes of it


class Bound(StrEnum):
    """How a reading's value stands to the truth."""

    EXACT = "exact"
    BELOW = "below"  # the truth is under the value: the meter's floor
    ABOVE = "above"  # the truth is over the value: the meter's range

    @property
    def flipped(self) -> "Bound":
        """The bound of a quotient whose divisor has this bound."""
        return {Bound.BELOW: Bound.ABOVE, Bound.ABOVE: Bound.BELOW}.get(self, self)


class Measurand(NamedTuple):
    """What is measured: a quantity, and of which point of the unit (empty: of the whole)."""

    quantity: str
    point: str = ""

    def __str__(self) -> str:
        return f"{self.quantity.replace('_', ' ')} {self.point}".strip()


class Correction(NamedTuple):
    """What was corrected for (``zero``, ``supply``, ``temperature``), and the value before it.

    ``how`` is the formula with its constants and what it refers to, where there is more to say.
    """

    what: str
    before: float
    how: str = ""


@dataclass(frozen=True, slots=True)
class Reading:
    """One measured quantity. ``value`` and ``uncertainty`` (expanded, k = 2) are in SI units.

    ``corrections`` are what was done to it since the instrument gave it, in their order; the first
    one's value is as measured.
    """

    quantity: str
    value: float
    dimension: Dimension
    point: str = ""
    bound: Bound = Bound.EXACT
    uncertainty: float = 0.0
    instrument: str = ""
    corrections: tuple[Correction, ...] = ()

    @property
    def measurand(self) -> Measurand:
        """What it is a reading of."""
        return Measurand(self.quantity, self.point)

    @property
    def name(self) -> str:
        """What it is a reading of, for people: ``resistance A to B``."""
        return str(self.measurand)

    @property
    def text(self) -> str:
        """The value for people, bound included: ``> 10.00 GΩ``."""
        sign = {Bound.EXACT: "", Bound.BELOW: "< ", Bound.ABOVE: "> "}[self.bound]
        return sign + display(self.value, self.dimension)

    def at(self, point: str) -> "Reading":
        """The same reading, said of a point."""
        return replace(self, point=point)

    def corrected(self, what: str, value: float, uncertainty: float, how: str = "") -> "Reading":
        """The reading after a correction; the value before it is kept."""
        done = (*self.corrections, Correction(what, self.value, how))
        return replace(self, value=value, uncertainty=uncertainty, corrections=done)


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reason not to believe an instrument: what contradicts what."""

    instrument: str
    text: str


def contradictions(readings: Iterable[Reading]) -> tuple[Doubt, ...]:
    """What no unit can have, among the readings of a step after every correction."""
    doubts = []
    for reading in readings:
        if not reading.instrument:
            continue  # typed by a person
        if (
            reading.dimension is RESISTANCE
            and reading.bound is not Bound.ABOVE
            and reading.value < -reading.uncertainty
        ):
            text = f"made a {reading.name} of {reading.text}, which is less than nothing"
            doubts.append(Doubt(reading.instrument, text))
        if (
            reading.quantity == "power_factor"
            and abs(reading.value) > MOST_FACTOR + reading.uncertainty
        ):
            text = f"made a power factor of {reading.text}, which is more than one"
            doubts.append(Doubt(reading.instrument, text))
    return tuple(doubts)


def shown_value(value: float | None, dimension: str, bound: str) -> str:
    """A stored value for people; what is no number says so."""
    if value is None:
        return "not a number"
    return Reading("", value, DIMENSIONS[dimension], bound=Bound(bound)).text


def resistance_of(voltage: Reading, current: Reading, quantity: str = "resistance") -> Reading:
    """Give R = V/I in Ω with the bounds of both carried through.

    V is the re-measured voltage. A current `below 50 nA` at 500 V gives `above 10 GΩ`; a voltage
    `below 0.1 mV` at 25 A gives `below 4 µΩ`. Where the two bounds pull apart, where either is no
    number, and where the current is exactly zero, which cannot come from an honest meter, R is NaN
    and never passes. The relative uncertainties of V and I add in quadrature (GUM 5.1.6).
    """
    bounds = {voltage.bound, current.bound.flipped} - {Bound.EXACT}
    known = math.isfinite(voltage.value) and math.isfinite(current.value) and current.value != 0
    if len(bounds) > 1 or not known:
        return Reading(quantity, math.nan, RESISTANCE, instrument=current.instrument)
    value = voltage.value / current.value
    relative = math.hypot(
        voltage.uncertainty / voltage.value if voltage.value else 0.0,
        current.uncertainty / current.value,
    )
    return Reading(
        quantity,
        value,
        RESISTANCE,
        point=current.point,
        bound=bounds.pop() if bounds else Bound.EXACT,
        uncertainty=abs(value) * relative
        if voltage.value
        else voltage.uncertainty / abs(current.value),
        instrument=current.instrument,
    )
