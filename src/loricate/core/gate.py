"""The gate: the conditions that a unit must meet to be certified, each with its reason."""

import datetime as dt
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from loricate.core.daily_check import is_valid
from loricate.core.grading import Verdict
from loricate.core.impedance import ImpedanceZero
from loricate.core.zeroes import Zero, is_young


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
    upkeep: Sequence[Condition] = (),
) -> tuple[Condition, ...]:
    """Judge a unit in a run. ``latest`` is the verdict of each step's latest attempt.

    ``upkeep`` are the conditions of the fixture as they were when the run was started.
    """
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
        *upkeep,
    )  # fmt: skip


def check_condition(
    planned: bool,
    passed: bool | None,
    ended_at: dt.datetime | None,
    lasts_s: float,
    at: dt.datetime,
) -> Condition:
    """Whether the daily check of a fixture counts at a moment; ``passed`` is None before any."""
    name = "daily check passed"
    if not planned:
        return Condition(name, False, "The bench file names no daily check; add one.")
    if passed is None or ended_at is None:
        return Condition(name, False, "The fixture was never checked; do its daily check.")
    when = f"{ended_at:%Y-%m-%d %H:%M} UTC"
    if not passed:
        return Condition(name, False, f"The check of {when} failed; put it right and check again.")
    if not is_valid(passed, ended_at, lasts_s, at):
        return Condition(name, False, f"The check of {when} is over; do the daily check again.")
    return Condition(name, True, f"Checked {when}.")


def zero_condition(
    wanted: Mapping[str, Sequence[Hashable]],
    zeroes: Mapping[str, Mapping[Any, Zero | ImpedanceZero]],
    lasts_s: float,
    at: dt.datetime,
) -> Condition:
    """Whether all that is wanted of each nest has a zero that is young enough at a moment.

    Wanted are contacts (their leads) and impedance paths.
    """
    name, missing, old = "leads zeroed", [], []
    for nest, each in wanted.items():
        own = zeroes.get(nest, {})
        if any(one not in own for one in each):
            missing.append(nest)
        elif any(not is_young(own[one].measured_at, lasts_s, at) for one in each):
            old.append(nest)
    if missing:
        return Condition(
            name, False, f"Nest {', '.join(missing)} was never zeroed; zero its leads."
        )
    if old:
        return Condition(name, False, f"The zero of nest {', '.join(old)} is too old; zero again.")
    return Condition(name, True, "The leads of each nest are zeroed.")


def is_open(gate: Sequence[Condition]) -> bool:
    """Whether every condition is met."""
    return all(condition.met for condition in gate)
