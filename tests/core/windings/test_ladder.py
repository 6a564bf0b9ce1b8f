"""The line through the levels of a ladder, and what departs from it."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.windings.ladder import departure, growth, line_through

VOLTS = [1000.0, 2000.0, 3000.0, 4000.0, 5000.0]


@given(st.floats(0, 1e-6), st.floats(1e-13, 1e-9))
def test_a_straight_ladder_lies_on_its_line(offset_a: float, slope: float) -> None:
    amperes = [offset_a + slope * v for v in VOLTS]
    line = line_through(VOLTS, amperes)
    assert line is not None and line.slope_a_per_v == pytest.approx(slope, rel=1e-6)
    assert departure(VOLTS, amperes) == pytest.approx(0, abs=1e-6)


def test_a_knee_departs_from_the_line_of_the_levels_before_it() -> None:
    amperes = [1e-6, 2e-6, 3e-6, 4e-6, 7.5e-6]
    assert departure(VOLTS, amperes) == pytest.approx(0.5)
    assert growth(amperes) == pytest.approx(1.875)


@pytest.mark.parametrize("levels", [0, 1, 2])
def test_there_is_no_line_to_depart_from_before_the_third_level(levels: int) -> None:
    assert math.isnan(departure(VOLTS[:levels], [1e-6] * levels))


def test_no_line_goes_through_one_level_twice() -> None:
    assert line_through([1000.0, 1000.0], [1e-6, 2e-6]) is None


@pytest.mark.parametrize("amperes", [[], [1e-6], [0.0, 1e-6], [math.nan, 1e-6]])
def test_nothing_grows_from_nothing(amperes: list[float]) -> None:
    assert math.isnan(growth(amperes))
