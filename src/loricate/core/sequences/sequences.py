"""The sequence document: ordered steps for a product, and what is wrong with one.

The same model is read from TOML on disk and from JSON in the API. ``prepare`` turns a document into
a ``ReadySequence`` whose settings and limits are SI values, or refuses it with every reason found.
"""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from loricate.core.errors import DocumentError, Finding
from loricate.core.kinds import KINDS, Kind, KindSettings, find_kind
from loricate.core.kinds.registry import Demand, LimitSlot, Place
from loricate.core.limits.limit import Code, Limit, LimitEntry
from loricate.core.limits.limit_sets import (
    Asked,
    LimitSets,
    demanding_items,
    least_for,
    resolve,
    source_in,
)
from loricate.core.measuring.actions import Procedure, Role
from loricate.core.measuring.grading import DecisionRule
from loricate.core.measuring.hazards import Hazard
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.measuring.readings import Bound
from loricate.core.measuring.repetitions import Repeat
from loricate.core.planning.scheduling import Across
from loricate.core.products.product import Product
from loricate.core.quantities import VOLTAGE, Seconds, with_written_defaults
from loricate.core.sequences.branching import When, when_findings
from loricate.core.sequences.conditions import conditions_text
from loricate.core.sequences.cues import Cue

MOST_STEPS = 500
MOST_FINDINGS = 200  # of one document; who has more puts those right first
ModelT = TypeVar("ModelT", bound=BaseModel)


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
        description="A unit passes only if it was done; so by default without a condition",
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
    settle: Annotated[Seconds, Field(ge=0)] = Field(
        default=0.0,
        title="Settle",
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
    cues: tuple[Cue, ...] = Field(
        default=(), title="Cues", description="What to tell or ask the operator"
    )
    settings: dict[str, Any] = Field(default_factory=dict)
    limits: dict[str, LimitEntry] = Field(default_factory=dict)


class Sequence(BaseModel):
    """A sequence document, as written."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-sequence/1"]
    code: Code
    title: str = Field(min_length=1, max_length=120)
    product: Code
    decision: DecisionRule = Field(
        default=DecisionRule(),
        title="Decision rule",
        description="How a reading's uncertainty U enters the verdict: simple accepts at the "
        "limit, guarded moves every limit in by r·U and leaves the band undecided",
    )
    steps: tuple[Step, ...] = Field(min_length=1, max_length=MOST_STEPS)


@dataclass(frozen=True, slots=True)
class ReadyStep:
    """A step whose kind, settings and limits are known good."""

    id: str
    title: str
    on_fail: str
    across: Across
    kind: Kind[Any]
    settings: KindSettings
    limits: Mapping[str, Limit]
    cues: tuple[Cue, ...] = ()
    attempts: int = 3
    answer_within_s: float = 600.0
    when: When | None = None
    is_required: bool = True
    retry: int = 0
    repeat: Repeat | None = None
    settle_s: float = 0.0
    discharge_within_s: float = 30.0
    earthed_s: float = 0.0

    @property
    def roles(self) -> frozenset[Role]:
        """The instruments that the step uses."""
        return frozenset(demand.role for demand in self.demands)

    @property
    def leads(self) -> Mapping[str, tuple[str, ...]]:
        """The contacts whose zero is taken off, by the reading that they are in."""
        return self.kind.leads(self.settings)

    @property
    def impedance_path(self) -> ImpedancePath | None:
        """The path whose open and shorted zero the step needs, if any."""
        return self.kind.impedance_path(self.settings)

    @property
    def slots(self) -> Mapping[str, LimitSlot]:
        """What the step can grade, by reading."""
        return self.kind.slots_of(self.settings)

    def place_of_limit(self, reading: str) -> Place | None:
        """The way to where the limit of a reading is written; None for one without."""
        return self.kind.place_of_limit(self.settings, reading)

    @property
    def levels(self) -> tuple[str, ...]:
        """The settings that are levels, which count with the step's tolerance."""
        has_tolerance = "tolerance" in type(self.settings).model_fields
        names = ("level", "current", "supply") if has_tolerance else ()
        return tuple(name for name in names if name in type(self.settings).model_fields)

    @property
    def demands(self) -> tuple[Demand, ...]:
        """What the step needs of instruments; empty when a person alone does it."""
        return self.kind.demands(self.settings, self.limits)

    @property
    def programmed_s(self) -> float:
        """The time in s that the step is programmed for, as a unit that passes takes it."""
        earthed_s = self.earthed_s if self.hazard.is_hazardous else 0.0
        once = self.settle_s + self.kind.programmed_s(self.settings) + earthed_s
        return once if self.repeat is None else once * self.repeat.passes_needed

    @property
    def hazard(self) -> Hazard:
        """The highest voltage that the step puts on the unit, by what it is set to."""
        volts = [demand for demand in self.demands if demand.dimension is VOLTAGE]
        worst = max(volts, key=lambda demand: demand.value, default=None)
        if worst is None:
            return Hazard(0.0)
        return Hazard(worst.value, worst.capability.startswith("dc_"))

    @property
    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        """The unit's terminals that the step names, by setting."""
        return self.settings.terminals_used()

    @property
    def values(self) -> dict[str, Any]:
        """What is set, by name, in SI units."""
        return self.settings.model_dump()

    @property
    def written(self) -> dict[str, Any]:
        """What is set, by name, as a document has it."""
        return self.settings.model_dump(mode="json")

    @property
    def conditions(self) -> str:
        """The conditions of the measurement in one line, for certificates and screens."""
        return conditions_text(self.settings)

    def procedure(self) -> Procedure:
        """A fresh generator that performs the step once."""
        return self.kind.procedure(self.settings, self.limits)


@dataclass(frozen=True, slots=True)
class ReadySequence:
    """A sequence that can be run: every name resolved, every figure in SI units."""

    code: str
    title: str
    product: Product
    decision: DecisionRule
    steps: tuple[ReadyStep, ...]

    def step(self, step_id: str) -> ReadyStep:
        """The step of this id; raises LookupError when there is none."""
        for step in self.steps:
            if step.id == step_id:
                return step
        raise LookupError(step_id)


@dataclass(frozen=True, slots=True)
class SequenceFacts:
    """A sequence in short: what is known of it once it has been made ready.

    ``cited`` are the limit sets that its limits come from, ``pictures`` where a cue shows one and
    which, ``programmed_s`` the time of all steps one after another.
    """

    code: str
    title: str
    product: str
    steps: int
    programmed_s: float
    cited: tuple[str, ...]
    pictures: tuple[tuple[str, str], ...]


def facts_of(ready: ReadySequence) -> SequenceFacts:
    """Say a ready sequence in short."""
    limits = [limit for step in ready.steps for limit in step.limits.values()]
    return SequenceFacts(
        ready.code,
        ready.title,
        ready.product.code,
        len(ready.steps),
        sum(step.programmed_s for step in ready.steps),
        tuple(sorted({limit.source.limit_set for limit in limits} - {""})),
        tuple(
            (f"steps[{index}].cues[{place}].picture", cue.picture)
            for index, step in enumerate(ready.steps)
            for place, cue in enumerate(step.cues)
            if cue.picture
        ),
    )


def findings_of(error: ValidationError, prefix: str = "") -> tuple[Finding, ...]:
    """Say a pydantic error in our form: a dotted path and a sentence."""
    found = []
    for each in error.errors(include_url=False)[:MOST_FINDINGS]:
        path = prefix
        for part in each["loc"]:
            path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
        message = each["msg"].removeprefix("Value error, ")
        if each["type"] == "extra_forbidden":
            message = "is not a known key; remove it or correct its spelling."
        elif each["type"] == "missing":
            message = "is missing; add it."
        elif each["type"] == "too_long":
            most = each["ctx"]["max_length"]
            message = f"has {each['ctx']['actual_length']} entries; at most {most} are taken."
        found.append(Finding(path or "document", message))
    return tuple(found)


def read_document(model: type[ModelT], data: object, document: str) -> ModelT:
    """Read ``data`` as ``model`` or raise DocumentError with each path."""
    try:
        return read_strictly(model, data)
    except ValidationError as error:
        raise DocumentError(document, findings_of(error)) from error


def read_strictly(model: type[ModelT], data: object) -> ModelT:
    """Read JSON-like data as a model without making one type of another: ``true`` is not 1.

    Raises pydantic's ValidationError.
    """
    return model.model_validate_json(json.dumps(data, default=str), strict=True)


def prepare(
    data: object,
    products: Mapping[str, Product],
    limit_sets: LimitSets,
    *,
    is_rehearsal: bool = False,
) -> ReadySequence:
    """Check a sequence document in full and make it ready to run.

    For a rehearsal, a step may lack a limit unless its output is programmed from it.

    Raises:
        DocumentError: with a finding for every fault, each naming its path and the remedy.
    """
    sequence = read_document(Sequence, data, "sequence")
    findings: list[Finding] = []
    product = products.get(sequence.product)
    if product is None:
        findings.append(
            Finding("product", f"there is no product '{sequence.product}'; add it first.")
        )
    seen: dict[str, int] = {}
    steps = []
    for index, step in enumerate(sequence.steps):
        path = f"steps[{index}]"
        if step.id in seen:
            findings.append(
                Finding(
                    f"{path}.id",
                    f"'{step.id}' is the id of steps[{seen[step.id]}] already; choose another.",
                )
            )
        earlier = [each.id for each in sequence.steps[:index] if not each.off]
        findings += when_findings(path, step.when, earlier)
        seen.setdefault(step.id, index)
        ready = _prepare_step(step, path, product, limit_sets, findings, is_rehearsal)
        if ready is not None and not step.off:
            steps.append(ready)
    if all(step.off for step in sequence.steps):
        findings.append(Finding("steps", "are all switched off; switch one on."))
    if findings or product is None:
        raise DocumentError(f"sequence '{sequence.code}'", tuple(findings))
    return ReadySequence(sequence.code, sequence.title, product, sequence.decision, tuple(steps))


def _prepare_step(
    entry: Step,
    path: str,
    product: Product | None,
    limit_sets: LimitSets,
    findings: list[Finding],
    is_rehearsal: bool,
) -> ReadyStep | None:
    kind = find_kind(entry.kind)
    if kind is None:
        known = ", ".join(sorted(KINDS))
        findings.append(
            Finding(f"{path}.kind", f"'{entry.kind}' is not a kind of step; choose one of {known}.")
        )
        return None
    try:
        settings = read_strictly(kind.settings, entry.settings)
    except ValidationError as error:
        findings.extend(findings_of(error, f"{path}.settings"))
        return None
    values = settings.model_dump(mode="json")
    slots = kind.slots_of(settings)
    limits = _prepare_limits(entry, kind, slots, values, path, product, limit_sets, findings)
    findings += _lacking_limits(entry, kind, slots, path, is_rehearsal)
    if product is not None:
        limits |= _demanded(kind, values, limits, limit_sets, product)
    if product is not None:
        for name, used in settings.terminals_used().items():
            for terminal in used:
                if terminal not in product.terminals:
                    findings.append(
                        Finding(
                            f"{path}.settings.{name}",
                            f"product '{product.code}' has no terminal '{terminal}'; "
                            f"it has {', '.join(product.terminals)}.",
                        )
                    )
    ready = ReadyStep(
        entry.id,
        entry.title or kind.title,
        entry.on_fail,
        entry.across,
        kind,
        settings,
        kind.graded(settings, limits),
        entry.cues,
        entry.attempts,
        entry.answer_within,
        entry.when,
        entry.when is None if entry.required is None else entry.required,
        entry.retry,
        entry.repeat,
        entry.settle,
        entry.discharge_within,
        entry.earthed,
    )
    if entry.settle and not ready.roles:
        message = f"a {kind.name} step connects nothing; leave it out, or add a wait step."
        findings.append(Finding(f"{path}.settle", message))
    if message := _across_problem(ready):
        findings.append(Finding(f"{path}.across", message))
    return ready


def _across_problem(step: ReadyStep) -> str:
    """Why a step cannot treat the nests of a load as written, or nothing."""
    kind = step.kind
    if step.across is Across.ONCE and step.terminals_used:
        return f"a {kind.name} step measures each unit; only what a person answers is done once."
    if step.across is not Across.TOGETHER:
        return ""
    if not kind.ganged:
        return f"a {kind.name} step cannot be done to units in parallel; write each."
    for name, limit in step.limits.items():
        if limit.minimum is not None and kind.ganged.get(name) is Bound.BELOW:
            return (
                f"the sum of several units proves no minimum {name} of one; write each, or prove "
                "the contact in another step."
            )
    return ""


def _prepare_limits(
    step: Step,
    kind: Kind[Any],
    slots: Mapping[str, LimitSlot],
    values: Mapping[str, Any],
    path: str,
    product: Product | None,
    limit_sets: LimitSets,
    findings: list[Finding],
) -> dict[str, Limit]:
    limits = {}
    for name, entry in step.limits.items():
        slot = slots.get(name)
        if slot is None or slot.dimension is None:
            known = ", ".join(slots) or "none"
            findings.append(
                Finding(
                    f"{path}.limits.{name}",
                    f"a {kind.name} step grades no '{name}'; it can grade: {known}.",
                )
            )
            continue
        try:
            setting = next((key for key, read in kind.measured_as.items() if read == name), "")
            asked = Asked(kind.name, name, slot.dimension, values, setting)
            limits[name] = resolve(entry, asked, limit_sets, product)
        except ValueError as error:
            findings.append(Finding(f"{path}.limits.{name}", str(error)))
            continue
        if slot.programs and limits[name].maximum is None:
            message = f"is missing; the output is cut at it. Give one, or the {kind.name} a trip."
            findings.append(Finding(f"{path}.limits.{name}.maximum", message))
    return limits


def _demanded(
    kind: Kind[Any],
    values: Mapping[str, Any],
    limits: Mapping[str, Limit],
    limit_sets: LimitSets,
    product: Product,
) -> dict[str, Limit]:
    """What the cited standards ask of the test itself at least, as limits on what was measured.

    A figure of the step's own that asks for more stays.
    """
    found: dict[str, Limit] = {}
    sources = [limit.source for limit in limits.values()]
    items = demanding_items(kind.name, values, sources, limit_sets, product)
    for limit_set, revision, item in items.values():
        for setting, (least, dimension) in least_for(item, product, values).items():
            reading = kind.measured_as.get(setting)
            if reading is None:
                continue
            own = found.get(reading) or limits.get(reading)
            if own is not None and own.minimum is not None and own.minimum >= least:
                continue
            source = source_in(limit_set, revision, item)
            maximum = own.maximum if own is not None else None
            found[reading] = Limit(
                dimension=dimension.name, minimum=least, maximum=maximum, source=source
            )
    return found


def _lacking_limits(
    step: Step, kind: Kind[Any], slots: Mapping[str, LimitSlot], path: str, is_rehearsal: bool
) -> Iterator[Finding]:
    """The limits that a step lacks; a rehearsal can do without those that only judge."""
    judged_by = tuple(slots) if kind.judged_by is None else kind.judged_by
    is_needed = judged_by and not any(slot.needed for slot in slots.values())
    if is_needed and not is_rehearsal and not set(judged_by) & set(step.limits):
        known = ", ".join(judged_by)
        message = f"is missing; a {kind.name} step is judged by at least one of {known}."
        yield Finding(f"{path}.limits", message)
    for name, slot in slots.items():
        if slot.needed and name not in step.limits and (slot.programs or not is_rehearsal):
            message = f"is missing; a {kind.name} step is judged by its {name}."
            yield Finding(f"{path}.limits.{name}", message)


def sequence_schema() -> dict[str, Any]:
    """The JSON Schema of a sequence document, each kind with its own settings."""
    schema = Sequence.model_json_schema()
    step = schema["$defs"]["Step"]
    variants = []
    for kind in KINDS.values():
        settings = kind.settings.model_json_schema()
        schema["$defs"].update(settings.pop("$defs", {}))
        schema["$defs"][f"{kind.name}_settings"] = settings
        needed = [name for name, slot in kind.limits.items() if slot.needed]
        then: dict[str, Any] = {
            "properties": {
                "settings": {"$ref": f"#/$defs/{kind.name}_settings"},
                "limits": {"propertyNames": {"enum": list(kind.limits)}},
            }
        }
        if needed:
            then["required"] = ["limits"]
            then["properties"]["limits"]["required"] = needed
        variants.append({"if": {"properties": {"kind": {"const": kind.name}}}, "then": then})
    step["properties"]["kind"] = {"enum": list(KINDS), "title": "Kind", "type": "string"}
    step["allOf"] = variants
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Loricate sequence"
    return with_written_defaults(schema)
