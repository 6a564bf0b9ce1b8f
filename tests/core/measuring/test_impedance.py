"""Impedance through a fixture: corrected exactly, for any unit and any fixture."""

import datetime as dt
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.errors import ProcedureError
from loricate.core.fixtures.zeroing import measure_path, path_problem
from loricate.core.kinds.impedance import Impedance
from loricate.core.measuring.actions import Ending, Energise, FixtureZero, Output
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero, corrected
from loricate.core.measuring.readings import Bound

NOW = dt.datetime(2026, 11, 25, tzinfo=dt.UTC)
HERTZ = 1000.0
OMEGA = 2 * math.pi * HERTZ
FINE = Impedance(high="L", low="CHASSIS")


def through(unit: complex, series: complex, stray_f: float) -> complex:
    """What a meter sees of a unit behind leads in series and a stray capacitance across."""
    admittance = 1 / unit + 1j * OMEGA * stray_f
    return series + 1 / admittance


@given(
    ohms=st.floats(1, 1e5), turn=st.floats(-1.5, 1.5), lead=st.floats(1e-3, 2),
    henries=st.floats(0, 5e-6), stray_f=st.floats(1e-12, 200e-12),
)  # fmt: skip
def test_what_the_fixture_adds_is_taken_out_exactly(
    ohms: float, turn: float, lead: float, henries: float, stray_f: float
) -> None:
    unit = ohms * complex(math.cos(turn), math.sin(turn))
    series = complex(lead, OMEGA * henries)
    zero = ImpedanceZero(series + 1 / (1j * OMEGA * stray_f), series, NOW)
    found = corrected(through(unit, series, stray_f), zero)
    assert abs(found - unit) < 1e-6 * abs(unit)


def test_the_open_fixture_itself_is_no_unit() -> None:
    zero = ImpedanceZero(complex(0, -4e6), complex(0.05, 0), NOW)
    assert math.isnan(corrected(complex(0, -4e6), zero).real)


def measure(ohms: complex, zero: ImpedanceZero | None, bound: Bound = Bound.EXACT) -> Measured:
    """Play the impedance meter."""
    procedure = FINE.procedure((), {})
    outcome: object = None
    try:
        action = next(procedure)
        while True:
            outcome = None
            if isinstance(action, FixtureZero):
                assert action.path == ImpedancePath("L", "CHASSIS", HERTZ)
                outcome = zero
            elif isinstance(action, Energise):
                parts = {"resistance": ohms.real, "reactance": ohms.imag}
                outcome = Output(
                    Ending.FINISHED, {"impedance": abs(ohms), **parts}, {"impedance": bound}
                )
            action = procedure.send(outcome)
    except StopIteration as done:
        found: Measured = done.value
        return found


@pytest.mark.parametrize(
    ("ohms", "name", "value"),
    [
        (complex(10, -1 / (OMEGA * 4.7e-9)), "capacitance", 4.7e-9),
        (complex(3, OMEGA * 25e-3), "inductance", 25e-3),
    ],
)
def test_a_component_is_told_by_its_reactance(ohms: complex, name: str, value: float) -> None:
    readings = {each.name: each for each in measure(ohms, None).readings}
    assert set(readings) == {"impedance", "resistance", name}
    assert readings[name].value == pytest.approx(value)
    assert readings["resistance"].value == pytest.approx(ohms.real)
    assert all(each.corrections == () for each in readings.values())


def test_both_values_are_kept_when_the_fixture_is_taken_out() -> None:
    unit = complex(10, -1 / (OMEGA * 4.7e-9))
    zero = ImpedanceZero(1 / (1j * OMEGA * 40e-12), complex(0.05, 0), NOW)
    seen = through(unit, complex(0.05, 0), 40e-12)
    readings = {each.name: each for each in measure(seen, zero).readings}
    assert readings["capacitance"].value == pytest.approx(4.7e-9, rel=1e-3)
    assert readings["capacitance"].corrections[0].before == pytest.approx(4.74e-9, rel=1e-3)


def test_an_open_path_fails_whatever_its_limits() -> None:
    measured = measure(complex(2e7, 0), None, Bound.ABOVE)
    assert measured.faults == (Fault(Cause.OPEN),) and measured.readings[0].bound is Bound.ABOVE


def test_a_meter_that_gives_no_output_is_a_defect() -> None:
    for procedure in (FINE.procedure((), {}), measure_path(FINE.path)):
        next(procedure)
        with pytest.raises(ProcedureError):
            for _ in range(4):
                procedure.send(None)


@pytest.mark.parametrize(
    ("open_ohms", "short_ohms", "good"),
    [(complex(0, -4e6), 0.05, True), (complex(0, -4e6), 1e5, False), (0.05, 0.05, False)],
)
def test_a_zero_that_was_not_open_or_not_shorted_is_told(
    open_ohms: complex, short_ohms: complex, good: bool
) -> None:
    told = path_problem(FINE.path, open_ohms, short_ohms)
    assert (told == "") is good and (good or "zero again" in told)


@pytest.mark.parametrize(("bound", "wanted"), [(Bound.EXACT, 30 - 40j), (Bound.ABOVE, 50 + 0j)])
def test_a_path_is_measured_as_it_is(bound: Bound, wanted: complex) -> None:
    procedure = measure_path(FINE.path)
    next(procedure)
    procedure.send(None)
    summary = {"impedance": 50.0, "resistance": 30.0, "reactance": -40.0}
    with pytest.raises(StopIteration) as done:
        procedure.send(Output(Ending.FINISHED, summary, {"impedance": bound}))
    assert done.value.value == wanted
