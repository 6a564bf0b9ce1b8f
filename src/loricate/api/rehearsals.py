"""Rehearsals: steps tried on one nest, of which nothing is kept."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.definitions import Document, StepSummary
from loricate.api.records import AttemptOut, QuestionOut


class NewRehearsal(BaseModel):
    """A sequence document, as it is being written, to be tried on one nest."""

    model_config = ConfigDict(extra="forbid", strict=True)

    document: Document
    fixture: str
    nest: str
    steps: list[str] = Field(
        default=[], max_length=200, description="Their ids; every step by default"
    )


class RehearsalOut(BaseModel):
    """A rehearsal and what it measured. It is gone with the service, or after some others."""

    id: str
    sequence: str
    fixture: str
    nest: str
    account: str
    state: str = Field(examples=["ready"], description="ready, running, finished, aborted")
    verdict: str
    note: str
    highest_v: float = Field(description="The highest voltage that the steps ask for, in V")
    steps: list[StepSummary]
    unjudged: list[str] = Field(description="Steps without a limit to be judged by")
    attempts: list[AttemptOut]
    questions: list[QuestionOut]


class Taking(BaseModel):
    """A reading of a rehearsal to be taken over into its step."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [
                {"step": "earth", "quantity": "resistance", "use": "maximum", "allowance": "20 %"}
            ]
        },
    )

    step: str
    quantity: str
    point: str = Field(
        default="", description="Of a step that measures several; * for each of them"
    )
    repetition: int = Field(default=1, ge=1)
    use: Literal["minimum", "maximum", "nominal"]
    allowance: str = Field(
        default="",
        description="How far the limit stands off, of the reading: 20 % by default; for a nominal "
        "value its tolerance, by default what is usual, or three times the reading's uncertainty",
    )


class TakenOut(BaseModel):
    """One value to be written into the step: the way to it, and the value with its unit."""

    path: list[str | int] = Field(examples=[["limits", "resistance", "maximum"]])
    value: str = Field(examples=["62.6 mΩ"])
