"""Grading: bounded readings, guard bands, and what a step and a unit make of their parts."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.limits.limit import Limit
from loricate.core.measuring.grading import (
    Band,
    Cause,
    DecisionRule,
    Fault,
    Measured,
    Verdict,
    grade,
    grade_step,
    grade_unit,
    margin,
    worst,
)  # fmt: skip
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.quantities import CURRENT, RESISTANCE

SIMPLE = DecisionRule()
UPPER = Limit(dimension="current", maximum=100e-6)
LOWER = Limit(dimension="resistance", minimum=2e6)


def amperes(value: float, bound: Bound = Bound.EXACT, u: float = 0.0) -> Reading:
    return Reading("current", value, CURRENT, bound=bound, uncertainty=u)


def ohms(value: float, bound: Bound = Bound.EXACT) -> Reading:
    return Reading("resistance", value, RESISTANCE, bound=bound)


@pytest.mark.parametrize(
    ("reading", "limit", "verdict"),
    [
        (amperes(100e-6), UPPER, Verdict.PASS),
        (amperes(100.1e-6), UPPER, Verdict.FAIL),
        (amperes(50e-9, Bound.BELOW), UPPER, Verdict.PASS),
        (amperes(200e-6, Bound.BELOW), UPPER, Verdict.INCONCLUSIVE),
        (amperes(50e-6, Bound.ABOVE), UPPER, Verdict.INCONCLUSIVE),
        (amperes(0.1, Bound.ABOVE), UPPER, Verdict.FAIL),
        (ohms(10e9, Bound.ABOVE), LOWER, Verdict.PASS),
        (ohms(2e6, Bound.ABOVE), LOWER, Verdict.PASS),
        (ohms(1e6, Bound.ABOVE), LOWER, Verdict.INCONCLUSIVE),
        (ohms(1e6, Bound.BELOW), LOWER, Verdict.FAIL),
        (ohms(1.9e6), LOWER, Verdict.FAIL),
        (amperes(math.nan), UPPER, Verdict.INCONCLUSIVE),
    ],
)
def test_simple_acceptance(reading: Reading, limit: Limit, verdict: Verdict) -> None:
    assert grade(reading, limit, SIMPLE).verdict is verdict


@pytest.mark.parametrize(
    ("microamperes", "r", "guarded"),
    [
        (96.0, 1.0, "pass"),
        (96.01, 1.0, "conditional pass"),
        (96.68, 0.83, "pass"),
        (96.69, 0.83, "conditional pass"),
        (100.0, 1.0, "conditional pass"),
        (103.9, 1.0, "conditional fail"),
        (104.1, 1.0, "fail"),
    ],
)
def test_guard_band(microamperes: float, r: float, guarded: str) -> None:
    rule = DecisionRule(rule="guarded", r=r)
    graded = grade(amperes(microamperes * 1e-6, u=4e-6), UPPER, rule)
    assert graded.guarded == guarded
    assert (graded.verdict is Verdict.INCONCLUSIVE) == guarded.startswith("conditional")


@given(
    value=st.floats(1e-9, 1e-2),
    u=st.floats(0, 1e-3),
    maximum=st.floats(1e-9, 1e-2),
)
def test_a_guarded_pass_is_always_a_simple_pass(value: float, u: float, maximum: float) -> None:
    limit = Limit(dimension="current", maximum=maximum)
    guarded = grade(amperes(value, u=u), limit, DecisionRule(rule="guarded"))
    if guarded.verdict is Verdict.PASS:
        assert grade(amperes(value, u=u), limit, SIMPLE).verdict is Verdict.PASS


@given(value=st.floats(1e-9, 1), low=st.floats(1e-9, 1), span=st.floats(1e-9, 1))
def test_a_margin_is_positive_just_inside_the_limits(value: float, low: float, span: float) -> None:
    limit = Limit(dimension="current", minimum=low, maximum=low + span)
    space = margin(value, limit)
    assert space is not None
    assert (space >= 0) == (low <= value <= low + span)


def test_margin_is_a_fraction_of_the_limit() -> None:
    assert margin(80e-6, UPPER) == pytest.approx(0.2)
    assert margin(3e6, LOWER) == pytest.approx(0.5)
    assert margin(1.0, Limit(dimension="current")) is None


def test_a_limit_without_its_reading_is_inconclusive() -> None:
    """A procedure cannot pass by staying silent."""
    graded = grade_step(Measured(()), {Measurand("current"): UPPER}, SIMPLE)
    assert (graded.verdict, graded.cause) == (Verdict.INCONCLUSIVE, Cause.UNDECIDED)


def test_a_cause_found_outright_fails_whatever_the_readings_say() -> None:
    measured = Measured((amperes(1e-6),), (Fault(Cause.BREAKDOWN),))
    graded = grade_step(measured, {Measurand("current"): UPPER}, SIMPLE)
    assert (graded.verdict, graded.cause) == (Verdict.FAIL, Cause.BREAKDOWN)
    assert graded.readings[0].grade is not None


def test_the_worst_reading_decides_a_step() -> None:
    measured = Measured((amperes(1e-6), ohms(1e6)))
    graded = grade_step(
        measured, {Measurand("current"): UPPER, Measurand("resistance"): LOWER}, SIMPLE
    )
    assert (graded.verdict, graded.cause) == (Verdict.FAIL, Cause.UNDER_LIMIT)


def test_a_step_without_limits_passes() -> None:
    assert grade_step(Measured((amperes(1.0),)), {}, SIMPLE).verdict is Verdict.PASS


@given(st.lists(st.sampled_from(Verdict), min_size=1))
def test_a_unit_passes_only_when_every_step_passed(verdicts: list[Verdict]) -> None:
    passed = grade_unit(verdicts) is Verdict.PASS
    assert passed == all(verdict is Verdict.PASS for verdict in verdicts)


def test_a_unit_with_nothing_done_is_inconclusive() -> None:
    assert grade_unit([]) is Verdict.INCONCLUSIVE
    assert worst([]) is Verdict.NOT_RUN


CURRENT_KEY, OHMS_KEY = Measurand("current"), Measurand("resistance")
LIMITS = {CURRENT_KEY: UPPER, OHMS_KEY: LOWER}


def test_a_limit_that_stays_ungraded_says_why_and_decides_nothing() -> None:
    measured = Measured((amperes(9.0), ohms(1e9)), ungraded={CURRENT_KEY: "the unit was cold"})
    graded = grade_step(measured, LIMITS, SIMPLE)
    assert graded.verdict is Verdict.PASS
    assert graded.readings[0].grade is None and graded.readings[0].limit == UPPER
    assert graded.readings[0].ungraded == "the unit was cold"


def test_a_step_whose_every_limit_stays_ungraded_does_not_pass() -> None:
    """Nothing was judged: that is no pass, whatever the reasons."""
    measured = Measured((amperes(1e-6),), ungraded={CURRENT_KEY: "said, not graded"})
    graded = grade_step(measured, {CURRENT_KEY: UPPER}, SIMPLE)
    assert (graded.verdict, graded.cause) == (Verdict.INCONCLUSIVE, Cause.UNDECIDED)


def test_a_reading_that_never_came_cannot_stay_ungraded() -> None:
    graded = grade_step(Measured((ohms(1e9),), ungraded={CURRENT_KEY: "never"}), LIMITS, SIMPLE)
    assert graded.verdict is Verdict.INCONCLUSIVE


def test_each_point_is_held_against_its_own_limit() -> None:
    limits = {Measurand("current", "A"): UPPER, Measurand("current", "B"): UPPER}
    good, bad = amperes(1e-6).at("A"), amperes(9.0).at("B")
    assert grade_step(Measured((good, bad)), limits, SIMPLE).cause is Cause.OVER_LIMIT
    unmeasured = grade_step(Measured((good, amperes(1e-6))), limits, SIMPLE)
    assert unmeasured.verdict is Verdict.INCONCLUSIVE, "of another point is not of this one"


def test_a_step_may_find_any_number_of_faults() -> None:
    faults = (Fault(Cause.OPEN, "A"), Fault(Cause.SHORT, "B", "B reaches C."))
    graded = grade_step(Measured(faults=faults), {}, SIMPLE)
    assert (graded.verdict, graded.cause, graded.faults) == (Verdict.FAIL, Cause.OPEN, faults)


def test_a_fault_that_gives_way_is_not_said_where_a_limit_is_failed() -> None:
    weak = Fault(Cause.LEVEL_NOT_REACHED, gives_way=True)
    failed = grade_step(Measured((amperes(9.0),), (weak,)), {CURRENT_KEY: UPPER}, SIMPLE)
    assert (failed.cause, failed.faults) == (Cause.OVER_LIMIT, ())
    held = grade_step(Measured((amperes(1e-6),), (weak,)), {CURRENT_KEY: UPPER}, SIMPLE)
    assert (held.cause, held.faults) == (Cause.LEVEL_NOT_REACHED, (weak,))


@pytest.mark.parametrize(
    ("value", "bound", "band"),
    [
        (1e-6, Bound.EXACT, Band.GOOD),
        (90e-6, Bound.EXACT, Band.CAUTION),
        (90e-6, Bound.BELOW, Band.GOOD),
        (101e-6, Bound.EXACT, Band.BAD),
    ],
)
def test_what_passes_near_its_limit_is_marked(value: float, bound: Bound, band: Band) -> None:
    limit = UPPER.model_copy(update={"caution_above": 80e-6})
    assert grade(amperes(value, bound=bound), limit, SIMPLE).band is band


@given(st.floats(0, 1e-3), st.sampled_from(Bound))
def test_a_caution_changes_no_verdict(value: float, bound: Bound) -> None:
    near = UPPER.model_copy(update={"caution_above": 80e-6})
    reading = amperes(value, bound=bound)
    assert grade(reading, near, SIMPLE).verdict is grade(reading, UPPER, SIMPLE).verdict
