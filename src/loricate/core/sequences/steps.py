"""The sequence document: ordered steps for a product, as written.

The same model is read from TOML on disk and from JSON in the API; ``preparing`` makes it ready.
Until 0.1.0 a step's ``lead_in`` was called ``settle`` (``loricate-sequence/1``); such documents are
read for ever.
"""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.documents import WithFormerForms
from loricate.core.limits.limit import Code, LimitEntry
from loricate.core.measuring.grading import DecisionRule
from loricate.core.measuring.repetitions import Repeat
from loricate.core.planning.line import LineOptions
from loricate.core.planning.scheduling import Across
from loricate.core.products.families.section import PRODUCTION, Occasion
from loricate.core.quantities import Seconds
from loricate.core.sequences.branching import When
from loricate.core.sequences.cues import Cue
from loricate.core.sequences.ordering import Order

FORMAT, FORMER_FORMAT = "loricate-sequence/2", "loricate-sequence/1"
MOST_STEPS = 500


class Step(BaseModel):
    """One entry of a sequence, as written."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code
    kind: str
    title: str = Field(default="", max_length=120, title="Title")
    off: bool = Field(
        default=False, title="Switched off", description="Kept in the document, not performed"
    )
    when: When | None = Field(
        default=None, title="When", description="Outcomes of earlier steps; otherwise it is skipped"
    )
    required: bool | None = Field(
        default=None,
        title="Required",
        description="A unit passes only if it was done; so by default without a `when`",
    )
    on_fail: Literal["carry_on", "halt_unit", "halt_run", "ask"] = Field(
        default="halt_unit", title="On fail", description="What a failed step leads to"
    )
    attempts: int = Field(
        default=3,
        ge=1,
        le=20,
        title="Attempts",
        description="How often it may be done to one unit in one run",
    )
    retry: int = Field(
        default=0,
        ge=0,
        le=5,
        title="Retry",
        description="How often it is done again by itself when it does not pass",
    )
    repeat: Repeat | None = Field(
        default=None,
        title="Repeat",
        description="Done several times in one attempt, of which so many must pass",
    )
    lead_in: Annotated[Seconds, Field(ge=0)] = Field(
        default=0.0,
        title="Lead-in",
        description="Time between connecting the unit and the first output; counts each repetition",
    )
    discharge_within: Annotated[Seconds, Field(gt=0)] = Field(
        default=30.0,
        title="Safe within",
        description="How long the unit may take to discharge after each output",
    )
    earthed: Annotated[Seconds, Field(ge=0)] = Field(
        default=0.0,
        title="Kept earthed",
        description="At least, once it is safe: what insulation has absorbed comes back",
    )
    answer_within: Annotated[Seconds, Field(gt=0)] = Field(
        default=600.0,
        title="Answer within",
        description="With on_fail = ask: the unit is halted when nobody answers",
    )
    across: Across = Field(
        default=Across.EACH,
        title="Across the nests",
        description="Each nest for itself, all together on one source, or once for the load",
    )
    order: Order = Field(
        default="as_written",
        title="Order",
        description="Neighbours with `any` are done in the order that the operator chooses",
    )
    cues: tuple[Cue, ...] = Field(
        default=(), title="Cues", description="What to tell or ask the operator"
    )
    curves_on_paper: bool = Field(
        default=False,
        title="Curves on paper",
        description="Where a curve shows why the step failed, it is there anyway",
    )
    settings: dict[str, Any] = Field(default_factory=dict)
    limits: dict[str, LimitEntry] = Field(default_factory=dict)


class Sequence(WithFormerForms):
    """A sequence document, as written."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-sequence/2"]
    code: Code
    title: str = Field(min_length=1, max_length=120)
    product: Code
    decision: DecisionRule = Field(
        default=DecisionRule(),
        title="Decision rule",
        description="How a reading's uncertainty U enters the verdict: simple accepts at the "
        "limit, guarded moves every limit in by r·U and leaves the band undecided",
    )
    line: LineOptions = Field(
        default=LineOptions(),
        title="Line",
        description="How a load of it goes; whoever makes a load or a series may say otherwise",
    )
    occasions: tuple[Occasion, ...] = Field(
        default=PRODUCTION,
        min_length=1,
        title="Occasions",
        description="On which it is used: what must be tested depends on that",
    )
    steps: tuple[Step, ...] = Field(min_length=1, max_length=MOST_STEPS)

    @classmethod
    def in_current_form(cls, document: Mapping[str, Any]) -> dict[str, Any]:
        """A sequence's document as it is written today; what is no older form is left as it is."""
        if document.get("format") != FORMER_FORMAT:
            return dict(document)
        now = {**document, "format": FORMAT}
        if isinstance(steps := document.get("steps"), list | tuple):
            now["steps"] = [_renamed(each) for each in steps]
        return now


def _renamed(step: object) -> object:
    if not isinstance(step, Mapping) or "settle" not in step or "lead_in" in step:
        return step
    return {("lead_in" if key == "settle" else key): value for key, value in step.items()}
