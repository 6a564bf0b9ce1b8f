"""An attempt at a step: the one object that engine, records, certificates and API speak of."""

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from loricate.core.measuring.curves import Curve
from loricate.core.measuring.grading import Cause, Fault, GradedReading, StepGrade, Verdict
from loricate.core.measuring.readings import Reading

if TYPE_CHECKING:  # a client knows attempts and need not know every kind of step
    from loricate.core.sequences.released import StepAsDone

# Attempts that only say why a step was not tried.
NOT_TRIED = frozenset({Cause.UNIT_HALTED, Cause.SKIPPED, Cause.CONDITION_NOT_MET})


class RunState(StrEnum):
    """Where a run stands."""

    CREATED = "created"
    ARMED = "armed"
    RUNNING = "running"
    FINISHED = "finished"
    ABORTED = "aborted"
    INTERRUPTED = "interrupted"


@dataclass(frozen=True, slots=True)
class Attempt:
    """One attempt at a step for one unit: ``number`` counts from 1 for the unit in its run.

    ``index`` is the step's place in its sequence, ``reason`` why it was done again. The curves are
    there when it comes from the engine; of one that comes from the records ``curve_count`` says how
    many can be asked for.
    """

    step: "StepAsDone"
    index: int
    number: int
    grade: StepGrade
    note: str = ""
    reason: str = ""
    started_at: str = ""
    ended_at: str = ""
    curves: tuple[Curve, ...] = ()
    curve_count: int = 0

    @property
    def verdict(self) -> Verdict:
        """What came of it."""
        return self.grade.verdict

    @property
    def cause(self) -> Cause:
        """Why it did not pass."""
        return self.grade.cause

    @property
    def was_tried(self) -> bool:
        """Whether something was done, rather than said why nothing was."""
        return self.cause not in NOT_TRIED

    @property
    def is_measured(self) -> bool:
        """Whether an instrument read something that passed its limit."""
        return any(
            graded.reading.instrument
            and graded.grade is not None
            and graded.grade.verdict is Verdict.PASS
            for graded in self.grade.readings
        )

    def reading(self, quantity: str, point: str = "", repetition: int = 1) -> GradedReading | None:
        """One of its readings, if it has it."""
        wanted = (quantity, point, repetition)
        return next(
            (
                graded
                for graded in self.grade.readings
                if (graded.reading.quantity, graded.reading.point, graded.repetition) == wanted
            ),
            None,
        )


def told_reading(graded: GradedReading) -> dict[str, Any]:
    """A graded reading as the events of a run tell it: what a screen shows of it."""
    reading, limit, grade = graded.reading, graded.limit, graded.grade
    return {
        "quantity": reading.quantity,
        "point": reading.point,
        "repetition": graded.repetition,
        "text": reading.text,
        "limit": limit.text if limit else "",
        "source": limit.source.text if limit else "",
        "margin": grade.margin if grade else None,
        "verdict": grade.verdict if grade else "",
        "guarded": grade.guarded if grade else "",
        "band": (grade.band or "") if grade else "",
        "ungraded": graded.ungraded,
    }


def told_fault(fault: Fault) -> dict[str, Any]:
    """A fault as the events of a run tell it."""
    return {
        "cause": fault.cause,
        "point": fault.point,
        "text": fault.sentence,
        "repetition": fault.repetition,
        "contacts": list(fault.contacts),
    }


@dataclass(frozen=True, slots=True)
class Kept:
    """Readings of a step that goes on: of which attempt, and how long (s) its level had stood."""

    step_id: str
    attempt: int
    at_s: float
    readings: tuple[Reading, ...]
