"""The daily check: an empty fixture that is open everywhere, a good box passed, a bad box failed.

An instrument that passes everything, or fails everything, is as useless as none: so each step of
the check's sequence must pass the known-good box and fail the known-bad one.
"""

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass

from loricate.core.grading import StepGrade, Verdict
from loricate.core.scanner_check import PathFault


@dataclass(frozen=True, slots=True)
class BoxStep:
    """What a step of the check's sequence said of a reference box."""

    step_id: str
    title: str
    grade: StepGrade


def check_findings(
    faults: Sequence[PathFault], good: Sequence[BoxStep], bad: Sequence[BoxStep]
) -> tuple[str, ...]:
    """Why a daily check is not passed: one sentence each, none when it is."""
    found = [fault.text for fault in faults]
    if faults:
        return tuple(found)
    for wanted, box, steps in (
        (Verdict.PASS, "known-good", good),
        (Verdict.FAIL, "known-bad", bad),
    ):
        if not steps:
            found.append(f"The {box} box was not measured.")
        for step in steps:
            verdict = step.grade.verdict
            if verdict is not wanted:
                came_out = str(verdict).replace("_", " ")
                found.append(
                    f"{step.title}: the {box} box must {wanted}, and it came out as {came_out}; "
                    "check that instrument, its leads and the box."
                )
    return tuple(found)


def is_valid(passed: bool, ended_at: dt.datetime, lasts_s: float, at: dt.datetime) -> bool:
    """Whether a daily check counts at a moment."""
    return passed and dt.timedelta(0) <= at - ended_at <= dt.timedelta(seconds=lasts_s)
