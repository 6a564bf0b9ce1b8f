"""A rehearsal: the engine on one nest, with a recorder that keeps nothing."""

from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field

from loricate.core.attempts import Attempt, Kept
from loricate.core.measuring.grading import GradedReading, Verdict
from loricate.core.measuring.readings import Doubt, Measurand, Reading
from loricate.core.sequences.rehearsing import EVERY_POINT
from loricate.execution.load import Answered, LoadedUnit

SERIAL = "rehearsal"  # what stands where a run has the unit's serial


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

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        """Note one attempt."""
        if attempt.grade.doubts and self.keep_doubts is not None:
            await self.keep_doubts(attempt.grade.doubts)
        self.attempts.append(attempt)

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        """A rehearsal keeps nothing."""

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Answers belong to units; a rehearsal has none."""

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        """It counts in this rehearsal."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Note how it ended."""
        self.state, self.note, self.verdict = state, note, verdict

    def readings(
        self, step_id: str, measurand: Measurand, repetition: int
    ) -> tuple[list[GradedReading], str]:
        """Readings of the latest attempt at a step, and the first thing found wrong outright.

        The point ``*`` means each of them. Raises LookupError where there is none to believe.
        """
        attempt = next((each for each in reversed(self.attempts) if each.step.id == step_id), None)
        if attempt is None:
            raise LookupError(f"step '{step_id}' was not performed; rehearse it first.")
        found = [
            each
            for each in attempt.grade.readings
            if each.reading.quantity == measurand.quantity
            and measurand.point in (each.reading.point, EVERY_POINT)
            and each.repetition == repetition
        ]
        if not found:
            known = dict.fromkeys(each.reading.name for each in attempt.grade.readings)
            raise LookupError(f"{step_id} has no reading '{measurand}'; it has {', '.join(known)}.")
        if attempt.grade.doubts:
            doubted = " ".join(doubt.text for doubt in attempt.grade.doubts)
            raise LookupError(f"what {step_id} measured is not believed: {doubted}")
        faults = (each.sentence or f"{step_id}: {each.cause}." for each in attempt.grade.faults)
        return found, next(faults, "")
