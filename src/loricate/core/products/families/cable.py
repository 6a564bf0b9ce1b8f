"""Cables and harnesses."""

from collections.abc import Mapping
from typing import Annotated, ClassVar

from pydantic import Field

from loricate.core.products.families.section import ACROSS, Expectation, FamilySection
from loricate.core.quantities import Metres


class CableSection(FamilySection):
    """What a cable is made of."""

    expected = (
        Expectation(("continuity", "polarity"), "the conductors of a cable"),
        Expectation(ACROSS, "the insulation between the conductors"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"cord_length": "length"}

    length: Annotated[Metres, Field(gt=0)] | None = Field(
        default=None, title="Length", description="From one end to the other"
    )

    def numbers(self) -> Mapping[str, float]:
        """A limit that grows with the cord grows with the cable itself."""
        return {} if self.length is None else {"cord_length": self.length}
