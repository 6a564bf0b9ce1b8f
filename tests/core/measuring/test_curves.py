"""Curves: thinned so that ends, marks and every extreme stay; empty where there is no curve."""

import math
import pickle
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.curves import (
    MOST_IN_ALL,
    Block,
    Column,
    Curve,
    Mark,
    Sample,
    Thinner,
    course_of,
    evenly,
    thinned,
    thinned_together,
)
from loricate.core.quantities import CURRENT, RESISTANCE, TIME, VOLTAGE

DIMENSIONS = {"voltage": VOLTAGE, "current": CURRENT}


def sample(at_s: float, phase: str = "dwell", **values: float) -> Sample:
    return Sample(at_s, 1.0, phase, values)


def curve(values: list[float | None], x: list[float] | None = None, *marks: Mark) -> Curve:
    axis = tuple(x if x is not None else map(float, range(len(values))))
    column = Column("current", CURRENT, tuple(values))
    return Curve("course", Column("elapsed", TIME, axis), (column,), marks=marks)


VALUES = st.lists(st.none() | st.floats(-1e6, 1e6), min_size=1, max_size=400)


@given(VALUES, st.integers(10, 60))
def test_thinning_keeps_ends_and_extremes_in_so_many_samples(
    values: list[float | None], most: int
) -> None:
    thin = thinned(curve(values), most)
    kept = [value for value in thin.columns[0].values if value is not None]
    known = [value for value in values if value is not None]
    assert len(thin) <= max(most, 1) and len(thin) == len(thin.columns[0].values)
    assert (thin.x.values[0], thin.x.values[-1]) == (0, len(values) - 1)
    if known:
        assert max(kept) == pytest.approx(max(known), rel=1e-5)
        assert min(kept) == pytest.approx(min(known), rel=1e-5)


@given(st.integers(0, 4999))
def test_a_spike_of_one_sample_survives_wherever_it_is(place: int) -> None:
    values: list[float | None] = [1e-6] * 5000
    values[place] = 1.0
    assert 1.0 in thinned(curve(values)).columns[0].values


@given(st.integers(1, 20_000), st.integers(8, 200))
def test_a_thinner_holds_so_many_however_long_it_goes_on(count: int, most: int) -> None:
    thinner = Thinner(most)
    spike = count // 3
    for number in range(count):
        thinner.add(sample(float(number), current=9.0 if number == spike else 1.0))
        assert len(thinner.samples) <= 2 * most
    kept = thinner.thin()
    assert len(kept) <= most
    assert 9.0 in [each.values["current"] for each in kept]
    assert [each.elapsed_s for each in kept] == sorted(each.elapsed_s for each in kept)


def test_marks_are_kept_with_the_sample_that_they_stand_at() -> None:
    times = [number / 100 for number in range(3000)]
    thin = thinned(curve([1.0] * 3000, times, Mark(7.77, "dwell"), Mark(20.01, "fall")), 40)
    assert {7.77, 20.01} <= set(thin.x.values)
    assert [mark.text for mark in thin.marks] == ["dwell", "fall"]


def test_microseconds_do_not_round_to_nothing() -> None:
    times = [number * 1.1e-7 for number in range(50)]
    thin = thinned(curve([1.0] * 50, times))
    assert len(set(thin.x.values)) == 50 and thin.x.values[1] == pytest.approx(1.1e-7)


def test_an_x_axis_that_goes_back_and_forth_is_thinned_in_its_order() -> None:
    x = [math.sin(number / 9) for number in range(4000)]
    thin = thinned(curve([float(number) for number in range(4000)], x), 100)
    kept = [value for value in thin.columns[0].values if value is not None]
    assert kept == sorted(kept) and kept[0] == 0 and kept[-1] == 3999


def test_a_course_has_its_quantities_and_each_phase_begins_at_a_mark() -> None:
    made = course_of(
        [
            sample(0.0, "ramp", voltage=0.0),
            sample(0.1, "ramp", voltage=99.123456789, current=1e-6),
            sample(0.2, "dwell", voltage=100.0, current=2e-6),
        ],
        DIMENSIONS,
        "A to B",
    )
    thin = thinned(made)
    assert thin.x.values == (0.0, 0.1, 0.2) and thin.point == "A to B"
    assert {column.name: column.values for column in thin.columns} == {
        "voltage": (0.0, 99.1235, 100.0),
        "current": (None, 1e-6, 2e-6),
    }
    assert [column.dimension for column in thin.columns] == [VOLTAGE, CURRENT]
    assert thin.marks == ((0.0, "ramp"), (0.2, "dwell"))
    assert thin and not course_of([sample(0.0)], {}) and not course_of([], {})


def test_the_curves_of_one_attempt_stay_in_bounds_together() -> None:
    many = [curve([float(number) for number in range(900)]) for _ in range(60)]
    kept = thinned_together([*many, curve([1.0])])
    assert len(kept) == 60, "what is no curve is left out"
    assert sum(map(len, kept)) <= MOST_IN_ALL


def test_columns_are_as_long_as_their_axis() -> None:
    with pytest.raises(ValueError, match="not as long as its x axis"):
        Curve("c", Column("x", TIME, (1.0,)), (Column("r", RESISTANCE, (1.0, 2.0)),))


@pytest.mark.parametrize("is_rising", [True, False])
def test_thousands_of_samples_are_thinned_as_few_are(
    monkeypatch: pytest.MonkeyPatch, is_rising: bool
) -> None:
    """By the quick way and by the plain one the same samples are chosen."""
    chance = random.Random(7)
    values: list[float | None] = [chance.gauss(0, 1) for _ in range(6000)]
    values[100:400] = [None] * 300
    values[2500] = 50.0
    times = [0.5 * place if is_rising else chance.random() for place in range(6000)]
    whole = curve(values, times, Mark(7.0, "a"), Mark(2999.9, "b"))
    quick = thinned(whole, 200)
    monkeypatch.setattr("loricate.core.measuring.curves.LONG", 10**9)
    plain = thinned(whole, 200)
    assert quick == plain and 50.0 in quick.columns[0].values


@given(st.lists(st.floats(width=32), max_size=50))
def test_a_block_is_its_numbers_in_one_piece(numbers: list[float]) -> None:
    block = Block(numbers)
    assert len(block) == len(numbers)
    assert str(list(block)) == str(numbers) == str([block[at] for at in range(len(numbers))])
    assert block.are_numbers is all(map(math.isfinite, numbers))
    is_itself = not any(map(math.isnan, numbers))
    assert (block == Block(numbers)) is is_itself, "what is no number is not the same again"
    assert block != Block([*numbers, 1.0]) and block != numbers
    assert not is_itself or hash(block) == hash(Block(numbers))
    assert list(block[1:3]) == list(Block(numbers[1:3])) or not is_itself
    again = pickle.loads(pickle.dumps(block))
    assert str(list(again)) == str(numbers)


def test_a_block_is_not_changed_by_whoever_reckons_with_it() -> None:
    block = Block([1.0, 2.0, 3.0])
    with pytest.raises(ValueError, match="read-only"):
        np.asarray(block)[0] = 9.0
    assert np.shares_memory(np.asarray(block), np.asarray(block)), "it is not copied for that"
    assert list(np.array(block, copy=True) * 2) == [2.0, 4.0, 6.0]
    assert evenly(1.0, 0.5, 3) == Block([1.0, 1.5, 2.0])
