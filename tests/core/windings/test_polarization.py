"""Index and absorption ratio with their bounds, the marks, a wobble of the current."""

import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.readings import Bound, Reading
from loricate.core.quantities import CURRENT, RESISTANCE
from loricate.core.windings.polarization import (
    MEANINGLESS_OHMS,
    is_meaningless,
    mark_times,
    ratio_of,
    wobble,
)


def current(amperes: float, bound: Bound = Bound.EXACT, uncertainty: float = 0.0) -> Reading:
    return Reading("current", amperes, CURRENT, bound=bound, uncertainty=uncertainty)


def at_40(ohms: float, bound: Bound = Bound.EXACT) -> Reading:
    return Reading("resistance", ohms, RESISTANCE, bound=bound)


def test_the_worked_example() -> None:
    early, minute, late = current(42.5e-9), current(31.2e-9), current(9.84e-9)
    assert round(ratio_of(early, minute, "absorption_ratio").value, 3) == 1.362
    assert round(ratio_of(minute, late, "index").value, 3) == 3.171


def test_a_late_current_under_the_floor_makes_a_bound() -> None:
    found = ratio_of(current(31.2e-9), current(5e-9, Bound.BELOW), "index")
    assert (found.bound, round(found.value, 2)) == (Bound.ABOVE, 6.24)


@pytest.mark.parametrize(
    ("early", "late"),
    [
        (current(5e-9, Bound.BELOW), current(5e-9, Bound.BELOW)),
        (current(math.nan), current(1e-9)),
        (current(1e-9), current(0.0)),
        (current(0.0), current(1e-9)),
        (current(-1e-9), current(1e-9)),
        (current(math.inf), current(1e-9)),
    ],
)
def test_what_was_not_measured_makes_no_index(early: Reading, late: Reading) -> None:
    assert math.isnan(ratio_of(early, late, "index").value)


def test_uncertainties_add_in_quadrature() -> None:
    found = ratio_of(
        current(30e-9, uncertainty=0.9e-9), current(10e-9, uncertainty=0.4e-9), "index"
    )
    assert found.uncertainty == pytest.approx(3 * 0.05)


@pytest.mark.parametrize(
    ("until_s", "count", "last"), [(60, 4, 60), (180, 8, 180), (600, 15, 600), (45, 3, 45)]
)
def test_the_table_has_its_marks(until_s: float, count: int, last: float) -> None:
    times = mark_times(until_s)
    assert len(times) == count and times[-1] == last and list(times) == sorted(set(times))


@pytest.mark.parametrize(
    ("one_minute", "says_little"),
    [
        (at_40(math.nextafter(MEANINGLESS_OHMS, math.inf)), True),
        (at_40(MEANINGLESS_OHMS), False),
        (at_40(9e9, Bound.ABOVE), True),
        (at_40(9e9, Bound.BELOW), False),
    ],
)
def test_above_5000_megohms_at_40_degrees_an_index_says_little(
    one_minute: Reading, says_little: bool
) -> None:
    assert is_meaningless(one_minute) is says_little


@given(st.floats(0.05, 1.2), st.floats(1e-9, 1e-6))
def test_absorption_alone_does_not_wobble(falls: float, first_a: float) -> None:
    times = [0.5 * number for number in range(1, 1200)]
    assert wobble(times, [first_a * t**-falls for t in times]) < 1e-9


def test_what_leaks_beside_absorption_does_not_wobble_either() -> None:
    """The curve bends where it comes to what leaks."""
    times = [10 + 0.5 * number for number in range(1200)]
    assert wobble(times, [60e-9 + 900e-9 / t for t in times]) < 5e-3


def test_a_bad_contact_wobbles() -> None:
    chance = random.Random(20261127)
    times = [0.5 * number for number in range(1, 1200)]
    currents = [30e-9 * t**-0.5 * (1 + chance.gauss(0, 0.08)) for t in times]
    assert wobble(times, currents) == pytest.approx(0.08, rel=0.15)


@pytest.mark.parametrize("currents", [[1e-9] * 4, [1e-9] * 9 + [0.0], [1e-9] * 9 + [math.nan]])
def test_too_little_tells_nothing_of_a_wobble(currents: list[float]) -> None:
    assert math.isnan(wobble([1.0 + number for number in range(len(currents))], currents))
