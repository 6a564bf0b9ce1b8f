"""Ganging: what units in parallel tell of each one, and what they cannot."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.kinds.insulation import Insulation
from loricate.core.kinds.withstand import Withstand
from loricate.core.limits.limit import Limit
from loricate.core.measuring.ganging import share
from loricate.core.measuring.grading import DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE

LEAST = {Measurand("resistance"): Limit(dimension="resistance", minimum=2e6)}
MOST = {Measurand("current"): Limit(dimension="current", maximum=5e-3)}


def grade(measured: Measured, limits: dict[Measurand, Limit]) -> Verdict:
    return grade_step(measured, limits, DecisionRule()).verdict


@given(ohms=st.lists(st.floats(1e5, 1e9), min_size=2, max_size=8))
def test_what_the_parallel_passes_every_unit_would_pass(ohms: list[float]) -> None:
    """The property that lets one measurement stand for several units."""
    together = 1 / sum(1 / each for each in ohms)
    whole = Measured((Reading("resistance", together, RESISTANCE),))
    shared = share(whole, Insulation.ganged, tuple("12345678"[: len(ohms)]))
    if grade(shared, LEAST) is Verdict.PASS:
        for each in ohms:
            assert (
                grade(Measured((Reading("resistance", each, RESISTANCE),)), LEAST) is Verdict.PASS
            )


def test_a_sum_over_the_limit_decides_nothing() -> None:
    whole = Measured((Reading("current", 6e-3, CURRENT), Reading("voltage", 1000.0, VOLTAGE)))
    shared = share(whole, Withstand.ganged, ("1", "2"))
    current, voltage = shared.readings
    assert (current.bound, voltage.bound) == (Bound.BELOW, Bound.EXACT)
    assert grade(shared, MOST) is Verdict.INCONCLUSIVE
    assert "nests 1, 2" in shared.note


@pytest.mark.parametrize(
    ("bound", "value"), [(Bound.EXACT, 1e-3), (Bound.BELOW, 1e-3), (Bound.ABOVE, math.nan)]
)
def test_a_reading_bounded_the_other_way_tells_nothing(bound: Bound, value: float) -> None:
    whole = Measured((Reading("current", 1e-3, CURRENT, bound=bound),))
    (reading,) = share(whole, Withstand.ganged, ("1", "2")).readings
    assert reading.value == pytest.approx(value, nan_ok=True)
