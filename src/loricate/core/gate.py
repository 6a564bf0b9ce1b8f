"""The gate: the requirements that a unit must meet to be certified, each with its reason."""

import datetime as dt
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from loricate.core.fixtures.daily_check import is_valid
from loricate.core.fixtures.zeroes import Zero, is_young
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.impedance import ImpedanceZero
from loricate.core.products.expected import Done, is_left_out, is_met
from loricate.core.products.families.section import Expectation
from loricate.core.products.product import NotTested


@dataclass(frozen=True, slots=True)
class Requirement:
    """One requirement of the gate."""

    name: str
    met: bool
    reason: str


EXPECTED, MEASURED = "expected tests passed", "measured by an instrument"
READINGS_KEPT = "readings kept"


def after_letting_go(gate: Sequence[Requirement], day: str) -> tuple[Requirement, ...]:
    """The gate of a unit whose readings went: what they met is not known, and nothing opens it."""
    reason = f"What was measured was let go on {day}; nothing is certified by it any more."
    kept = (each for each in gate if each.name not in (EXPECTED, MEASURED))
    return (*kept, Requirement(READINGS_KEPT, False, reason))


@dataclass(frozen=True, slots=True)
class Coverage:
    """What was expected of a product, what is left out, and what came of each step."""

    not_tested: Sequence[NotTested]
    expected: Sequence[Expectation]
    done: Mapping[str, Done]


def certificate_gate(
    run_state: str,
    sequence_status: str,
    expected_steps: Sequence[str],
    latest: Mapping[str, Verdict],
    calibration_due: Mapping[str, dt.date],
    tested_on: dt.date,
    tests: Coverage,
    doubted: Mapping[str, str],
    upkeep: Sequence[Requirement] = (),
) -> tuple[Requirement, ...]:
    """Judge a unit in a run. ``latest`` is the verdict of each step's latest attempt.

    ``tests`` are what was expected and what was done; ``doubted`` says, by instrument, what of it
    was not plausible. ``upkeep`` are the requirements of the fixture as they were when the run was
    started.
    """
    missing = [step for step in expected_steps if step not in latest]
    unpassed = [step for step, verdict in latest.items() if verdict is not Verdict.PASS]
    overdue = [name for name, due in calibration_due.items() if due < tested_on]
    return (
        Requirement(
            "run finished",
            run_state == "finished",
            "The run came to its end." if run_state == "finished" else f"The run is {run_state}.",
        ),
        Requirement(
            "sequence released",
            sequence_status == "released",
            f"The sequence's revision is {sequence_status}.",
        ),
        Requirement(
            "every step done",
            not missing,
            f"Never done: {', '.join(missing)}." if missing else "Each step has an attempt.",
        ),
        Requirement(
            "every step passed",
            not unpassed and not missing,
            f"Not passed: {', '.join(unpassed)}."
            if unpassed
            else "Each latest attempt passed."
            if not missing
            else "Some steps were never done.",
        ),
        Requirement(
            "calibration in date",
            not overdue,
            f"Out of date: {', '.join(overdue)}." if overdue else "Each instrument was in date.",
        ),
        expected_requirement(tests),
        measured_requirement(tests),
        doubt_requirement(doubted),
        *upkeep,
    )


def expected_requirement(tests: Coverage) -> Requirement:
    """Whether each test that is expected was performed, measured and passed; skipped is not."""
    left = [each for each in tests.expected if is_left_out(tests.not_tested, each)]
    lacking = [each for each in tests.expected if each not in left and not is_met(each, tests.done)]
    if lacking:
        told = "; ".join(each.text for each in lacking)
        return Requirement(EXPECTED, False, f"Not performed, measured and passed: {told}.")
    waivers = [
        f"{each.kind.replace('_', ' ')} is left out by {each.by}: {each.reason}"
        for each in tests.not_tested
    ]
    told = " ".join(text[0].upper() + text[1:].rstrip(".") + "." for text in waivers)
    return Requirement(EXPECTED, True, told or "Each test that the product asks for was measured.")


def measured_requirement(tests: Coverage) -> Requirement:
    """Whether an instrument measured anything; without that nothing is certified."""
    measured = any(each.is_measured for each in tests.done.values())
    reason = "Instruments measured." if measured else "No instrument measured anything that passed."
    return Requirement(MEASURED, measured, reason)


def doubt_requirement(doubted: Mapping[str, str]) -> Requirement:
    """Whether every instrument was believed since its last daily check."""
    name = "instruments believed"
    if not doubted:
        return Requirement(name, True, "Nothing that the instruments said was doubted.")
    told = "; ".join(f"{instrument} {text}" for instrument, text in doubted.items())
    remedy = "Put the instrument right and do the daily check with it."
    return Requirement(name, False, f"Not plausible: {told}. {remedy}")


def check_requirement(
    planned: bool,
    passed: bool | None,
    ended_at: dt.datetime | None,
    lasts_s: float,
    at: dt.datetime,
    unchecked: Sequence[str] = (),
) -> Requirement:
    """Whether the daily check of a fixture counts at a moment; ``passed`` is None before any.

    ``unchecked`` are instruments that may be taken and that it did not measure with.
    """
    name = "daily check passed"
    if not planned:
        return Requirement(name, False, "The bench file names no daily check; add one.")
    if passed is None or ended_at is None:
        return Requirement(name, False, "The fixture was never checked; do its daily check.")
    when = f"{ended_at:%Y-%m-%d %H:%M} UTC"
    if not passed:
        return Requirement(
            name, False, f"The check of {when} failed; put it right and check again."
        )
    if not is_valid(passed, ended_at, lasts_s, at):
        return Requirement(name, False, f"The check of {when} is over; do the daily check again.")
    if unchecked:
        names = " and ".join(unchecked)
        reason = f"The check of {when} did not measure with {names}; do the daily check again."
        return Requirement(name, False, reason)
    return Requirement(name, True, f"Checked {when}.")


def zero_requirement(
    wanted: Mapping[str, Sequence[Hashable]],
    zeroes: Mapping[str, Mapping[Any, Zero | ImpedanceZero]],
    lasts_s: float,
    at: dt.datetime,
) -> Requirement:
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
        return Requirement(
            name, False, f"Nest {', '.join(missing)} was never zeroed; zero its leads."
        )
    if old:
        return Requirement(
            name, False, f"The zero of nest {', '.join(old)} is too old; zero again."
        )
    return Requirement(name, True, "The leads of each nest are zeroed.")


def is_open(gate: Sequence[Requirement]) -> bool:
    """Whether every requirement is met."""
    return all(requirement.met for requirement in gate)
