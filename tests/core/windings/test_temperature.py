"""Corrections to a reference temperature: worked examples, and refusal outside their ranges."""

import math
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.readings import Reading
from loricate.core.quantities import RESISTANCE, TEMPERATURE
from loricate.core.windings.temperature import (
    INSULATION_LEAST_C,
    INSULATION_MOST_C,
    LEAST_C,
    MOST_C,
    Conductor,
    Corrected,
    Insulant,
    OutsideFormula,
    as_corrected,
    conductor_factor,
    insulation_factor,
)


@pytest.mark.parametrize(("reference_c", "ohms"), [(20.0, 1.180), (25.0, 1.203)])
def test_copper_at_31_7_degrees(reference_c: float, ohms: float) -> None:
    corrected = conductor_factor(Conductor.COPPER, 31.7, reference_c)
    assert round(1.2345 * corrected.factor, 3) == ohms
    assert "k = 234.5 °C" in corrected.how and "31.7 °C to" in corrected.how


def test_whose_figure_is_taken_matters_and_is_said() -> None:
    factors = {each: conductor_factor(each, 80.0, 20.0) for each in Conductor}
    assert len({round(each.factor, 6) for each in factors.values()}) == 3
    assert all(each.source in factors[each].how for each in Conductor)


@pytest.mark.parametrize(
    ("insulant", "megohms"), [(Insulant.THERMOPLASTIC, 300.5), (Insulant.THERMOSETTING, 695.8)]
)
def test_insulation_of_850_megohms_at_25_degrees(insulant: Insulant, megohms: float) -> None:
    corrected = insulation_factor(insulant, 25.0)
    assert round(850 * corrected.factor, 1) == megohms and "IEEE 43-2013" in corrected.how


@pytest.mark.parametrize("insulant", Insulant)
@pytest.mark.parametrize(
    "outside_c",
    [
        math.nextafter(INSULATION_LEAST_C, 0), math.nextafter(INSULATION_MOST_C, 99), math.nan,
        math.inf, -math.inf, 9.91e37,
    ],
)  # fmt: skip
def test_outside_of_its_range_nothing_is_extrapolated(insulant: Insulant, outside_c: float) -> None:
    with pytest.raises(OutsideFormula, match=r"10 to 85 °C.*stays as measured"):
        insulation_factor(insulant, outside_c)
    for inside_c in (INSULATION_LEAST_C, INSULATION_MOST_C):
        assert insulation_factor(insulant, inside_c).factor > 0


@pytest.mark.parametrize("outside_c", [LEAST_C - 0.1, MOST_C + 0.1, -234.5, math.nan, 9.91e37])
def test_no_winding_is_that_cold_or_hot(outside_c: float) -> None:
    for unit_c, reference_c in ((outside_c, 20.0), (20.0, outside_c)):
        with pytest.raises(OutsideFormula):
            conductor_factor(Conductor.COPPER, unit_c, reference_c)


@pytest.mark.parametrize("insulant", Insulant)
def test_at_40_degrees_nothing_is_corrected_and_both_parts_meet(insulant: Insulant) -> None:
    assert insulation_factor(insulant, 40.0).factor == pytest.approx(1.0, abs=1e-12)
    below = insulation_factor(insulant, math.nextafter(40.0, 0)).factor
    assert below == pytest.approx(1.0, abs=1e-9)


degrees = st.floats(LEAST_C, MOST_C)


@given(st.sampled_from(Conductor), degrees, degrees, degrees)
def test_there_and_on_is_the_same_as_at_once(
    conductor: Conductor, unit_c: float, between_c: float, reference_c: float
) -> None:
    there = conductor_factor(conductor, unit_c, between_c).factor
    on = conductor_factor(conductor, between_c, reference_c).factor
    at_once = conductor_factor(conductor, unit_c, reference_c).factor
    assert there * on == pytest.approx(at_once, rel=1e-12)


@given(st.sampled_from(Insulant), st.lists(st.floats(10, 85), min_size=2, max_size=2))
def test_the_warmer_the_unit_the_more_it_would_have_at_40(
    insulant: Insulant, both_c: list[float]
) -> None:
    cooler, warmer = (insulation_factor(insulant, each).factor for each in sorted(both_c))
    assert cooler <= warmer


@pytest.mark.parametrize(
    ("at_c", "half_a_kelvin"),
    [(31.7, lambda c: conductor_factor(Conductor.COPPER, c, 20.0)),
     (25.0, lambda c: insulation_factor(Insulant.THERMOPLASTIC, c)),
     (25.0, lambda c: insulation_factor(Insulant.THERMOSETTING, c)),
     (60.0, lambda c: insulation_factor(Insulant.THERMOSETTING, c))],
)  # fmt: skip
def test_what_a_kelvin_changes_is_what_the_formula_says(
    at_c: float, half_a_kelvin: Callable[[float], Corrected]
) -> None:
    below, here, above = (half_a_kelvin(at_c + by) for by in (-0.005, 0.0, 0.005))
    assert abs(above.factor - below.factor) / 0.01 / here.factor == pytest.approx(
        here.per_kelvin, rel=1e-3
    )


def test_the_thermometers_uncertainty_is_in_the_corrected_resistance() -> None:
    ohms = Reading("resistance", 850e6, RESISTANCE, uncertainty=8.5e6)
    warm = Reading("temperature", 25.0, TEMPERATURE, uncertainty=1.0)
    found = as_corrected(ohms, insulation_factor(Insulant.THERMOPLASTIC, 25.0), warm, "at 40")
    assert found.uncertainty / found.value == pytest.approx(math.hypot(0.01, math.log(2) / 10))
    assert found.corrections[0].before == 850e6 and found.corrections[0].what == "temperature"
    assert "0.5^" in found.corrections[0].how and found.quantity == "at 40"
