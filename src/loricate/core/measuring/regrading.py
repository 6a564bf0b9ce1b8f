"""Grading again what was kept: the same readings and limits must lead to the same verdicts."""

import math
from collections.abc import Iterator, Sequence

from loricate.core.measuring.grading import (
    DecisionRule,
    Grade,
    GradedReading,
    StepGrade,
    Verdict,
    grade,
)


def disagreements(kept: StepGrade, rule: DecisionRule) -> Iterator[str]:
    """What of a step's kept grade does not follow from its kept readings, in words.

    Each reading is held against its limit again. What passed must have nothing in it that did not:
    no reading, no fault; of a step that is repeated that is so of each repetition.
    """
    for each in kept.readings:
        again = _again(each, rule)
        if not _agree(each.grade, again):
            told = "is not judged" if again is None else f"gives {_words(again)}"
            said = "not judged" if each.grade is None else _words(each.grade)
            yield f"{_name(each)} is kept as {said}, and graded again {told}"
    repetitions: Sequence[tuple[int | None, Verdict]] = [
        (each.number, each.verdict) for each in kept.repetitions
    ] or [(None, kept.verdict)]
    for number, verdict in repetitions:
        if verdict is Verdict.PASS:
            of = "" if number is None else f" in repetition {number}"
            for each in kept.readings:
                is_of_it = number is None or each.repetition == number
                if is_of_it and each.grade is not None and each.grade.verdict is not Verdict.PASS:
                    yield f"it passed{of}, and {_name(each)} did not"
            if any(number is None or fault.repetition == number for fault in kept.faults):
                yield f"it passed{of}, and a fault was found"


def _again(kept: GradedReading, rule: DecisionRule) -> Grade | None:
    if kept.limit is None or kept.ungraded:
        return None
    return grade(kept.reading, kept.limit, rule)


def _agree(kept: Grade | None, again: Grade | None) -> bool:
    if kept is None or again is None:
        return kept is again
    if (kept.verdict, kept.cause) != (again.verdict, again.cause):
        return False
    if kept.margin is None or again.margin is None:
        return kept.margin is again.margin
    return math.isclose(kept.margin, again.margin, rel_tol=1e-9, abs_tol=1e-12)


def _name(kept: GradedReading) -> str:
    of = f" of {kept.reading.point}" if kept.reading.point else ""
    return f"{kept.reading.quantity.replace('_', ' ')}{of}"


def _words(graded: Grade) -> str:
    margin = "no margin" if graded.margin is None else f"margin {graded.margin:.6g}"
    why = f" ({graded.cause})" if graded.cause else ""
    return f"{graded.verdict}{why}, {margin}"
