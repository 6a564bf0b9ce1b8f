"""Until when an output is held: whatever samples come, in whatever pace."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.errors import ProcedureError
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.holding import (
    Answered,
    For,
    Holding,
    Leaves,
    Marks,
    Rises,
    Settled,
    Until,
)

STEPS = st.lists(st.floats(0.001, 5.0), min_size=1, max_size=60)
VALUES = st.lists(st.floats(-1e3, 1e3), min_size=60, max_size=60)


def samples(steps: list[float], values: list[float], began: float = 7.0) -> list[Sample]:
    """Looks at an output, so many seconds after one another."""
    moments = [began]
    for step in steps:
        moments.append(moments[-1] + step)
    return [
        Sample(moment, 0.0, "dwell", {"current": value})
        for moment, value in zip(moments, values, strict=False)
    ]


def held(until: tuple[Until, ...], seen: list[Sample]) -> tuple[Until | None, int, Holding]:
    """Which end was met, with which sample (or after all of them), and the hold."""
    holding = Holding(until)
    for place, sample in enumerate(seen):
        if (met := holding.see(sample)) is not None:
            return met, place, holding
    return None, len(seen), holding


@given(STEPS, VALUES, st.floats(0.1, 60.0))
def test_a_time_is_over_at_the_first_look_after_it_and_not_before(
    steps: list[float], values: list[float], seconds: float
) -> None:
    seen = samples(steps, values)
    met, place, _ = held((For(seconds),), seen)
    passed = [sample.elapsed_s - seen[0].elapsed_s for sample in seen]
    assert all(each < seconds for each in passed[:place])
    assert (met is not None) == (place < len(seen)) and (met is None or passed[place] >= seconds)


@given(STEPS, VALUES, st.lists(st.floats(0.0, 30.0), min_size=1, max_size=6, unique=True))
def test_each_mark_has_the_first_look_at_or_after_it(
    steps: list[float], values: list[float], times: list[float]
) -> None:
    seen = samples(steps, values)
    _, place, holding = held((Marks(tuple(times)),), seen)
    looked = seen[: place + 1]
    for mark in times:
        after = [each for each in looked if each.elapsed_s - seen[0].elapsed_s >= mark]
        assert holding.at.get(mark) == (after[0] if after else None)


@given(STEPS, VALUES, st.floats(0.001, 0.5), st.floats(0.1, 10.0))
def test_what_has_settled_stayed_within_its_share_for_the_whole_time(
    steps: list[float], values: list[float], within: float, over_s: float
) -> None:
    seen = samples(steps, values)
    settled = Settled("current", within, over_s)
    met, place, _ = held((settled, For(1e6)), seen)
    if met is not settled:
        return
    end = seen[place]
    assert end.elapsed_s - seen[0].elapsed_s >= over_s, "it was looked at for that long"
    inside = [each.values["current"] for each in seen[: place + 1]
              if each.elapsed_s > end.elapsed_s - over_s]  # fmt: skip
    assert max(inside) - min(inside) <= within * abs(end.values["current"]) + 1e-12


@given(STEPS, VALUES)
def test_the_extremes_are_those_of_what_was_seen(steps: list[float], values: list[float]) -> None:
    seen = samples(steps, values)
    _, _, holding = held((For(1e6),), seen)
    own = [each.values["current"] for each in seen]
    assert (holding.lowest["current"], holding.highest["current"]) == (min(own), max(own))


def test_the_first_condition_in_their_order_is_the_one_that_is_told() -> None:
    rises, leaves = Rises("current", 2.0), Leaves("current", maximum=5.0)
    seen = samples([1, 1, 1], [1.0, 1.5, 9.0, 9.0])
    assert held((rises, leaves, For(10)), seen)[:2] == (rises, 2)
    assert held((leaves, rises, For(10)), seen)[:2] == (leaves, 2)


def test_a_quantity_that_is_not_shown_meets_nothing() -> None:
    for until in (Settled("power", 1.0, 0.1), Rises("power", 0.0), Leaves("power", 1.0)):
        assert held((until, For(1e6)), samples([1] * 9, [1.0] * 10))[0] is None


@pytest.mark.parametrize("until", [(), (Answered("Done?", ("yes",)),), (Settled("x", 1, 1),)])
def test_nothing_is_held_for_ever(until: tuple[Until, ...]) -> None:
    with pytest.raises(ProcedureError, match="held for ever"):
        Holding(until)


def test_it_lasts_no_longer_than_the_shortest_of_its_times() -> None:
    assert Holding((For(9.0), Marks((1.0, 4.0)))).longest_s == 4.0
    assert math.isfinite(Holding((For(9.0),)).longest_s)
