"""Runs, units, attempts and readings."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.definitions import StepSummary


class ReadingOut(BaseModel):
    """A reading with its limit. ``value``, ``uncertainty``, ``minimum`` and ``maximum`` are SI."""

    name: str
    value: float | None = Field(description="None when the instrument gave no number")
    unit: str
    bound: str
    uncertainty: float
    text: str = Field(examples=["> 10.00 GΩ"])
    instrument: str
    minimum: float | None
    maximum: float | None
    limit: str = Field(examples=["≤ 200 mΩ"])
    source: str = Field(examples=["IEC 60335-1:2010 Annex A"])
    verdict: str
    cause: str
    margin: float | None = Field(description="Distance to the nearer limit as a fraction of it")


class AttemptOut(BaseModel):
    """One attempt at a step."""

    step_id: str
    number: int
    kind: str
    title: str
    verdict: str
    cause: str
    note: str
    started_at: str
    ended_at: str
    readings: list[ReadingOut]


class UnitOut(BaseModel):
    """A unit's appearance in one run."""

    run_id: str
    nest: str
    serial: str
    product: str
    verdict: str
    cause: str
    certificate: str | None
    certificate_kind: str | None
    sequence_code: str
    sequence_revision: int
    run_state: str
    started_at: str | None
    attempts: list[AttemptOut]


Serial = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]


class LoadPlace(BaseModel):
    """A serial in a nest."""

    model_config = ConfigDict(extra="forbid")

    nest: str = Field(min_length=1, max_length=32)
    serial: Serial


class NewRun(BaseModel):
    """A run to be made: a released sequence on the units in a fixture."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "sequence": "DC40-FINAL",
                    "fixture": "FX-A",
                    "load": [
                        {"nest": "1", "serial": "DC40-26-0117"},
                        {"nest": "2", "serial": "DC40-26-0118"},
                    ],
                }
            ]
        },
    )

    sequence: str
    fixture: str
    load: list[LoadPlace] = Field(min_length=1, max_length=64)
    lot: str = Field(default="", max_length=64)
    retest: str = Field(
        default="", max_length=200, description="Why serials with a verdict are tested again"
    )


class QuestionOut(BaseModel):
    """A question that a nest waits to have answered."""

    nest: str
    question: str
    choices: list[str]


class RunSummary(BaseModel):
    """A run without its units."""

    id: str
    sequence_code: str
    sequence_revision: int
    fixture: str
    lot: str
    state: str = Field(examples=["finished"])
    verdict: str
    created_at: str
    created_by: str
    started_at: str | None
    ended_at: str | None


class RunOut(RunSummary):
    """A run with its units, their attempts and readings."""

    note: str
    steps: list[StepSummary]
    units: list[UnitOut]
    questions: list[QuestionOut]


class AnswerIn(BaseModel):
    """The operator's answer for a nest."""

    model_config = ConfigDict(
        extra="forbid", json_schema_extra={"examples": [{"nest": "1", "choice": "pass"}]}
    )

    nest: str
    choice: str
    note: str = Field(default="", max_length=500)


class UnitFound(BaseModel):
    """One appearance of a unit in a run."""

    serial: str
    product: str
    run_id: str
    nest: str
    verdict: str
    cause: str
    state: str
    sequence_code: str
    sequence_revision: int
    started_at: str | None
    certificate: str | None
    certificate_kind: str | None
