"""Windings: motors, transformers, coils."""

from collections.abc import Mapping
from typing import Annotated, ClassVar

from pydantic import Field

from loricate.core.products.families.section import ACROSS, Expectation, FamilySection
from loricate.core.quantities import Fraction


class WindingSection(FamilySection):
    """What is known of a winding."""

    expected = (
        Expectation(("impedance", "continuity"), "the resistance of a winding"),
        Expectation(ACROSS, "the insulation of a winding"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"short_circuit_impedance": "short_circuit_impedance"}

    short_circuit_impedance: Annotated[Fraction, Field(gt=0, lt=1)] | None = Field(
        default=None, title="Short-circuit impedance", description="Of a transformer, in percent"
    )

    def numbers(self) -> Mapping[str, float]:
        """Its impedance."""
        return (
            {}
            if self.short_circuit_impedance is None
            else {"short_circuit_impedance": self.short_circuit_impedance}
        )
