"""A rehearsal: the engine on one nest, with a recorder that keeps nothing."""

from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field

from loricate.core.measuring.grading import GradedReading, Verdict
from loricate.core.measuring.readings import Doubt
from loricate.core.sequences.sequences import ReadyStep
from loricate.execution.events import now
from loricate.execution.load import Answered, LoadedUnit, Performed

SERIAL = "rehearsal"  # what stands where a run has the unit's serial


@dataclass(frozen=True, slots=True)
class Attempt:
    """One attempt at a step, held only as long as its rehearsal is."""

    step: ReadyStep
    number: int
    performed: Performed
    ended_at: str


@dataclass(slots=True)
class Blackboard:
    """Takes what the engine leaves of a rehearsal; wiped with it, nothing goes to the records.

    But for doubts: an instrument that is not to be believed is so in runs as well.
    """

    attempts: list[Attempt] = field(default_factory=list)
    state: str = ""
    note: str = ""
    verdict: Verdict = Verdict.NOT_RUN
    keep_doubts: Callable[[Sequence[Doubt]], Awaitable[None]] | None = None

    async def attempt(
        self, unit: LoadedUnit, index: int, step: ReadyStep, performed: Performed
    ) -> None:
        """Note one attempt."""
        if performed.grade.doubts and self.keep_doubts is not None:
            await self.keep_doubts(performed.grade.doubts)
        number = 1 + sum(each.step.id == step.id for each in self.attempts)
        self.attempts.append(Attempt(step, number, performed, now()))

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Answers belong to units; a rehearsal has none."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Note how it ended."""
        self.state, self.note, self.verdict = state, note, verdict

    def reading(self, step_id: str, name: str, repetition: int) -> GradedReading:
        """A reading of the latest attempt at a step; raises LookupError where there is none."""
        for attempt in reversed(self.attempts):
            if attempt.step.id != step_id:
                continue
            for each in attempt.performed.grade.readings:
                if (each.reading.name, each.repetition) == (name, repetition):
                    return each
            known = dict.fromkeys(each.reading.name for each in attempt.performed.grade.readings)
            raise LookupError(f"{step_id} has no reading '{name}'; it has {', '.join(known)}.")
        raise LookupError(f"step '{step_id}' was not performed; rehearse it first.")
