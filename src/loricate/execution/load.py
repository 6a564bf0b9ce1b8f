"""The units of a load as the engine sees them, and where it leaves what came of them."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Protocol

from loricate.core.attempts import Attempt, Kept
from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Verdict, grade_unit
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Measurand, Reading


@dataclass(frozen=True, slots=True)
class NestZeroes:
    """The zeroes of one nest that are young enough: leads by contact, impedances by path."""

    leads: Mapping[str, Zero] = field(default_factory=dict)
    paths: Mapping[ImpedancePath, ImpedanceZero] = field(default_factory=dict)


@dataclass(slots=True)
class LoadedUnit:
    """A unit in its nest, with the attempts at each step so far; the latest decides.

    ``todo`` names the steps to be done in this start of the run; None means every step that has no
    outcome yet. ``reasons`` says why a step is repeated, until it has been, and ``again_at`` at
    which points alone.
    """

    run_unit_id: str
    nest: str
    serial: str
    attempts: dict[str, list[Attempt]] = field(default_factory=dict)
    todo: frozenset[str] | None = None
    stands: str = ""  # the position of its own switch, as it was last seen in this run
    reasons: dict[str, str] = field(default_factory=dict)
    again_at: dict[str, frozenset[str]] = field(default_factory=dict)
    halted: bool = False

    def latest(self, step_id: str) -> Attempt | None:
        """The latest attempt at a step, if there was one."""
        made = self.attempts.get(step_id)
        return made[-1] if made else None

    def next_number(self, step_id: str) -> int:
        """The number of the next attempt at a step."""
        return len(self.attempts.get(step_id, ())) + 1

    def tries(self, step_id: str) -> int:
        """How often a step was really tried; what a halt skipped does not count."""
        return sum(attempt.was_tried for attempt in self.attempts.get(step_id, ()))

    @property
    def outcomes(self) -> dict[str, Verdict]:
        """The latest verdict of each step so far."""
        return {step_id: made[-1].verdict for step_id, made in self.attempts.items()}

    def take(self, attempt: Attempt) -> None:
        """Add an attempt; its curves are for the records, and are not held here."""
        self.attempts.setdefault(attempt.step.id, []).append(replace(attempt, curves=()))

    def recall(self, step_id: str, measurand: Measurand) -> Reading | None:
        """What the latest attempt at a step read, if it is to be believed."""
        attempt = self.latest(step_id)
        if attempt is None or attempt.grade.doubts:
            return None
        graded = attempt.reading(measurand.quantity, measurand.point)
        return None if graded is None else graded.reading

    def temperature(self) -> Reading | None:
        """The unit's temperature, as the latest step that asked for it has it, if believed."""
        steps = [made[-1] for made in self.attempts.values() if made[-1].step.kind == "temperature"]
        latest = max(steps, key=lambda each: each.ended_at or each.started_at, default=None)
        if latest is None or latest.grade.verdict is not Verdict.PASS:
            return None
        return self.recall(latest.step.id, Measurand("temperature"))

    @property
    def verdict(self) -> Verdict:
        """The unit's verdict from its steps."""
        latest = (made[-1] for made in self.attempts.values())
        return grade_unit(each.verdict for each in latest if each.cause is not Cause.SKIPPED)

    @property
    def cause(self) -> Cause:
        """Why the unit did not pass: the cause of its first step that did not."""
        latest = (made[-1] for made in self.attempts.values())
        unpassed = (each for each in latest if each.verdict is not Verdict.PASS)
        return next(
            (each.cause for each in unpassed if each.cause is not Cause.SKIPPED), Cause.NONE
        )


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

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        """Keep one attempt."""

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        """Keep readings of a step that goes on."""

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Keep what the operator answered."""

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        """Keep the zero of a lead of the unit's nest."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep how the run ended."""
