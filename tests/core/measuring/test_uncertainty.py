"""Accuracy figures become expanded uncertainties at k = 2."""

import math

import pytest

from loricate.core.measuring.uncertainty import Accuracy


def test_a_rectangular_statement_is_divided_by_root_three() -> None:
    accuracy = Accuracy(of_reading=0.01, of_range=0.001, range=1000.0)
    assert accuracy.expanded(500.0) == pytest.approx(2 * (5.0 + 1.0) / math.sqrt(3))


def test_a_normal_statement_is_taken_as_given() -> None:
    assert Accuracy(absolute=4e-6, distribution="normal").expanded(1e-4) == 4e-6


def test_the_sign_of_the_reading_does_not_matter() -> None:
    accuracy = Accuracy(of_reading=0.01)
    assert accuracy.expanded(-3.0) == accuracy.expanded(3.0) > 0
