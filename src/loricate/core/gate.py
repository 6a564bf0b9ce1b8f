"""The gate: the conditions that a unit must meet to be certified, each with its reason."""

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from loricate.core.grading import Verdict


@dataclass(frozen=True, slots=True)
class Condition:
    """One condition of the gate."""

    name: str
    met: bool
    reason: str


def certificate_gate(
    run_state: str,
    sequence_status: str,
    expected_steps: Sequence[str],
    latest: Mapping[str, Verdict],
    calibration_due: Mapping[str, dt.date],
    tested_on: dt.date,
) -> tuple[Condition, ...]:
    """Judge a unit in a run. ``latest`` is the verdict of each step's latest attempt."""
    missing = [step for step in expected_steps if step not in latest]
    unpassed = [step for step, verdict in latest.items() if verdict is not Verdict.PASS]
    overdue = [name for name, due in calibration_due.items() if due < tested_on]
    return (
        Condition(
            "run finished",
            run_state == "finished",
            "The run came to its end." if run_state == "finished" else f"The run is {run_state}.",
        ),
        Condition(
            "sequence released",
            sequence_status == "released",
            f"The sequence's revision is {sequence_status}.",
        ),
        Condition(
            "every step done",
            not missing,
            f"Never done: {', '.join(missing)}." if missing else "Each step has an attempt.",
        ),
        Condition(
            "every step passed",
            not unpassed and not missing,
            f"Not passed: {', '.join(unpassed)}." if unpassed else "Each latest attempt passed."
            if not missing else "Some steps were never done.",
        ),
        Condition(
            "calibration in date",
            not overdue,
            f"Out of date: {', '.join(overdue)}." if overdue else "Each instrument was in date.",
        ),
    )  # fmt: skip


def is_open(gate: Sequence[Condition]) -> bool:
    """Whether every condition is met."""
    return all(condition.met for condition in gate)
