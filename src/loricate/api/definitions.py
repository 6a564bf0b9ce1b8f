"""Products, limit sets and sequences in short and in full."""

from typing import Any

from pydantic import BaseModel, Field

from loricate.core.cues import Cue

Document = dict[str, Any]


class Stored(BaseModel):
    """A document was stored under this code and revision."""

    code: str = Field(examples=["DC-40"])
    revision: int = Field(examples=[1])


class StepSummary(BaseModel):
    """A step in short, for lists: its limits as text by quantity."""

    id: str
    kind: str
    title: str
    limits: dict[str, str]
    programmed_s: float
    across: str = Field(examples=["each"])
    on_fail: str = Field(examples=["halt_unit"])
    cues: list[Cue]


class SequenceSummary(BaseModel):
    """A sequence's newest revision in short."""

    code: str = Field(examples=["DC40-FINAL"])
    revision: int
    status: str
    title: str
    product: str
    created_at: str
    created_by: str
    steps: list[StepSummary]


class SequenceOut(SequenceSummary):
    """A revision of a sequence with its document."""

    document: Document


class Checked(BaseModel):
    """The document can be run."""

    code: str
    steps: int
    programmed_s: float = Field(description="Programmed time of one unit, in seconds")
