"""Repetitions: how many pass, when it is decided, and what becomes of the readings."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from loricate.core.measuring.grading import Cause, GradedReading, StepGrade, Verdict
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.repetitions import (
    Repeat,
    decision,
    grade_repetitions,
    repetitions_text,
)
from loricate.core.quantities import DIMENSIONS

P, F, U, N = Verdict.PASS, Verdict.FAIL, Verdict.INCONCLUSIVE, Verdict.NOT_RUN
MEASURED = st.sampled_from([P, F, U])


@st.composite
def rules(draw: st.DrawFn) -> Repeat:
    times = draw(st.integers(2, 9))
    return Repeat(times=times, needed=draw(st.none() | st.integers(1, times)))


def until_decided(repeat: Repeat, verdicts: list[Verdict]) -> tuple[int, Verdict | None]:
    """How many repetitions it takes, and what they decide."""
    for count in range(1, len(verdicts) + 1):
        if (found := decision(repeat, verdicts[:count])) is not None:
            return count, found
    return len(verdicts), None


@pytest.mark.parametrize(
    ("times", "needed", "came", "decided"),
    [
        (3, None, [P, P], None),
        (3, None, [P, P, P], P),
        (3, None, [F], F),
        (3, None, [P, U], U),
        (5, 3, [F, F, P], None),
        (5, 3, [F, F, P, P, P], P),
        (5, 3, [F, P, F, F], F),
        (5, 3, [F, U, F], U),
        (5, 1, [P], P),
        (5, 3, [P, N], N),
    ],
)
def test_it_is_decided_as_soon_as_it_can_be(
    times: int, needed: int | None, came: list[Verdict], decided: Verdict | None
) -> None:
    assert decision(Repeat(times=times, needed=needed), came) is decided


@given(repeat=rules(), verdicts=st.lists(st.sampled_from([P, F]), min_size=9, max_size=9))
def test_stopping_early_never_changes_the_verdict(repeat: Repeat, verdicts: list[Verdict]) -> None:
    whole = verdicts[: repeat.times]
    _, early = until_decided(repeat, whole)
    assert early is (P if whole.count(P) >= repeat.passes_needed else F)


@given(repeat=rules(), verdicts=st.lists(MEASURED, min_size=9, max_size=9))
def test_an_undecided_repetition_is_never_taken_for_a_pass_or_a_fail(
    repeat: Repeat, verdicts: list[Verdict]
) -> None:
    count, found = until_decided(repeat, verdicts[: repeat.times])
    came = verdicts[:count]
    spare = repeat.times - repeat.passes_needed
    assert found is not None
    assert (found is P) == (came.count(P) >= repeat.passes_needed)
    assert (found is F) == (came.count(F) > spare)


def grade(verdict: Verdict, ohms: float, cause: Cause = Cause.NONE) -> StepGrade:
    reading = Reading("resistance", ohms, DIMENSIONS["resistance"])
    return StepGrade(verdict, cause, (GradedReading(reading, None, None),))


def test_every_repetition_keeps_its_readings_and_the_deciding_one_gives_the_cause() -> None:
    repeat = Repeat(times=4, needed=3)
    grades = [
        grade(P, 0.1), grade(U, 0.2, Cause.UNDECIDED), grade(F, 0.3, Cause.OVER_LIMIT),
    ]  # fmt: skip
    found = grade_repetitions(repeat, grades)
    assert (found.verdict, found.cause) == (U, Cause.UNDECIDED)
    told = [(each.repetition, each.reading.value) for each in found.readings]
    assert told == [(1, 0.1), (2, 0.2), (3, 0.3)]
    assert [(each.number, each.verdict) for each in found.repetitions] == [(1, P), (2, U), (3, F)]
    said = repetitions_text(repeat, [each.verdict for each in grades])
    assert said == "1 passed of 4 times, 3 must pass; stopped after 3."
    passed = grade_repetitions(repeat, [grade(F, 1.0, Cause.OVER_LIMIT), *[grade(P, 0.1)] * 3])
    assert (passed.verdict, passed.cause) == (P, Cause.NONE)
    with pytest.raises(ValueError, match="1 of 4 repetitions decide nothing yet"):
        grade_repetitions(repeat, grades[:1])


def test_more_passes_than_times_cannot_be_asked() -> None:
    with pytest.raises(
        ValidationError, match="needed: 4 passes are more than 3 times can give; ask for at most 3"
    ):
        Repeat(times=3, needed=4)
