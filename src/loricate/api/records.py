"""Runs, units, attempts and readings."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.definitions import StepSummary
from loricate.api.line import LineOut
from loricate.core.attempts import RunState
from loricate.core.measuring.actions import Answer, Beside
from loricate.core.measuring.curves import Drawn
from loricate.core.measuring.grading import Band, Cause, Verdict
from loricate.core.measuring.readings import Bound, Measurand
from loricate.core.planning.line import LineOptions
from loricate.core.products.families.section import Occasion

Graded = Verdict | Literal[""]  # of a reading: empty where no limit was held against it


class CorrectionOut(BaseModel):
    """What was corrected for, and the value before it in the reading's unit."""

    what: str = Field(examples=["zero"])
    before: float | None
    text: str
    how: str = Field(default="", description="Formula, constants and reference, where there is one")


class ReadingOut(BaseModel):
    """A reading with its limit. ``value``, ``uncertainty``, ``minimum`` and ``maximum`` are SI."""

    quantity: str = Field(examples=["resistance"])
    point: str = Field(examples=["A to B"], description="Empty where it is of the unit as a whole")
    value: float | None = Field(description="None when the instrument gave no number")
    dimension: str = Field(examples=["resistance"])
    unit: str
    bound: Bound
    uncertainty: float
    text: str = Field(examples=["> 10.00 GΩ"])
    instrument: str
    minimum: float | None
    maximum: float | None
    limit: str = Field(examples=["≤ 200 mΩ"])
    source: str = Field(examples=["IEC 60335-1:2010 Annex A"])
    verdict: Graded
    cause: Cause
    guarded: str = Field(
        description="With a guard band: pass, conditional pass, conditional fail or fail"
    )
    band: Band | None = Field(description="good, near its limit (caution), or bad")
    ungraded: str = Field(description="Why its limit was not held against it")
    margin: float | None = Field(description="Distance to the nearer limit as a fraction of it")
    corrections: list[CorrectionOut] = Field(
        description="What was done to the value since the instrument gave it, in order"
    )
    repetition: int = Field(description="Counts from 1 where the step is repeated")

    @property
    def name(self) -> str:
        """What it is a reading of, for people."""
        return str(Measurand(self.quantity, self.point))

    @property
    def as_measured_text(self) -> str:
        """The value before any correction; empty where nothing was corrected."""
        return self.corrections[0].text if self.corrections else ""


class FaultOut(BaseModel):
    """One thing that an attempt found wrong outright."""

    cause: Cause
    point: str
    text: str
    repetition: int
    contacts: list[str] = Field(description="Of a cable: those that it is about")


class RepetitionOut(BaseModel):
    """What came of one repetition of a step within an attempt."""

    number: int
    verdict: Verdict
    cause: Cause


class HeadlineOut(BaseModel):
    """Of many points, the reading that failed by most or came nearest to its limit."""

    kind: str = Field(
        examples=["patient leakage, AC, type CF, normal condition"],
        description="What the limit is for",
    )
    reading: int = Field(description="Its place among the readings")
    count: int = Field(description="How many readings have such a limit")


class AttemptOut(BaseModel):
    """One attempt at a step."""

    step_id: str
    number: int
    kind: str
    title: str
    verdict: Verdict
    cause: Cause
    note: str
    reason: str = Field(description="Why the step was done again")
    started_at: str
    ended_at: str
    curves: int = Field(description="How many curves it has kept")
    readings: list[ReadingOut]
    headlines: list[HeadlineOut] = Field(
        description="Of a step with many points, one reading for each kind of limit"
    )
    faults: list[FaultOut]
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
    pictures: dict[str, str] = Field(
        default={}, description="Of a form: the digest of each picture, by the entry's name"
    )


class RemarkOut(BaseModel):
    """A remark on a unit, or on one of its steps."""

    step_id: str
    text: str
    picture: str | None = Field(description="Digest of its picture")
    account: str
    made_at: str


class KeptOut(BaseModel):
    """A reading of a long step that never came to its end, or has not yet."""

    step_id: str
    attempt: int
    point: str
    at_s: float = Field(description="Since the step's level stood, in s")
    quantity: str
    value: float | None
    unit: str
    text: str
    kept_at: str


class UnitOut(BaseModel):
    """A unit's appearance in one run."""

    run_id: str
    nest: str
    serial: str
    product: str
    verdict: Verdict
    cause: Cause
    certificate: str | None
    certificate_kind: str | None
    revoked: str | None = Field(description="The number of that document's revocation")
    paper: Literal["", "none", "coming", "made", "held_up"] = Field(
        default="", description="How far that document's paper has come"
    )
    sequence_code: str
    sequence_revision: int
    asset: str = Field(default="", description="The number that its owner gave it")
    place: str = Field(default="", description="Where it is used")
    occasion: str = Field(default="", description="Why it was tested")
    run_state: RunState
    started_at: str | None
    attempts: list[AttemptOut]
    due: list[str] = Field(description="Steps asked for again and not done since")
    answers: list[AnswerOut]
    remarks: list[RemarkOut]
    kept: list[KeptOut] = Field(
        default_factory=list,
        description="What long steps have read that never came to their end, or have not yet",
    )
    not_certified: list[str] = Field(
        default=[], description="Why a unit that passed has no certificate: what its gate lacks"
    )
    from_bench: str = Field(
        default="", description="Whose records these are, where they were carried in; else empty"
    )
    let_go_at: str | None = Field(
        default=None,
        description="When its readings and curves went, their time being over; its verdicts and "
        "its document stay",
    )
    let_go_by: str | None = None


Serial = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]


Digest = Annotated[str, Field(pattern="^([0-9a-f]{64})?$")]


class LoadPlace(BaseModel):
    """A unit in a nest, by its serial or asset number; with no sequence, by its open order's."""

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

    sequence: str = Field(
        default="",
        description="Empty: the one that the product names for the occasion, which may be that of "
        "the units' open orders",
    )
    fixture: str
    load: list[LoadPlace] = Field(min_length=1, max_length=64)
    occasion: Occasion | Literal[""] = Field(
        default="", description="Why; by default the first that the sequence is for"
    )
    lot: str = Field(default="", max_length=64)
    retest: str = Field(
        default="", max_length=200, description="Why serials with a verdict are tested again"
    )
    start_by: Literal["key", "foot", "presence"] = Field(
        default="key",
        description="What starts it once it is armed: the start call, the foot switch, or a unit "
        "in every nest that is on",
    )
    line: LineOptions = Field(
        default=LineOptions(), description="Line options, where they are not as the sequence has it"
    )


class EntryOut(BaseModel):
    """One entry of a form that is asked for: a figure with its unit, or one of its choices."""

    name: str
    title: str
    quantity: str = Field(description="Of a figure; empty where there are choices")
    choices: list[str]
    target: str = Field(description="What to offer first")
    step: str = Field(default="", description="How finely it is shown, with its unit")
    photo: Literal["none", "beside", "instead"] = Field(
        default="none", description="What a photo is to it: none, beside (needed), instead"
    )
    settles_s: float = Field(
        default=0.0, description="How long after the question it means something"
    )
    may_retarget: bool = Field(
        default=False, description="Whether its target may be changed for this unit"
    )


class BesideIn(BaseModel):
    """What comes with one entry of a form."""

    model_config = ConfigDict(extra="forbid", strict=True)

    note: str = Field(default="", max_length=500)
    picture: Digest = Field(default="", description="Digest of a picture that was sent before")
    target: str = Field(
        default="", max_length=60, description="Another target for this unit, with its unit"
    )
    reason: str = Field(default="", max_length=200, description="Why the target is another")

    @property
    def in_core(self) -> Beside:
        """As the core has it."""
        return Beside(self.note, self.picture, self.target, self.reason)


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
    touch: str = Field(default="", description="The contact that the probe is to be held to")
    photo: str = Field(
        description="What a photo is to the figure: none, beside (needed), instead (may stand)"
    )
    entries: list[EntryOut] = Field(
        default=[], description="With any, the answer has a value for each, and no choice"
    )


class RunSummary(BaseModel):
    """A run without its units."""

    id: str
    sequence_code: str
    sequence_revision: int
    fixture: str
    lot: str
    state: RunState
    verdict: Verdict
    created_at: str
    created_by: str
    started_at: str | None
    ended_at: str | None
    note: str = Field(description="Why it ended as it did, when that is not how it should")
    occasion: str = Field(default="", description="Why these units are tested")


class RunOut(RunSummary):
    """A run with its units, their attempts and readings."""

    start_by: str
    from_bench: str = Field(
        default="", description="Whose record this is, where it was carried in; else empty"
    )
    line: LineOut
    needs_arming: bool = Field(
        description="Whether it must be armed before it starts: some step puts a hazardous voltage "
        "on; of what has ended, no"
    )
    documents: Literal["none", "coming", "issued"] = Field(
        description="Whether the documents of a finished run are issued; their papers come after"
    )
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
    choice: str = Field(default="", description="Or a figure with its unit; none for a form")
    note: str = Field(default="", max_length=500)
    values: dict[str, str] = Field(
        default={}, max_length=100, description="The entries of a form, by name"
    )
    beside: dict[str, BesideIn] = Field(
        default={}, max_length=100, description="What comes with entries of a form, by name"
    )
    question: int | None = Field(
        default=None, description="The number of the question; by default the first for the nest"
    )
    picture: Digest = Field(default="", description="Digest of a picture that was sent before")

    def by(self, account: str) -> Answer:
        """The answer as an account gives it."""
        beside = {name: each.in_core for name, each in self.beside.items()}
        return Answer(self.choice, self.note, account, self.picture, self.values, beside)


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


class CurveColumn(BaseModel):
    """One quantity of a curve in SI units, with the limits of the step on it."""

    name: str
    dimension: str
    unit: str
    values: list[float | None]
    minimum: float | None = None
    maximum: float | None = None


class CurveMark(BaseModel):
    """A place on the x axis that has a name."""

    x: float
    text: str = Field(examples=["dwell"])


class CurveOut(BaseModel):
    """One curve: columns over an x axis."""

    name: str = Field(examples=["course"], description="course: what was seen of an output")
    point: str
    repetition: int
    drawn: Drawn = Field(description="How it is best shown")
    x: CurveColumn
    columns: list[CurveColumn]
    marks: list[CurveMark]


class CurvesOut(BaseModel):
    """The curves of one attempt, in order of time."""

    serial: str
    step_id: str
    title: str
    number: int
    curves: list[CurveOut]
