"""The error area ratio: its worked example, its edges, and that it has no sense of direction."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.windings.surge import error_area_ratio, peak_of, pulse_to_pulse

TIMES_S = np.arange(1000) * 1e-7
F1 = 1000 * np.exp(-2e4 * TIMES_S) * np.cos(2 * np.pi * 50e3 * TIMES_S)
F2 = 1000 * np.exp(-2.1e4 * TIMES_S) * np.cos(2 * np.pi * 52e3 * TIMES_S)
waves = st.lists(st.floats(-1e4, 1e4), min_size=8, max_size=8).map(np.array)


def test_the_worked_example() -> None:
    assert round(100 * error_area_ratio(F1, F2), 2) == 40.75


def test_a_pulse_against_itself_is_no_error() -> None:
    assert error_area_ratio(F1, F1) == 0.0 and pulse_to_pulse(F1, F1) == 0.0


def test_the_same_pulse_at_other_volts_is_no_error_once_scaled() -> None:
    assert pulse_to_pulse(F1, 1.37 * F1) == pytest.approx(0, abs=1e-12)
    assert error_area_ratio(F1, 1.37 * F1) == pytest.approx(0.37)


def test_peaks_of_opposite_sign_are_twice_the_area_apart() -> None:
    assert peak_of(-F1) == -1000.0
    assert pulse_to_pulse(F1, -F1) == pytest.approx(2.0)


def test_what_differs_in_opposite_senses_does_not_cancel() -> None:
    swapped = F1.copy()
    swapped[[10, 200]] = swapped[[200, 10]]
    assert swapped.sum() == pytest.approx(F1.sum()) and error_area_ratio(F1, swapped) > 0


@pytest.mark.parametrize("other", [F1[:-1], F1.reshape(2, 500)], ids=["cut short", "two rows"])
def test_a_wave_cut_short_is_compared_with_nothing(
    other: "np.ndarray[tuple[int], np.dtype[np.float64]]",
) -> None:
    with pytest.raises(ValueError, match="cannot be compared"):
        error_area_ratio(F1, other)


def test_a_flat_record_is_compared_with_nothing() -> None:
    flat = np.zeros(1000)
    for former, newer in ((flat, F1), (F1, flat)):
        with pytest.raises(ValueError, match="nothing was recorded"):
            pulse_to_pulse(former, newer)
    with pytest.raises(ValueError, match="nothing was recorded"):
        error_area_ratio(flat, F1)


@given(waves, waves, st.floats(0.1, 10))
def test_it_does_not_depend_on_the_unit_of_either(
    one: "np.ndarray[tuple[int], np.dtype[np.float64]]",
    other: "np.ndarray[tuple[int], np.dtype[np.float64]]",
    times: float,
) -> None:
    if np.abs(one).sum() < 1e-3:
        return
    told = error_area_ratio(one, other)
    assert told >= 0
    assert error_area_ratio(times * one, times * other) == pytest.approx(told, rel=1e-9)
