"""Grading again: what was graded agrees with itself, and no verdict can be bettered unseen."""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.grading import (
    Cause,
    DecisionRule,
    Fault,
    Measured,
    Repetition,
    StepGrade,
    Verdict,
    grade_step,
)
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.regrading import disagreements
from loricate.core.quantities import CURRENT

LIMIT = Limit(
    dimension="current", minimum=1e-3, maximum=5e-3, source=LimitSource(standard="the test")
)
READINGS = st.builds(
    Reading,
    quantity=st.just("current"),
    value=st.floats(0, 1e-2) | st.just(float("nan")),
    dimension=st.just(CURRENT),
    point=st.sampled_from(["", "A", "B"]),
    bound=st.sampled_from(list(Bound)),
    uncertainty=st.floats(0, 1e-3),
)
MEASURED = st.builds(
    Measured,
    readings=st.lists(READINGS, max_size=4, unique_by=lambda each: each.point).map(tuple),
    faults=st.lists(st.just(Fault(Cause.OPEN)), max_size=1).map(tuple),
    ungraded=st.dictionaries(st.just(Measurand("current", "A")), st.just("too high"), max_size=1),
)
RULES = st.sampled_from([DecisionRule(), DecisionRule(rule="guarded", r=0.83)])
LIMITS = {Measurand("current", point): LIMIT for point in ("", "A", "B")}


@given(MEASURED, RULES)
def test_what_was_graded_grades_the_same_again(measured: Measured, rule: DecisionRule) -> None:
    assert list(disagreements(grade_step(measured, LIMITS, rule), rule)) == []


@given(MEASURED, RULES, st.data())
def test_no_verdict_is_bettered_unseen(
    measured: Measured, rule: DecisionRule, data: st.DataObject
) -> None:
    kept = grade_step(measured, LIMITS, rule)
    graded = [each for each in kept.readings if each.grade is not None]
    if kept.verdict is not Verdict.PASS and (graded or kept.faults):
        bettered = replace(kept, verdict=Verdict.PASS, cause=Cause.NONE)
        is_decided_by_these = bool(kept.faults) or any(
            each.grade is not None and each.grade.verdict is not Verdict.PASS for each in graded
        )
        assert bool(list(disagreements(bettered, rule))) == is_decided_by_these
    if graded:
        one = data.draw(st.sampled_from(graded))
        assert one.grade is not None
        other = data.draw(
            st.sampled_from([each for each in Verdict if each is not one.grade.verdict])
        )
        changed = replace(one, grade=replace(one.grade, verdict=other))
        readings = tuple(changed if each is one else each for each in kept.readings)
        assert list(disagreements(replace(kept, readings=readings), rule))


def test_a_reading_that_was_not_judged_must_say_why() -> None:
    reading = Reading("current", 2e-3, CURRENT)
    kept = grade_step(Measured((reading,)), {Measurand("current"): LIMIT}, DecisionRule())
    silent = tuple(replace(each, grade=None) for each in kept.readings)
    (told,) = disagreements(replace(kept, readings=silent), DecisionRule())
    assert "kept as not judged" in told


def test_of_a_repeated_step_each_repetition_answers_for_itself() -> None:
    good, bad = (
        grade_step(
            Measured((Reading("current", value, CURRENT),)),
            {Measurand("current"): LIMIT},
            DecisionRule(),
        ).readings[0]
        for value in (2e-3, 9e-3)
    )
    readings = (good, replace(bad, repetition=2))
    kept = StepGrade(
        Verdict.PASS,
        Cause.NONE,
        readings,
        repetitions=(
            Repetition(1, Verdict.PASS, Cause.NONE),
            Repetition(2, Verdict.FAIL, Cause.OVER_LIMIT),
        ),
    )
    assert list(disagreements(kept, DecisionRule())) == [], "one of the two is enough here"
    swapped = replace(
        kept,
        repetitions=tuple(
            reversed([replace(each, number=3 - each.number) for each in kept.repetitions])
        ),
    )
    assert list(disagreements(swapped, DecisionRule())) == [
        "it passed in repetition 2, and current did not"
    ]
