"""The scanner's check: any relay that is stuck or leaks, and any wet wire, is found and named."""

import math
from collections.abc import Mapping
from types import MappingProxyType

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loricate.core.actions import Ending, Energise, Join, Outcome, Output
from loricate.core.errors import ProcedureError
from loricate.core.readings import Bound
from loricate.core.scanner_check import STUCK_OHMS, PathFault, Wiring, check_scanner

ROWS = {1: "hv high", 2: "hv low", 3: "bond force", 4: "bond sense"}
FLOOR_A, VOLTS = 50e-9, 50.0


def wiring(columns: int) -> Wiring:
    return Wiring(ROWS, {n: f"nest {n}" for n in range(11, 11 + columns)}, high=1, low=2)


def ohms_between(closed: set[tuple[int, int]], leaks: Mapping[tuple[str, str], float]) -> float:
    """The resistance from row 1 to row 2: closed relays are wires, one leak lies between nodes."""
    parent: dict[str, str] = {}

    def root(node: str) -> str:
        while parent.setdefault(node, node) != node:
            node = parent[node]
        return node

    for row, column in closed:
        parent[root(f"r{row}")] = root(f"c{column}")
    if root("r1") == root("r2"):
        return 0.01
    through = [
        ohms for (a, b), ohms in leaks.items() if {root(a), root(b)} == {root("r1"), root("r2")}
    ]
    return min(through, default=math.inf)


def check(
    at: Wiring,
    stuck: frozenset[tuple[int, int]] = frozenset(),
    leaks: Mapping[tuple[str, str], float] = MappingProxyType({}),
) -> tuple[tuple[PathFault, ...], int]:
    """Play the bench; gives the faults found and how often the source was energised."""
    procedure = check_scanner(at)
    closed: set[tuple[int, int]] = set()
    times = 0
    try:
        action = next(procedure)
        while True:
            outcome: Outcome = None
            if isinstance(action, Join):
                closed = set(action.points) | stuck
            elif isinstance(action, Energise):
                times += 1
                amperes = VOLTS / ohms_between(closed, leaks)
                if amperes > 10e-3:
                    outcome = Output(Ending.OVER_CURRENT, {})
                else:
                    shown = max(amperes, FLOOR_A)
                    bounds = {"current": Bound.BELOW} if amperes < FLOOR_A else {}
                    summary = {"voltage": VOLTS, "current": shown}
                    outcome = Output(Ending.FINISHED, summary, bounds)
            action = procedure.send(outcome)
    except StopIteration as done:
        found: tuple[PathFault, ...] = done.value
        return found, times


@pytest.mark.parametrize("columns", [1, 2, 3, 16, 32])
def test_a_sound_scanner_passes_with_few_applications(columns: int) -> None:
    faults, times = check(wiring(columns))
    assert faults == ()
    assert times <= 2 + math.ceil(math.log2(columns or 1)) + 2 * (len(ROWS) - 2)


@settings(max_examples=60)
@given(columns=st.integers(2, 9), data=st.data())
def test_any_stuck_relay_is_named(columns: int, data: st.DataObject) -> None:
    at = wiring(columns)
    point = (data.draw(st.sampled_from(list(ROWS))), data.draw(st.sampled_from(list(at.columns))))
    faults, _ = check(at, stuck=frozenset({point}))
    assert [(fault.row, fault.columns) for fault in faults] == [(point[0], (point[1],))]
    assert "stuck closed" in faults[0].text and ROWS[point[0]] in faults[0].text


@settings(max_examples=60)
@given(columns=st.integers(2, 9), ohms=st.floats(STUCK_OHMS * 10, 5e7), data=st.data())
def test_any_leaking_relay_is_named(columns: int, ohms: float, data: st.DataObject) -> None:
    at = wiring(columns)
    row = data.draw(st.sampled_from(list(ROWS)))
    column = data.draw(st.sampled_from(list(at.columns)))
    faults, _ = check(at, leaks={(f"r{row}", f"c{column}"): ohms})
    assert [(fault.row, fault.columns) for fault in faults] == [(row, (column,))]
    assert "leaks" in faults[0].text


@settings(max_examples=60)
@given(columns=st.integers(2, 9), data=st.data())
def test_any_wet_pair_of_wires_is_named(columns: int, data: st.DataObject) -> None:
    at = wiring(columns)
    pair = data.draw(
        st.lists(st.sampled_from(list(at.columns)), min_size=2, max_size=2, unique=True).map(sorted)
    )
    faults, _ = check(at, leaks={(f"c{pair[0]}", f"c{pair[1]}"): 2e6})
    assert [(fault.row, fault.columns) for fault in faults] == [(None, tuple(pair))]
    assert "dry and clean" in faults[0].text


def test_a_check_that_is_sent_no_output_is_a_defect() -> None:
    procedure = check_scanner(wiring(2))
    next(procedure)
    procedure.send(None)
    procedure.send(None)
    with pytest.raises(ProcedureError):
        procedure.send(None)
