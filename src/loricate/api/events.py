"""What the event streams tell (server-sent events): the data of each event, by its name.

A stream gives everything since its beginning; of what an instrument shows only the course of the
step under way is kept, thinned, and the last of each step before.
"""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.records import Graded, QuestionOut
from loricate.core.attempts import RunState
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.measuring.readings import Bound


class _Data(BaseModel):
    model_config = ConfigDict(extra="forbid")

    at: str = Field(description="When it was, in UTC (RFC 3339)")


class NestDone(BaseModel):
    """How many steps of a nest's unit are done."""

    model_config = ConfigDict(extra="forbid")

    nest: str
    serial: str
    done: int


class StateData(_Data):
    """A run or a rehearsal has come to a state; ``units`` are those under way."""

    state: RunState
    units: list[NestDone]


class UpkeepStateData(_Data):
    """An act of upkeep has begun."""

    state: str = Field(examples=["running"])
    kind: str = Field(examples=["zero"])
    fixture: str


class DelayedData(_Data):
    """A run was started, and its line has it wait so long before the first step."""

    for_s: float


class StepStartedData(_Data):
    """A step has begun in a nest."""

    nest: str
    step: str
    title: str
    kind: str


class SampleData(_Data):
    """A look at a running output; values in SI units, ``meters`` as the step's kind shows them."""

    nest: str
    step: str
    phase: str = Field(examples=["dwell"])
    elapsed_s: float
    remaining_s: float
    values: dict[str, float]
    meters: dict[str, str]
    bounds: dict[str, Bound]
    waiting: str = Field(description="What a hold waits for, where it is more than a time")


class KeptData(_Data):
    """A reading that is kept while its step goes on; ``at_s`` since its level stood."""

    nest: str
    step: str
    point: str
    at_s: float
    quantity: str
    text: str


class PointData(_Data):
    """A step has come to one of its points."""

    nest: str
    step: str
    point: str
    number: int
    of: int


class RepetitionData(_Data):
    """A repetition of a step is done."""

    nest: str
    step: str
    number: int
    times: int
    verdict: Verdict


class CueData(_Data):
    """An instruction in passing."""

    nest: str
    step: str
    moment: str
    text: str
    picture: str


class QuestionData(_Data, QuestionOut):
    """Somebody is asked."""


class AnsweredData(_Data):
    """A question is not open any more."""

    number: int
    nest: str
    choice: str
    note: str


class ReadingData(BaseModel):
    """A graded reading: what a screen shows of it."""

    model_config = ConfigDict(extra="forbid")

    quantity: str
    point: str
    repetition: int
    text: str
    limit: str
    source: str
    margin: float | None
    verdict: Graded
    guarded: str
    band: str
    ungraded: str


class FaultData(BaseModel):
    """A fault that was found; of a cable with the contacts that it is about."""

    model_config = ConfigDict(extra="forbid")

    cause: Cause
    point: str
    text: str
    repetition: int
    contacts: list[str]


class StepFinishedData(_Data):
    """A step is done in a nest, or why it was not."""

    nest: str
    step: str
    title: str
    number: int
    verdict: Verdict
    cause: Cause
    note: str
    readings: list[ReadingData]
    faults: list[FaultData]


class DischargingData(_Data):
    """Volts that are left at a unit after the outputs fell."""

    voltage: float


class UnitFinishedData(_Data):
    """A unit's verdict."""

    nest: str
    serial: str
    verdict: Verdict
    cause: Cause


class FinishedData(_Data):
    """The end of a run or a rehearsal: nothing more will come."""

    state: RunState
    verdict: Verdict
    note: str


class UpkeepFinishedData(_Data):
    """The end of an act of upkeep, with what was found wrong."""

    state: Literal["passed", "failed", "aborted"]
    findings: list[str]
    made: str


class TouchedData(_Data):
    """A contact was touched with the probe; ``is_refusal``: another one was asked for."""

    text: str
    contacts: list[str]
    is_refusal: bool


class ProgressData(_Data):
    """What an act of upkeep does now."""

    text: str


class RunEvents(BaseModel):
    """The data of each event of a run or a rehearsal, by its name."""

    state: StateData
    delayed: DelayedData
    step_started: StepStartedData
    sample: SampleData
    kept: KeptData
    point: PointData
    repetition: RepetitionData
    cue: CueData
    question: QuestionData
    answered: AnsweredData
    step_finished: StepFinishedData
    discharging: DischargingData
    unit_finished: UnitFinishedData
    finished: FinishedData


class UpkeepEvents(BaseModel):
    """The data of each event of an act of upkeep, by its name."""

    state: UpkeepStateData
    progress: ProgressData
    touched: TouchedData
    question: QuestionData
    answered: AnsweredData
    finished: UpkeepFinishedData
