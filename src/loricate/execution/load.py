"""The units of a load as the engine sees them, and where it leaves what came of them."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.curves import Trace
from loricate.core.measuring.grading import Cause, StepGrade, Verdict, grade_unit
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.sequences.sequences import ReadyStep

# Attempts that only say why a step was not tried.
NOT_TRIED = frozenset({Cause.UNIT_HALTED, Cause.SKIPPED, Cause.CONDITION_NOT_MET})


@dataclass(frozen=True, slots=True)
class NestZeroes:
    """The zeroes of one nest that are young enough: leads by contact, impedances by path."""

    leads: Mapping[str, Zero] = field(default_factory=dict)
    paths: Mapping[ImpedancePath, ImpedanceZero] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class StepOutcome:
    """What came of one attempt at a step."""

    verdict: Verdict
    cause: Cause = Cause.NONE


@dataclass(slots=True)
class LoadedUnit:
    """A unit in its nest, with the attempts at each step so far; the latest decides.

    ``todo`` names the steps to be done in this start of the run; None means every step that has no
    outcome yet. ``reasons`` says why a step is repeated, until it has been.
    """

    run_unit_id: str
    nest: str
    serial: str
    attempts: dict[str, list[StepOutcome]] = field(default_factory=dict)
    todo: frozenset[str] | None = None
    reasons: dict[str, str] = field(default_factory=dict)
    halted: bool = False

    def latest(self, step_id: str) -> StepOutcome | None:
        """What came of the latest attempt at a step, if there was one."""
        found = self.attempts.get(step_id)
        return found[-1] if found else None

    def tries(self, step_id: str) -> int:
        """How often a step was really tried; what a halt skipped does not count."""
        found = self.attempts.get(step_id, [])
        return sum(outcome.cause not in NOT_TRIED for outcome in found)

    @property
    def outcomes(self) -> dict[str, Verdict]:
        """The latest verdict of each step so far."""
        return {step_id: found[-1].verdict for step_id, found in self.attempts.items()}

    def take(self, step_id: str, outcome: StepOutcome) -> None:
        """Add an attempt."""
        self.attempts.setdefault(step_id, []).append(outcome)

    @property
    def verdict(self) -> Verdict:
        """The unit's verdict from its steps."""
        latest = (found[-1] for found in self.attempts.values())
        return grade_unit(each.verdict for each in latest if each.cause is not Cause.SKIPPED)

    @property
    def cause(self) -> Cause:
        """Why the unit did not pass: the cause of its first step that did not."""
        latest = (found[-1] for found in self.attempts.values())
        unpassed = (each for each in latest if each.verdict is not Verdict.PASS)
        return next(
            (each.cause for each in unpassed if each.cause is not Cause.SKIPPED), Cause.NONE
        )


@dataclass(frozen=True, slots=True)
class Performed:
    """One attempt at a step for one unit, graded: all that the records keep of it."""

    grade: StepGrade
    note: str
    started_at: str
    trace: Trace
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Answered:
    """An answer as it is kept: to what, at which moment of the step, and at which attempt."""

    step_id: str
    attempt: int
    moment: str
    question: str
    answer: Answer


class Recorder(Protocol):
    """Where the engine leaves its results; each returns once the result is durable."""

    async def attempt(
        self, unit: LoadedUnit, index: int, step: ReadyStep, performed: Performed
    ) -> None:
        """Keep one attempt."""

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Keep what the operator answered."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep how the run ended."""
