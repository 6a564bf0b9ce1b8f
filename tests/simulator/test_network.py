"""The network solver against circuits solved by hand."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.simulator.network import (
    EARTH,
    Capacitor,
    Element,
    Gap,
    Network,
    Resistor,
    Source,
    Transient,
)  # fmt: skip


def test_a_divider_divides() -> None:
    network = Network([Resistor("a", "b", 3_000.0), Resistor("b", EARTH, 1_000.0)])
    solution = network.solve_ac([Source("a", EARTH, 4.0, 1e-3)], 50.0)
    assert solution.at("b").real == pytest.approx(1.0, rel=1e-6)


def test_capacitive_current_at_mains_frequency() -> None:
    """4.7 nF at 1500 V, 50 Hz draws 2.215 mA; with 10 MΩ in parallel 2.220 mA."""
    source = Source("a", EARTH, 1500.0, 1.0)
    alone = Network([Capacitor("a", EARTH, 4.7e-9)])
    assert abs(alone.solve_ac([source], 50.0).current_of(source)) == pytest.approx(
        2.215e-3, rel=3e-4
    )
    leaky = Network([Capacitor("a", EARTH, 4.7e-9), Resistor("a", EARTH, 10e6)])
    assert abs(leaky.solve_ac([source], 50.0).current_of(source)) == pytest.approx(
        2.220e-3, rel=3e-4
    )


def test_ramp_charging_current() -> None:
    """4.7 nF to 2121 V in 1 s draws C·dV/dt = 9.970 µA (9.969 µA by the product)."""
    network, step = Network([Capacitor("a", EARTH, 4.7e-9)]), 0.01
    transient = Transient(network, [Source("a", EARTH, 0.0, 1.0)], step)
    for count in range(1, 101):
        source = Source("a", EARTH, 2121.0 * count * step, 1.0)
        solution = transient.advance([source])
    assert solution.current_of(source).real == pytest.approx(9.969e-6, rel=1e-4)


def test_settling_follows_the_exponential() -> None:
    """1 MΩ into 100 nF: after one time constant 63 % of the step."""
    network, step = Network([Resistor("a", "b", 1e6), Capacitor("b", EARTH, 100e-9)]), 1e-4
    source = Source("a", EARTH, 1.0, 1.0)
    transient = Transient(network, [source], step)
    for _ in range(1000):
        solution = transient.advance([source])
    assert solution.at("b").real == pytest.approx(1 - math.exp(-1), abs=1e-3)


@pytest.mark.parametrize(("hertz", "shown"), [(50.0, 99.87e-6), (964.6, 70.7e-6)])
def test_the_medical_body_network_weights_frequency(hertz: float, shown: float) -> None:
    """IEC 60601-1 figure 12: 100 µA at 50 Hz reads 99.87 µA; at the corner, 0.707 of it."""
    elements: list[Element] = [
        Resistor("p", EARTH, 1_000.0), Resistor("p", "c", 10_000.0), Capacitor("c", EARTH, 15e-9),
    ]  # fmt: skip
    source = Source("p", EARTH, 100e-6 * 1e9, 1e9)  # as good as a current source
    across = abs(Network(elements).solve_ac([source], hertz).at("c"))
    assert across / 1_000.0 == pytest.approx(shown, rel=2e-3)


@given(ohms=st.lists(st.floats(1.0, 1e9), min_size=1, max_size=6))
def test_parallel_resistors_add_as_conductances(ohms: list[float]) -> None:
    source = Source("a", EARTH, 10.0, 1e-3)
    network = Network([Resistor("a", EARTH, each) for each in ohms])
    expected = 10.0 / (1 / sum(1 / each for each in ohms) + 1e-3)
    assert network.solve_ac([source], 50.0).current_of(source).real == pytest.approx(
        expected, rel=1e-6, abs=1e-8
    )


def test_a_floating_part_has_a_defined_voltage() -> None:
    network = Network([Resistor("a", "b", 1.0), Resistor("x", "y", 1.0)])
    assert network.solve_ac([Source("a", EARTH, 5.0, 1.0)], 50.0).at("x") == 0


def test_a_gap_strikes_once_over_its_voltage_and_goes_out_on_release() -> None:
    gap = Gap("a", EARTH, 1000.0)
    network, source = Network([gap]), Source("a", EARTH, 800.0, 1_000.0)
    quiet = network.solve_ac([source], 50.0)
    assert network.strike(quiet, 1.0) == []
    assert network.strike(quiet, math.sqrt(2)) == [gap], "the peak counts, not the rms value"
    assert network.strike(quiet, math.sqrt(2)) == []
    assert abs(network.solve_ac([source], 50.0).at("a")) == pytest.approx(800 * 500 / 1500)
    network.release()
    assert abs(network.solve_ac([source], 50.0).at("a")) == pytest.approx(800, rel=1e-6)


@pytest.mark.parametrize("step_s", [1e-3, 0.01, 0.3, 1.0])
def test_a_transient_is_exact_whatever_its_step(step_s: float) -> None:
    """A ramp through 1 MΩ into 100 nF with 1 GΩ across it: the closed form, at every step."""
    network = Network(
        [Resistor("a", "b", 1e6), Capacitor("b", EARTH, 100e-9), Resistor("b", EARTH, 1e9)]
    )
    transient = Transient(network, [Source("a", EARTH, 0.0, 1e-3)], step_s)
    solution = transient.now()
    for count in range(1, round(1.0 / step_s) + 1):
        solution = transient.advance([Source("a", EARTH, 500.0 * count * step_s, 1e-3)])
    ended_s = round(1.0 / step_s) * step_s
    share, tau = 1e9 / (1e9 + 1e6), 100e-9 * 1e15 / (1e9 + 1e6)
    exact = 500.0 * share * (ended_s - tau * (1 - math.exp(-ended_s / tau)))
    assert solution.at("b").real == pytest.approx(exact, rel=1e-6)


def test_charges_carry_over_and_relax() -> None:
    """Two capacitors of 1 µF, one at 100 V, end at 50 V each; nothing is gained or lost."""
    first, second = Capacitor("a", EARTH, 1e-6), Capacitor("b", EARTH, 1e-6)
    network = Network([first, second, Resistor("a", "b", 1e3)])
    transient = Transient(network, (), 1.0, {first: 100.0})
    transient.advance(())
    assert transient.charges() == pytest.approx({first: 50.0, second: 50.0}, rel=1e-4)
