"""Resistances as they would be at a reference temperature.

Conductors: R_ref = R·(k + T_ref)/(k + T), with the inferred temperature of no resistance k (°C,
without its sign). Source: IEEE 112 and 118, IEC 60335-1 (copper 234.5), IEC 60034-1 and 60076-1
(copper 235), aluminium 225.

Insulation: R_40 = K·R. Source: IEEE 43-2013, 6.3, which gives no figure outside its ranges; nothing
is extrapolated here.
"""

import math
from dataclasses import dataclass, replace
from enum import StrEnum

from loricate.core.errors import CoreError
from loricate.core.measuring.readings import Reading

ABSOLUTE_C = 273.0  # as the standard rounds it
TO_C = 40.0  # what insulation is corrected to


class OutsideFormula(CoreError):
    """A temperature is outside of what a formula is given for."""

    def __init__(self, formula: str, temperature_c: float, least_c: float, most_c: float) -> None:
        super().__init__(formula, temperature_c, least_c, most_c)
        self.formula, self.temperature_c = formula, temperature_c
        self.least_c, self.most_c = least_c, most_c

    def __str__(self) -> str:
        return (
            f"The correction {self.formula} is given from {self.least_c:g} to {self.most_c:g} °C, "
            f"and the unit has {self.temperature_c:g} °C: the reading stays as measured."
        )


class Conductor(StrEnum):
    """What a winding is wound of, and whose figure for it is taken."""

    COPPER = "copper"
    COPPER_IEC = "copper_iec"
    ALUMINIUM = "aluminium"

    @property
    def k_c(self) -> float:
        """The inferred temperature of no resistance, in °C, without its sign."""
        return {"copper": 234.5, "copper_iec": 235.0, "aluminium": 225.0}[self]

    @property
    def source(self) -> str:
        """Who gives that figure."""
        return {
            "copper": "IEEE 112, IEC 60335-1",
            "copper_iec": "IEC 60034-1, IEC 60076-1",
            "aluminium": "IEC 60034-1, IEC 60076-1",
        }[self]


# A straight line holds for metals that are neither very cold nor near melting; no winding that is
# tested is outside of this, a thermometer that has come off its unit may be.
LEAST_C, MOST_C = -50.0, 250.0


class Insulant(StrEnum):
    """What a winding is insulated with, as the correction of its insulation distinguishes it."""

    THERMOPLASTIC = "thermoplastic"
    THERMOSETTING = "thermosetting"


INSULATION_LEAST_C, INSULATION_MOST_C = 10.0, 85.0


@dataclass(frozen=True, slots=True)
class Corrected:
    """A factor, and in one line where it comes from: formula, constant, both temperatures.

    ``per_kelvin`` is how much of itself the factor changes when the unit is a kelvin warmer.
    """

    factor: float
    how: str
    per_kelvin: float


def conductor_factor(conductor: Conductor, unit_c: float, reference_c: float) -> Corrected:
    """What a resistance at ``unit_c`` is multiplied with to have it at ``reference_c``.

    1.2345 Ω at 31.7 °C: 1.180 Ω at 20 °C, 1.203 Ω at 25 °C. Raises OutsideFormula.
    """
    _check("of conductors", unit_c, LEAST_C, MOST_C)
    _check("of conductors", reference_c, LEAST_C, MOST_C)
    k_c = conductor.k_c
    how = (
        f"(k + {reference_c:g})/(k + {unit_c:g}), k = {k_c:g} °C ({conductor.source}), "
        f"from {unit_c:g} °C to {reference_c:g} °C"
    )
    return Corrected((k_c + reference_c) / (k_c + unit_c), how, 1 / (k_c + unit_c))


def as_corrected(
    reading: Reading, corrected: Corrected, temperature: Reading, quantity: str
) -> Reading:
    """A resistance at the reference temperature, with what the thermometer adds to its U."""
    own = reading.uncertainty / reading.value if reading.value else 0.0
    relative = math.hypot(own, corrected.per_kelvin * temperature.uncertainty)
    value = reading.value * corrected.factor
    named = replace(reading, quantity=quantity)
    return named.corrected("temperature", value, abs(value) * relative, corrected.how)


def insulation_factor(insulant: Insulant, unit_c: float) -> Corrected:
    """What an insulation resistance at ``unit_c`` is multiplied with to have it at 40 °C.

    850 MΩ at 25 °C: 300.5 MΩ thermoplastic, 695.8 MΩ thermosetting. Raises OutsideFormula.
    """
    _check(f"of {insulant} insulation", unit_c, INSULATION_LEAST_C, INSULATION_MOST_C)
    at = f"(IEEE 43-2013), from {unit_c:g} °C to {TO_C:g} °C"
    if insulant is Insulant.THERMOPLASTIC:
        factor = 0.5 ** ((TO_C - unit_c) / 10)
        return Corrected(factor, f"K = 0.5^((40 - {unit_c:g})/10) {at}", math.log(2) / 10)
    kelvin = 4230.0 if unit_c >= TO_C else 1245.0
    factor = math.exp(-kelvin * (1 / (unit_c + ABSOLUTE_C) - 1 / (TO_C + ABSOLUTE_C)))
    how = f"K = exp(-{kelvin:g}·(1/({unit_c:g} + 273) - 1/313)) {at}"
    return Corrected(factor, how, kelvin / (unit_c + ABSOLUTE_C) ** 2)


def _check(formula: str, temperature_c: float, least_c: float, most_c: float) -> None:
    if not least_c <= temperature_c <= most_c:  # what is no number is outside as well
        raise OutsideFormula(formula, temperature_c, least_c, most_c)
