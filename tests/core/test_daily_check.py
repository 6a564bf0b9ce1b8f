"""The daily check: good boxes must pass, bad boxes must fail, and it counts only so long."""

import datetime as dt

import pytest

from loricate.core.daily_check import BoxStep, check_findings, is_valid
from loricate.core.gate import check_condition, zero_condition
from loricate.core.grading import Cause, StepGrade, Verdict
from loricate.core.scanner_check import PathFault
from loricate.core.zeroes import Zero

NOW = dt.datetime(2026, 11, 25, 8, tzinfo=dt.UTC)


def step(verdict: Verdict, title: str = "Withstand") -> BoxStep:
    return BoxStep("withstand", title, StepGrade(verdict, Cause.NONE, ()))


def test_a_sound_bench_leaves_nothing_to_find() -> None:
    assert check_findings((), [step(Verdict.PASS)], [step(Verdict.FAIL)]) == ()


@pytest.mark.parametrize(
    ("good", "bad", "told"),
    [
        (Verdict.FAIL, Verdict.FAIL, "the known-good box must pass, and it came out as fail"),
        (Verdict.PASS, Verdict.PASS, "the known-bad box must fail, and it came out as pass"),
        (Verdict.NOT_RUN, Verdict.FAIL, "came out as not run"),
        (Verdict.PASS, Verdict.INCONCLUSIVE, "came out as inconclusive"),
    ],
)
def test_an_instrument_that_cannot_tell_them_apart_is_named(
    good: Verdict, bad: Verdict, told: str
) -> None:
    (finding,) = check_findings((), [step(good)], [step(bad)])
    assert finding.startswith("Withstand:") and told in finding


def test_a_box_that_was_not_measured_is_no_pass() -> None:
    assert "known-bad box was not measured" in check_findings((), [step(Verdict.PASS)], [])[0]


def test_faults_of_the_scanner_come_alone() -> None:
    fault = PathFault("The relay of row 5 to column 12", 0.05, 5, (12,))
    (finding,) = check_findings([fault], [], [])
    assert "stuck closed; replace the relay" in finding


@pytest.mark.parametrize(("after_s", "valid"), [(-1, False), (0, True), (60, True), (61, False)])
def test_a_check_counts_for_its_time(after_s: int, valid: bool) -> None:
    at = NOW + dt.timedelta(seconds=after_s)
    assert is_valid(True, NOW, 60, at) is valid
    assert not is_valid(False, NOW, 60, at)


@pytest.mark.parametrize(
    ("planned", "passed", "ended", "met", "told"),
    [
        (False, None, None, False, "names no daily check"),
        (True, None, None, False, "never checked"),
        (True, False, NOW, False, "failed"),
        (True, True, NOW, True, "Checked 2026-11-25 08:00 UTC"),
        (True, True, NOW - dt.timedelta(days=2), False, "is over"),
    ],
)
def test_the_gate_says_why_a_check_does_not_count(
    planned: bool, passed: bool | None, ended: dt.datetime | None, met: bool, told: str
) -> None:
    condition = check_condition(planned, passed, ended, 86_400, NOW)
    assert condition.met is met and told in condition.reason


def test_the_gate_names_the_nests_without_a_young_zero() -> None:
    young, old = Zero(7e-3, 0.0, NOW), Zero(7e-3, 0.0, NOW - dt.timedelta(days=8))
    wanted = {"1": ["PE"], "2": ["PE"]}
    lasts_s = 7 * 86_400.0
    assert zero_condition(wanted, {n: {"PE": young} for n in "12"}, lasts_s, NOW).met
    missing = zero_condition(wanted, {"1": {"PE": young}}, lasts_s, NOW)
    assert not missing.met and "Nest 2 was never zeroed" in missing.reason
    aged = zero_condition(wanted, {"1": {"PE": young}, "2": {"PE": old}}, lasts_s, NOW)
    assert not aged.met and "zero of nest 2 is too old" in aged.reason
