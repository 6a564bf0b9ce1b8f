"""Readings that never lie: every value carries its bound, its uncertainty and how it came about."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

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


@dataclass(frozen=True, slots=True)
class Doubt:
    """A reason not to believe an instrument: what contradicts what."""

    instrument: str
    text: str


def contradictions(readings: Iterable[Reading]) -> tuple[Doubt, ...]:
    """What no unit can have, among the readings of a step after every correction."""
    found = []
    for reading in readings:
        if not reading.instrument:
            continue  # typed by a person
        if (
            reading.dimension is RESISTANCE
            and reading.bound is not Bound.ABOVE
            and reading.value < -reading.uncertainty
        ):
            name = reading.name.replace("_", " ")
            text = f"made a {name} of {reading.text}, which is less than nothing"
            found.append(Doubt(reading.instrument, text))
        if (
            reading.name == "power_factor"
            and abs(reading.value) > MOST_FACTOR + reading.uncertainty
        ):
            text = f"made a power factor of {reading.text}, which is more than one"
            found.append(Doubt(reading.instrument, text))
    return tuple(found)


def make_reading(
    name: str, value: float, dimension: str, bound: str, uncertainty: float = 0.0
) -> Reading:
    """Build a reading again from its stored parts; KeyError or ValueError on unknown ones."""
    return Reading(name, value, DIMENSIONS[dimension], Bound(bound), uncertainty)


def resistance_of(voltage: Reading, current: Reading, name: str = "resistance") -> Reading:
    """Give R = V/I in Ω with the bounds of both carried through.

    V is the re-measured voltage. A current `below 50 nA` at 500 V gives `above 10 GΩ`; a voltage
    `below 0.1 mV` at 25 A gives `below 4 µΩ`. Where the two bounds pull apart, where either is no
    number, and where the current is exactly zero, which cannot come from an honest meter, R is NaN
    and never passes. The relative uncertainties of V and I add in quadrature (GUM 5.1.6).
    """
    bounds = {voltage.bound, current.bound.flipped} - {Bound.EXACT}
    known = math.isfinite(voltage.value) and math.isfinite(current.value) and current.value != 0
    if len(bounds) > 1 or not known:
        return Reading(name, math.nan, RESISTANCE, instrument=current.instrument)
    value = voltage.value / current.value
    relative = math.hypot(
        voltage.uncertainty / voltage.value if voltage.value else 0.0,
        current.uncertainty / current.value,
    )
    return Reading(
        name,
        value,
        RESISTANCE,
        bound=bounds.pop() if bounds else Bound.EXACT,
        uncertainty=abs(value) * relative
        if voltage.value
        else voltage.uncertainty / abs(current.value),
        instrument=current.instrument,
        conditions=current.conditions,
    )
