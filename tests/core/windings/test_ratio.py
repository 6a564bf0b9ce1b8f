"""Turns ratio, its error, and polarity."""

import math

import pytest

from loricate.core.windings.ratio import turns_ratio


def test_the_worked_example() -> None:
    found = turns_ratio(10.05 + 0j, 1 + 0j)
    assert round(100 * found.error(10.0), 2) == 0.50 and found.is_in_phase


def test_a_winding_the_other_way_round_is_out_of_phase() -> None:
    found = turns_ratio(10 + 0j, complex(-1, 0.02))
    assert not found.is_in_phase and found.value == pytest.approx(10, rel=1e-3)


@pytest.mark.parametrize("secondary_v", [0j, complex(math.nan, 0)])
def test_a_winding_without_volts_has_no_ratio(secondary_v: complex) -> None:
    with pytest.raises(ValueError, match="open, or shorted"):
        turns_ratio(10 + 0j, secondary_v)
