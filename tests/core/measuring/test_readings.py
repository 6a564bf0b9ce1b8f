"""Derived readings carry the bound and the uncertainty of what they come from."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.quantities import CURRENT, VOLTAGE


def volts(value: float, **more: float) -> Reading:
    return Reading("voltage", value, VOLTAGE, uncertainty=more.get("u", 0.0))


def test_a_current_below_the_floor_gives_a_resistance_above() -> None:
    current = Reading("current", 50e-9, CURRENT, bound=Bound.BELOW)
    resistance = resistance_of(volts(500.0), current)
    assert resistance.bound is Bound.ABOVE
    assert resistance.text == "> 10.00 GΩ"


def test_a_current_over_range_gives_a_resistance_below() -> None:
    current = Reading("current", 0.1, CURRENT, bound=Bound.ABOVE)
    assert resistance_of(volts(500.0), current).text == "< 5.000 kΩ"


def test_relative_uncertainties_add_in_quadrature() -> None:
    current = Reading("current", 1e-6, CURRENT, uncertainty=4e-8)
    resistance = resistance_of(volts(500.0, u=15.0), current)
    assert resistance.uncertainty / resistance.value == pytest.approx(0.05)


@pytest.mark.parametrize("value", [0.0, math.nan, math.inf])
def test_an_impossible_current_gives_no_number(value: float) -> None:
    assert math.isnan(resistance_of(volts(500.0), Reading("current", value, CURRENT)).value)


def test_bounds_that_pull_apart_give_no_number() -> None:
    voltage = Reading("voltage", 500.0, VOLTAGE, bound=Bound.BELOW)
    assert resistance_of(voltage, Reading("current", 1e-6, CURRENT)).bound is Bound.BELOW
    floored = Reading("current", 50e-9, CURRENT, bound=Bound.BELOW)
    assert math.isnan(resistance_of(voltage, floored).value)


@given(bound=st.sampled_from(Bound))
def test_flipping_a_bound_twice_changes_nothing(bound: Bound) -> None:
    assert bound.flipped.flipped is bound
