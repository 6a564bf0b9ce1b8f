"""Products, limit sets and sequences in short and in full."""

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits.limit import Sentence
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.cues import Cue
from loricate.core.sequences.ordering import Order

Document = dict[str, Any]


class Stored(BaseModel):
    """A document was stored under this code and revision."""

    code: str = Field(examples=["DC-40"])
    revision: int = Field(examples=[1])
    etag: str = Field(default="", description="Of a sequence: for If-Match when it is changed")


class LimitInShort(BaseModel):
    """A limit of a step as text, with where it comes from."""

    quantity: str
    point: str
    text: str
    source: str
    minimum: float | None = Field(description="In SI units")
    maximum: float | None = Field(description="In SI units")


class StepSummary(BaseModel):
    """A step in short, for lists."""

    id: str
    kind: str
    title: str
    conditions: str = Field(description="What is set, in one line")
    limits: list[LimitInShort]
    programmed_s: float
    across: Across
    on_fail: str = Field(examples=["halt_unit"])
    when: str = Field(description="Under which outcomes it is done; empty: always")
    cues: list[Cue]
    order: Order = Field(description="any: its neighbours of any order may come before it")
    left_out: list[str] = Field(description="What it does not measure of the product, and why")


class SequenceInShort(BaseModel):
    """What a revision of a sequence is called, and where it stands."""

    code: str = Field(examples=["DC40-FINAL"])
    revision: int
    status: str
    title: str
    product: str
    created_at: str
    created_by: str
    etag: str = Field(examples=['"3.2"'])


class SequenceSummary(SequenceInShort):
    """A sequence's newest revision in a list."""

    step_count: int = Field(description="How many steps its document has", examples=[6])


class AcceptedFinding(BaseModel):
    """A finding of the review that is left as it is, and why."""

    model_config = ConfigDict(extra="forbid", strict=True)

    rule: str = Field(examples=["settling"])
    step: str = Field(default="", examples=["insulation"])
    reason: Sentence = Field(description="A sentence; it is on every certificate")


class ReleaseGrounds(BaseModel):
    """Why a draft is released, with a reason for each error and warning that is left."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"why": "level as of drawing 4", "accepted": []}]},
    )

    why: str = Field(min_length=3, max_length=300)
    accepted: list[AcceptedFinding] = []


class AcceptedNote(BaseModel):
    """A finding that was left at a release, as it is kept."""

    rule: str
    step: str
    reason: str


class ReleaseNote(BaseModel):
    """A release as it is kept: when, by whom, on what grounds."""

    why: str
    accepted: list[AcceptedNote]
    released_at: str
    released_by: str


class Withdrawal(BaseModel):
    """Why a revision is taken out of use."""

    model_config = ConfigDict(
        extra="forbid", strict=True, json_schema_extra={"examples": [{"why": "level was wrong"}]}
    )

    why: str = Field(min_length=3, max_length=300)
    revision: int | None = Field(default=None, description="The newest released by default")


class SequenceRevision(BaseModel):
    """One revision of a sequence and what became of it."""

    revision: int
    status: str = Field(examples=["draft", "released", "withdrawn"])
    created_at: str
    created_by: str
    release: ReleaseNote | None
    withdrawn_by: str
    withdrawn_why: str


class SequenceOut(SequenceInShort):
    """A revision of a sequence with its steps and its document."""

    steps: list[StepSummary]
    document: Document
    release: ReleaseNote | None = None


class Checked(BaseModel):
    """The document can be run."""

    code: str
    steps: int
    programmed_s: float = Field(description="Programmed time of one unit, in seconds")


class RevisionOut(BaseModel):
    """One revision of a document."""

    revision: int
    status: str = Field(examples=["released"])
    created_at: str
    created_by: str


class DifferenceOut(BaseModel):
    """One place where two revisions differ; null where a revision lacks it."""

    path: str = Field(examples=["items[earth-continuity].maximum"])
    old: Any
    new: Any


class FromTo(BaseModel):
    """A cable's from-to list: CSV with a header."""

    text: str


class ProductDraft(BaseModel):
    """A product's document that is not stored yet."""

    document: Document


class ListToTake(BaseModel):
    """A product's document, and the from-to list (CSV) whose nets it is to have."""

    model_config = ConfigDict(extra="forbid", strict=True)

    document: Document
    text: str = Field(max_length=2**20, examples=["name,from,to\nUP,X1:C,X2:3"])


class OfferedKindOut(BaseModel):
    """A kind of step, and why it is not on offer for the product, if it is not."""

    name: str = Field(examples=["ground_bond"])
    title: str
    why_not: str
    is_filled: bool = Field(description="Whether a limit set can decide how a step of it is set")


class OfferedLimitOut(BaseModel):
    """One item of a limit set held against a product, with what decided it."""

    source: str = Field(examples=["IEC-60335-1-A/earth-continuity-with-cord"])
    revision: int
    standard: str
    edition: str
    clause: str
    status: str
    checked: str = Field(description="Who compared the set with a bought copy; empty: nobody yet")
    applies: str
    kind: str
    reading: str
    variant: str
    figure: str = Field(examples=["≤ 200 mΩ"])
    demands: str = Field(examples=["current at least 10 A"])
    holds: bool
    reasons: list[str]


class Offer(BaseModel):
    """What is on offer for a product: kinds of step, and limits of standards."""

    product: str
    kinds: list[OfferedKindOut]
    limits: list[OfferedLimitOut]


class ComparedOut(BaseModel):
    """One thing that is tested, and what each of two standards asks there; empty: nothing."""

    kind: str = Field(examples=["leakage"])
    reading: str = Field(examples=["current"])
    what: str = Field(examples=["patient, type CF, single fault"])
    one: list[str]
    other: list[str]
    differs: bool


class Comparison(BaseModel):
    """What two standards ask of a product."""

    product: str
    standards: list[str] = Field(description="Those that there are limit sets of")
    rows: list[ComparedOut]


class LeftOutOut(BaseModel):
    """What of a standard's table does not apply to a product, and why."""

    what: str = Field(examples=["earth, earth open"])
    reason: str = Field(examples=["nothing flows in a conductor that is open"])


class ProposedStepOut(BaseModel):
    """A step as a limit set has it for a product, to be put into a sequence."""

    step: dict[str, Any] = Field(description="As a sequence's document has it")
    points: int = Field(description="How many places and conditions it measures")
    left_out: list[LeftOutOut]


class Release(BaseModel):
    """An engineer stands by a limit set: who compared its figures with what, and when."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"checked": "M. Rowe, 2026-11-20, own copy no. 4411"}]},
    )

    checked: str = Field(min_length=3, max_length=200)


class ReviewFindingOut(BaseModel):
    """One finding of a review."""

    severity: str = Field(examples=["error", "warning", "note"])
    step: str = Field(description="The step's id; empty for the sequence as a whole")
    rule: str = Field(examples=["charging_current"])
    reason: str
    remedy: str


class ReviewOut(BaseModel):
    """What a review finds, the gravest first."""

    code: str
    nests: int
    load_s: float = Field(description="How long a load takes by its programmed times, in seconds")
    findings: list[ReviewFindingOut]


class StepVerdictOut(BaseModel):
    """What a step made of a unit in a challenge."""

    verdict: str = Field(examples=["fail"])
    cause: str = Field(examples=["breakdown"])


class FaultRowOut(BaseModel):
    """A fault, or a pair of them, against every step."""

    faults: list[str] = Field(examples=[["loose_earth"]])
    title: str
    caught: bool
    verdicts: dict[str, StepVerdictOut] = Field(description="By step, whatever came before it")


class ChallengeOut(BaseModel):
    """What came of a challenge: faults against steps, and false alarms on good units."""

    code: str
    steps: list[str]
    titles: dict[str, str] = Field(description="Each step's title")
    rows: list[FaultRowOut]
    caught: int
    missed: int
    repetitions: int
    false_alarms: dict[str, int] = Field(description="Good units that a step did not pass")
    load_s: float = Field(description="How long a load takes by its programmed times, in seconds")
    nests: int
