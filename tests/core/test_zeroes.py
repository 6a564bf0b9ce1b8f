"""Zeroes: leads solved from shorted paths, taken off, and refused when nothing is shorted."""

import datetime as dt
import math
from collections.abc import Mapping, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.actions import Connect, Ending, Energise, Outcome, Output
from loricate.core.errors import ProcedureError
from loricate.core.grading import Measured
from loricate.core.quantities import CURRENT, RESISTANCE
from loricate.core.readings import Bound, Reading
from loricate.core.zeroes import Zero, is_young, leads_of, paths_to_measure, take_off
from loricate.core.zeroing import ZeroMeasured, zero_nest

NOW = dt.datetime(2026, 11, 25, 8, tzinfo=dt.UTC)


@given(leads=st.lists(st.floats(1e-4, 0.1), min_size=2, max_size=12))
def test_every_path_comes_back_from_the_solved_leads(leads: list[float]) -> None:
    names = [f"c{number}" for number in range(len(leads))]
    true = dict(zip(names, leads, strict=True))
    paths = {(a, b): true[a] + true[b] for a, b in paths_to_measure(names)}
    solved = leads_of(paths, names)
    for a in names:
        for b in names:
            if a != b:
                assert solved[a] + solved[b] == pytest.approx(true[a] + true[b], rel=1e-9)
    if len(names) > 2:
        assert solved == pytest.approx(true, rel=1e-6)


def test_a_nest_of_one_contact_has_no_path() -> None:
    assert paths_to_measure(["PE"]) == []


def test_a_zero_is_taken_off_and_both_values_are_kept() -> None:
    zeroes = {"PE": Zero(7e-3, 3e-4, NOW), "CHASSIS": Zero(8e-3, 4e-4, NOW)}
    resistance = Reading("resistance", 0.102, RESISTANCE, uncertainty=1.2e-3)
    current = Reading("current", 25.0, CURRENT)
    found = take_off(Measured((resistance, current)), {"resistance": ("PE", "CHASSIS")}, zeroes)
    corrected, untouched = found.readings
    assert corrected.value == pytest.approx(0.087)
    assert corrected.as_measured == 0.102
    assert corrected.uncertainty == pytest.approx(math.hypot(1.2e-3, 3e-4, 4e-4))
    assert untouched == current


@pytest.mark.parametrize("leads", [{}, {"resistance": ("PE", "L")}, {"current": ("PE",)}])
def test_without_a_zero_for_every_contact_nothing_is_taken_off(
    leads: Mapping[str, Sequence[str]],
) -> None:
    measured = Measured((Reading("resistance", 0.1, RESISTANCE),))
    assert take_off(measured, leads, {"PE": Zero(7e-3, 0.0, NOW)}) == measured


def test_a_zero_grows_old() -> None:
    assert is_young(NOW, 60, NOW + dt.timedelta(seconds=60))
    assert not is_young(NOW, 60, NOW + dt.timedelta(seconds=61))


def zeroed(ohms: dict[frozenset[str], float], contacts: Sequence[str]) -> ZeroMeasured:
    """Play the bond source: it drives 10 A through the path that was connected."""
    procedure = zero_nest(contacts)
    path: frozenset[str] = frozenset()
    outcome: Outcome = None
    try:
        action = next(procedure)
        while True:
            outcome = None
            if isinstance(action, Connect):
                path = frozenset(action.points["high"] + action.points["low"])
            elif isinstance(action, Energise):
                value = ohms[path]
                amperes = 10.0 if value < 1 else 0.01
                bounds = {} if value < 1 else {"current": Bound.BELOW}
                summary = {"voltage": amperes * value, "current": amperes}
                outcome = Output(Ending.FINISHED, summary, bounds, instrument="GB1")
            action = procedure.send(outcome)
    except StopIteration as done:
        found: ZeroMeasured = done.value
        return found


def test_a_nest_is_zeroed_by_the_bond_source() -> None:
    true = {"L": 0.006, "N": 0.007, "PE": 0.008}
    ohms = {frozenset({a, b}): true[a] + true[b] for a in true for b in true if a != b}
    found = zeroed(ohms, ("L", "N", "PE"))
    assert {name: ohm for name, (ohm, _) in found.leads.items()} == pytest.approx(true)
    assert (found.instrument, found.problem) == ("GB1", "")


def test_a_contact_that_is_not_shorted_is_named() -> None:
    found = zeroed({frozenset({"L", "N"}): 0.01, frozenset({"L", "PE"}): 1e6}, ("L", "N", "PE"))
    assert not found.leads and "from L to PE" in found.problem and "zero again" in found.problem


def test_a_zero_that_is_sent_no_output_is_a_defect() -> None:
    procedure = zero_nest(("L", "N"))
    next(procedure)
    procedure.send(None)
    procedure.send(None)
    with pytest.raises(ProcedureError):
        procedure.send(None)
