"""Runs, units, attempts and readings."""

from typing import Annotated, Literal

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
    outcome: str = Field(
        description="With a guard band: pass, conditional pass, conditional fail or fail"
    )
    margin: float | None = Field(description="Distance to the nearer limit as a fraction of it")
    as_measured: float | None = Field(
        description="The value before the fixture's zero was taken off; None when nothing was"
    )
    as_measured_text: str
    repetition: int = Field(description="Counts from 1 where the step is repeated")


class RepetitionOut(BaseModel):
    """What came of one repetition of a step within an attempt."""

    number: int
    verdict: str
    cause: str


class AttemptOut(BaseModel):
    """One attempt at a step."""

    step_id: str
    number: int
    kind: str
    title: str
    verdict: str
    cause: str
    note: str
    reason: str = Field(description="Why the step was done again")
    started_at: str
    ended_at: str
    has_trace: bool
    readings: list[ReadingOut]
    repetitions: list[RepetitionOut] = Field(description="Empty where the step is done once")


class AnswerOut(BaseModel):
    """An operator's answer as kept."""

    step_id: str
    attempt: int
    moment: str = Field(examples=["before"])
    question: str
    choice: str
    note: str
    account: str
    answered_at: str
    picture: str | None = Field(description="Digest of its picture")


class RemarkOut(BaseModel):
    """A remark on a unit, or on one of its steps."""

    step_id: str
    text: str
    picture: str | None = Field(description="Digest of its picture")
    account: str
    made_at: str


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
    due: list[str] = Field(description="Steps asked for again and not done since")
    answers: list[AnswerOut]
    remarks: list[RemarkOut]
    not_certified: list[str] = Field(
        default=[], description="Why a unit that passed has no certificate: what its gate lacks"
    )


Serial = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]


Digest = Annotated[str, Field(pattern="^([0-9a-f]{64})?$")]


class LoadPlace(BaseModel):
    """A serial in a nest."""

    model_config = ConfigDict(extra="forbid", strict=True)

    nest: str = Field(min_length=1, max_length=32)
    serial: Serial


class NewRun(BaseModel):
    """A run to be made: a released sequence on the units in a fixture."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
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
    start_by: Literal["key", "foot", "presence"] = Field(
        default="key",
        description="What starts it once it is armed: the start call, the foot switch, or a unit "
        "in every nest that is on",
    )


class QuestionOut(BaseModel):
    """A question that a nest, or the whole load (``all``), waits to have answered."""

    number: int
    nest: str
    step: str
    moment: str = Field(examples=["check"])
    question: str
    choices: list[str]
    note_for: list[str] = Field(description="The choices that need a note with them")
    picture: str
    quantity: str = Field(description="With one, the answer is a figure with its unit")
    target: str = Field(description="The figure to offer first")
    hands_in: bool = Field(
        default=False, description="Somebody reaches into the fixture for it, or says that he left"
    )
    photo: str = Field(
        description="What a photo is to the figure: none, beside (needed), instead (may stand)"
    )


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
    start_by: str
    notices: list[str] = Field(description="What stands in the way of certificates")
    steps: list[StepSummary]
    units: list[UnitOut]
    questions: list[QuestionOut]


class AnswerIn(BaseModel):
    """The operator's answer for a nest."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"nest": "1", "choice": "pass"}]},
    )

    nest: str
    choice: str
    note: str = Field(default="", max_length=500)
    question: int | None = Field(
        default=None, description="The number of the question; by default the first for the nest"
    )
    picture: Digest = Field(default="", description="Digest of a picture that was sent before")


class NewRepeat(BaseModel):
    """A failed unit, or one failed step of it, to be done again."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [{"nest": "3", "step": "earth", "reason": "earth pin cleaned"}]
        },
    )

    nest: str
    step: str = Field(default="", description="Empty: the whole unit")
    reason: str = Field(min_length=1, max_length=200)


class NewRemark(BaseModel):
    """A remark on a unit in a run, or on one of its steps."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"nest": "3", "text": "Insulator cracked at the edge"}]},
    )

    nest: str
    step: str = ""
    text: str = Field(min_length=1, max_length=1000)
    picture: Digest = Field(default="", description="Its digest")


class PictureOut(BaseModel):
    """A picture as the service keeps it."""

    digest: str = Field(description="SHA-256 of the re-encoded file; its name from now on")
    media_type: str
    width: int
    height: int
    bytes: int


class TraceColumn(BaseModel):
    """One quantity of a trace in SI units, with the limits of the step on it."""

    name: str
    unit: str
    values: list[float | None]
    minimum: float | None
    maximum: float | None


class TracePhase(BaseModel):
    """Where a phase of the output begins, in seconds."""

    begins_s: float
    name: str


class TraceOut(BaseModel):
    """The curves of one attempt against the instrument's own time."""

    serial: str
    step_id: str
    title: str
    number: int
    elapsed_s: list[float]
    columns: list[TraceColumn]
    phases: list[TracePhase]


class UnitFound(BaseModel):
    """One appearance of a unit in a run; ``id`` asks for those before it."""

    id: str
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
