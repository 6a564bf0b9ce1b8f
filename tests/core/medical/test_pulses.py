"""A defibrillator's pulse against the figures of its circuit, and what is lost in a minute."""

import math

import numpy as np
import pytest

from loricate.core.measuring.actions import Look
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.medical.losses import loss_between
from loricate.core.medical.pulses import FARADS, HENRIES, due_pulse, recorded_pulse


def test_the_pulse_of_the_standard_with_the_most_resistance_it_allows() -> None:
    due = due_pulse(5000.0, 11.0)
    assert due.energy_j == pytest.approx(360.4, abs=0.05)
    assert due.peak_a == pytest.approx(39.33, abs=0.005)
    assert due.peak_at_s == pytest.approx(0.6823e-3, abs=1e-7)
    assert due_pulse(5000.0, 0.0).energy_j == pytest.approx(400.0)


@pytest.mark.parametrize("series_ohms", [0.0, 4.0, 11.0])
def test_a_record_of_that_circuit_says_what_is_due(series_ohms: float) -> None:
    """Step by step through the circuit's own equation, not by the formula that is tried."""
    step_s, volts, amperes, wave = 1e-6, 5000.0, 0.0, []
    for _ in range(40_000):
        wave.append(amperes * 100.0)
        middle = amperes + step_s / 2 * (volts - (series_ohms + 100.0) * amperes) / HENRIES
        volts -= step_s * middle / FARADS
        amperes += step_s * (volts - (series_ohms + 100.0) * middle) / HENRIES
    found = recorded_pulse((np.arange(40_000) * step_s).tolist(), wave, 100.0)
    due = due_pulse(5000.0, series_ohms)
    assert found.energy_j == pytest.approx(due.energy_j, rel=2e-3)
    assert found.peak_v == pytest.approx(due.peak_v, rel=2e-3)
    assert found.peak_at_s == pytest.approx(due.peak_at_s, rel=0.02)


def look(at_s: float, pascals: float) -> Look:
    sample = Sample(at_s, 0.0, "dwell", {"pressure": pascals})
    return Look(sample, "PG1", {"pressure": Accuracy(absolute=50.0, distribution="normal")})


@pytest.mark.parametrize(("at_s", "fallen_pa"), [(60.0, 500.0), (61.7, 514.1667), (30.0, 250.0)])
def test_a_loss_is_of_the_time_that_passed_between_its_samples(
    at_s: float, fallen_pa: float
) -> None:
    """Captured a little late, it is the same loss a minute."""
    loss = loss_between(look(12.0, 30_000.0), look(12.0 + at_s, 30_000.0 - fallen_pa), "pressure")
    assert loss.over_s == pytest.approx(at_s)
    assert loss.reading.value * 60 == pytest.approx(500.0, rel=1e-6)
    assert loss.reading.uncertainty == pytest.approx(math.hypot(50, 50) / at_s)


@pytest.mark.parametrize("at_s", [0.0, -1.0])
def test_without_time_between_them_two_samples_are_no_loss(at_s: float) -> None:
    loss = loss_between(look(5.0, 30_000.0), look(5.0 + at_s, 10.0), "pressure")
    assert math.isnan(loss.reading.value)
