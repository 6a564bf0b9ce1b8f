"""Medical devices: what touches the patient (IEC 60601-1)."""

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits.limit import Code
from loricate.core.products.families.section import Expectation, FamilySection, Terminal


class AppliedPart(BaseModel):
    """A part that touches the patient (IEC 60601-1): its type and connections."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code = Field(title="Name")
    type: Literal["B", "BF", "CF"] = Field(title="Type")
    defibrillation_proof: bool = Field(default=False, title="Defibrillation-proof")
    terminals: tuple[Terminal, ...] = Field(
        min_length=1, title="Connections", description="The terminals that lead to it"
    )

    @property
    def is_floating(self) -> bool:
        """Whether it is of an F-type: isolated from earth, so that mains can come to it."""
        return self.type != "B"


class AccessiblePart(BaseModel):
    """Metal that anybody may touch, by the terminal that leads to it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    terminal: Terminal = Field(title="Terminal")
    earthed: bool = Field(default=False, title="Protectively earthed")


class MedicalSection(FamilySection):
    """What a medical device has that others have not."""

    expected = (
        Expectation(("withstand",), "the insulation of medical equipment at its level"),
        Expectation(("leakage",), "the leakage currents of medical equipment"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"applied_parts": "applied_parts"}

    applied_parts: tuple[AppliedPart, ...] = Field(default=(), title="Applied parts")
    accessible_parts: tuple[AccessiblePart, ...] = Field(
        default=(), title="Accessible parts", description="Metal that anybody may touch"
    )

    def words(self) -> Mapping[str, tuple[str, ...]]:
        """The types of all its applied parts."""
        return {"applied_part": tuple(sorted({part.type for part in self.applied_parts}))}

    def reached(self) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
        """Each applied part, by its connections, and each accessible one."""
        for index, part in enumerate(self.applied_parts):
            yield f"applied_parts[{index}].terminals", part.terminals
        for index, touched in enumerate(self.accessible_parts):
            yield f"accessible_parts[{index}].terminal", (touched.terminal,)
