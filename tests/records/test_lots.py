"""Lots in the records: what was tested of them, and what must not be tested again unasked."""

import sqlite3

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.records import lots, runs
from loricate.records.errors import NotFound


def finish(conn: sqlite3.Connection, lot: str, **verdicts: Verdict) -> None:
    load = {str(number): serial for number, serial in enumerate(verdicts)}
    run_id = runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", load, {}, "0", "mara", lot)
    runs.set_state(conn, run_id, "running", "mara")
    units = {unit["id"]: (verdicts[unit["serial"]], "") for unit in _units(conn, run_id)}
    runs.set_verdicts(conn, run_id, Verdict.PASS, units)
    runs.set_state(conn, run_id, "finished", "mara")


def _units(conn: sqlite3.Connection, run_id: str) -> list[dict[str, str]]:
    units: list[dict[str, str]] = runs.get_run(conn, run_id)["units"]
    return units


def test_a_lots_units_show_their_latest_verdict(conn: sqlite3.Connection) -> None:
    lots.add_lot(conn, "L", "DC-40", 3, "A..C", "PO", "mara")
    finish(conn, "L", A=Verdict.FAIL, B=Verdict.PASS)
    finish(conn, "L", A=Verdict.PASS)
    finish(conn, "other", C=Verdict.PASS)
    found = {row["serial"]: (row["verdict"], row["times"]) for row in lots.latest_units(conn, "L")}
    assert found == {"A": ("pass", 2), "B": ("pass", 1)}
    assert [each.serial for each in lots.appearances(conn, ["L"])["L"]] == ["A", "B", "A"]


def test_only_verdicts_in_production_count_as_tested(conn: sqlite3.Connection) -> None:
    finish(conn, "", A=Verdict.PASS)
    finish(conn, "L", B=Verdict.INCONCLUSIVE, C=Verdict.FAIL)
    assert lots.tested_before(conn, "DC-40", ["a", "b", "c"]) == {"C": "fail"}
    assert lots.tested_before(conn, "LP-2", ["C"]) == {}


def test_a_lot_is_closed_once_opened(conn: sqlite3.Connection) -> None:
    lots.add_lot(conn, "L", "DC-40", 3, "A..C", "", "mara")
    lots.close_lot(conn, "L", "mara")
    closed = lots.get_lot(conn, "L")
    assert closed.state == "closed" and closed.closed_at is not None
    with pytest.raises(NotFound, match="no lot 'M'"):
        lots.get_lot(conn, "M")
    with pytest.raises(sqlite3.IntegrityError):
        lots.add_lot(conn, "L", "DC-40", 3, "A..C", "", "mara")
