"""Facts: what limit sets may ask of a product, and of one point of it.

A product has several parts of a kind, applied parts for instance, and its facts name the sort of
each. A point is one of them, and only its own sort holds there.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from loricate.core.quantities import (
    CAPACITANCE,
    CURRENT,
    FREQUENCY,
    LENGTH,
    NUMBER,
    POWER,
    RATIO,
    VOLTAGE,
    Dimension,
)

WORDS = ("family", "protection_class", "cord", "mobility", "traits", "applied_part", "wound")
NUMBERS: Mapping[str, Dimension] = {
    "supply_voltage": VOLTAGE,
    "supply_frequency": FREQUENCY,
    "rated_power": POWER,
    "rated_current": CURRENT,
    "cord_length": LENGTH,
    "filter_capacitance": CAPACITANCE,
    "short_circuit_impedance": RATIO,
    "thermal_class": NUMBER,
}


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known: words by name, figures (SI) by name; what is not known is not there.

    ``of`` names the product in sentences.
    """

    of: str
    words: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    numbers: Mapping[str, float] = field(default_factory=dict)

    def at(self, own: Mapping[str, str]) -> "Facts":
        """The facts at a point that has some of its own."""
        words = {name: (word,) for name, word in own.items() if name in WORDS}
        return replace(self, words={**self.words, **words}) if words else self

    def word(self, name: str) -> tuple[str, ...]:
        """The words of a fact; none where it is not known."""
        return self.words.get(name, ())
