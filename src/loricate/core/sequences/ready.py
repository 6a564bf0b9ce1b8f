"""A sequence made ready: every name resolved, every figure in SI, every limit at its point."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from loricate.core.kinds.advice import Advice, Considered
from loricate.core.kinds.kind import (
    Demand,
    Kind,
    KindSettings,
    Limits,
    LimitSlot,
    NominalPlace,
    Place,
    Points,
)
from loricate.core.measuring.actions import Procedure
from loricate.core.measuring.grading import (
    DecisionRule,
    Measured,
    StepGrade,
    Verdict,
    grade_step,
)
from loricate.core.measuring.hazards import Hazard
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.repetitions import Repeat
from loricate.core.measuring.roles import Role
from loricate.core.planning.line import NOTHING_SAID, LineOptions
from loricate.core.planning.scheduling import Across
from loricate.core.products.families.section import PRODUCTION, Occasion
from loricate.core.products.product import Product
from loricate.core.quantities import VOLTAGE
from loricate.core.sequences.branching import When
from loricate.core.sequences.cues import Cue
from loricate.core.sequences.ordering import Order, groups


@dataclass(frozen=True)
class ReadyStep:
    """A step whose settings, points and limits are known good."""

    id: str
    title: str
    on_fail: str
    across: Across
    settings: KindSettings
    points: Points
    limits: Limits
    cues: tuple[Cue, ...] = ()
    attempts: int = 3
    answer_within_s: float = 600.0
    when: When | None = None
    is_required: bool = True
    retry: int = 0
    repeat: Repeat | None = None
    lead_in_s: float = 0.0
    discharge_within_s: float = 30.0
    earthed_s: float = 0.0
    curves_on_paper: bool = False
    left_out: tuple[str, ...] = ()
    order: Order = "as_written"

    @property
    def kind(self) -> Kind:
        """The kind of the step."""
        return type(self.settings)

    @property
    def earthed_times(self) -> float:
        """How many times its time under voltage a unit stays earthed after it."""
        return self.settings.earthed_after()

    @cached_property
    def demands(self) -> tuple[Demand, ...]:
        """What the step needs of instruments; empty when a person alone does it."""
        return (*self.settings.demands(self.limits), *self.settings.demands_at(self.points))

    @cached_property
    def roles(self) -> frozenset[Role]:
        """The roles of instruments that the step uses."""
        return frozenset(demand.role for demand in self.demands)

    @cached_property
    def leads(self) -> Mapping[Measurand, tuple[str, ...]]:
        """The contacts whose zero is taken off, by the reading that they are in."""
        return self.settings.leads(self.points)

    @cached_property
    def zeroed_contacts(self) -> tuple[str, ...]:
        """Every contact whose lead zero the step needs, whoever takes it off."""
        taken_off = (contact for leads in self.leads.values() for contact in leads)
        return (*taken_off, *self.settings.zeroed_contacts(self.points))

    @property
    def impedance_paths(self) -> tuple[ImpedancePath, ...]:
        """The paths whose open and shorted zero the step needs."""
        return self.settings.impedance_paths()

    @property
    def slots(self) -> Mapping[str, LimitSlot]:
        """What the step can grade, by quantity."""
        return self.settings.slots_here()

    @property
    def shares_terminals(self) -> bool:
        """Whether two of its settings or points may name the same terminal."""
        return self.settings.shares_terminals()

    @property
    def why_not_together(self) -> str:
        """Why it cannot be done to units in parallel as it is set, or nothing."""
        return self.settings.why_not_together()

    def place_of_limit(self, measurand: Measurand) -> Place | None:
        """The way to where the limit of a reading is written; None for one without."""
        return self.settings.place_of_limit(measurand)

    def place_of_nominal(self, measurand: Measurand) -> NominalPlace | None:
        """Where a measured value is written as the one to expect; None where limits say that."""
        return self.settings.place_of_nominal(measurand)

    @property
    def takes_isolated(self) -> bool:
        """Whether nothing of the unit may be earthed but through its meter."""
        return self.settings.takes_isolated()

    @property
    def bends(self) -> bool:
        """Whether somebody bends the unit meanwhile."""
        return self.settings.bends()

    @property
    def measures_high(self) -> bool:
        """Whether a source measures on its high side for it."""
        return self.settings.measures_high()

    @property
    def fails_when_empty(self) -> bool:
        """Whether the step fails, or decides nothing, when nothing is in the nest."""
        return self.settings.fails_when_empty(self.limits)

    @property
    def wanted_switch(self) -> str:
        """Where the unit's own switch must stand; empty where it is all one."""
        return self.settings.wants_switch()

    @property
    def left_switch(self) -> str:
        """Where the unit's own switch stands after it; empty where it is all one."""
        return self.settings.leaves_switch()

    def advice(self, look: Considered) -> Iterator[Advice]:
        """What its kind says of it in a review."""
        return self.settings.advice(look)

    @property
    def levels(self) -> tuple[str, ...]:
        """The settings that are levels, which count with the step's tolerance."""
        return self.settings.has_levels

    @cached_property
    def programmed_s(self) -> float:
        """The time in s that the step is programmed for, as a unit that passes takes it."""
        earthed_s = self.earthed_s if self.hazard.is_hazardous else 0.0
        once = self.lead_in_s + self.settings.programmed_s(self.points) + earthed_s
        return once if self.repeat is None else once * self.repeat.passes_needed

    @property
    def hazard(self) -> Hazard:
        """The highest voltage that the step puts on the unit, by what it is set to."""
        volts = [demand for demand in self.demands if demand.dimension is VOLTAGE]
        worst = max(volts, key=lambda demand: demand.value, default=None)
        if worst is None:
            return Hazard(0.0)
        return Hazard(worst.value, worst.capability.startswith("dc_"))

    @cached_property
    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        """The unit's terminals that the step uses, by the setting or the point that names them."""
        named = {
            point.name: tuple(point.values["terminals"])
            for point in self.points
            if point.name and "terminals" in point.values
        }
        return {**self.settings.terminals_used(), **named}

    @property
    def values(self) -> dict[str, Any]:
        """What is set, by name, in SI units."""
        return self.settings.model_dump(by_alias=True)

    @property
    def written(self) -> dict[str, Any]:
        """What is set, by name, as a document has it."""
        return self.settings.model_dump(mode="json", by_alias=True)

    def written_at(self, point: str) -> dict[str, Any]:
        """What is set, as a document has it, with what a point has of its own in its place."""
        written = self.written
        own = next((each.values for each in self.points if each.name == point), {})
        return {**written, **{name: value for name, value in own.items() if name in written}}

    @property
    def conditions(self) -> str:
        """The conditions of the measurement in one line, for certificates and screens."""
        return self.settings.conditions

    def graded(self, measured: Measured, rule: DecisionRule) -> StepGrade:
        """The verdict on what was measured, every correction made, and what is wrong in words."""
        grade = grade_step(measured, self.limits, rule)
        if grade.verdict is not Verdict.FAIL:
            return grade
        told = tuple(self.settings.explain(self.points, grade.readings, grade.faults))
        if not told:
            return grade
        cause = grade.cause if any(not each.gives_way for each in grade.faults) else told[0].cause
        return replace(grade, cause=cause, faults=(*grade.faults, *told))

    def procedure(self) -> Procedure:
        """A fresh generator that performs the step once."""
        return self.settings.procedure(self.points, self.limits)


@dataclass(frozen=True, slots=True)
class ReadySequence:
    """A sequence that can be run."""

    code: str
    title: str
    product: Product
    decision: DecisionRule
    steps: tuple[ReadyStep, ...]
    line: LineOptions = NOTHING_SAID
    occasions: tuple[Occasion, ...] = PRODUCTION

    @property
    def is_hazardous(self) -> bool:
        """Whether any step puts a voltage on the unit that nobody may touch."""
        return any(step.hazard.is_hazardous for step in self.steps)

    @property
    def groups(self) -> tuple[tuple[int, ...], ...]:
        """The places of steps that come in any order, group by group."""
        return groups([step.order for step in self.steps])

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
