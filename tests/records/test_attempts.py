"""Attempts with traces, answers, repeats: kept as they were, never changed."""

import sqlite3
from pathlib import Path
from typing import Any

import pytest

from loricate.core.measuring.actions import Sample
from loricate.core.measuring.curves import make_trace
from loricate.core.measuring.grading import Cause, GradedReading, Repetition, StepGrade, Verdict
from loricate.core.measuring.readings import make_reading
from loricate.records import attempts, lots, remarks, runs
from loricate.records.errors import NotFound
from loricate.records.stamps import now
from loricate.records.store import migrate, migrations, open_connection

FAIL = StepGrade(Verdict.FAIL, Cause.OVER_LIMIT, ())
PASS = StepGrade(Verdict.PASS, Cause.NONE, ())
EARTH = (1, "earth", "ground_bond", "Earth")


def add_run(conn: sqlite3.Connection, lot: str = "") -> tuple[str, dict[str, Any]]:
    run_id = runs.add_run(
        conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "A"}, {}, "0", "mara", lot
    )
    (unit,) = runs.get_run(conn, run_id)["units"]
    return run_id, unit


def test_a_trace_comes_back_as_it_was(conn: sqlite3.Connection) -> None:
    run_id, unit = add_run(conn)
    trace = make_trace([Sample(n / 50, 1.0, "dwell", {"voltage": 1000.0 + n}) for n in range(200)])
    attempts.add_attempt(conn, unit["id"], EARTH, PASS, "", now(), trace=trace)
    assert attempts.get_trace(conn, run_id, "1", "earth", 1) == trace
    (size,) = conn.execute("SELECT length(data) FROM trace").fetchone()
    assert size < 200 * 2 * 8 / 2, "less than half of what plain doubles would take"
    with pytest.raises(NotFound, match="attempt 2"):
        attempts.get_trace(conn, run_id, "1", "earth", 2)


def test_an_attempt_without_a_curve_has_no_trace(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    attempts.add_attempt(conn, unit["id"], EARTH, PASS, "", now(), trace=make_trace(()))
    assert [each["has_trace"] for each in attempts.attempts_of(conn, unit["id"])] == [0]


def test_a_repeat_is_due_until_it_is_done(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    attempts.add_attempt(conn, unit["id"], EARTH, FAIL, "", now())
    attempts.ask_repeat(conn, unit["id"], {"earth": 1, "leakage": 0}, "cleaned", "mara")
    due = {"earth": "cleaned", "leakage": "cleaned"}
    assert attempts.due_repeats(conn, unit["id"]) == due
    attempts.add_attempt(conn, unit["id"], EARTH, PASS, "", now(), "cleaned")
    assert attempts.due_repeats(conn, unit["id"]) == {"leakage": "cleaned"}
    found = attempts.attempts_of(conn, unit["id"])
    assert [(each["number"], each["verdict"], each["reason"]) for each in found] == [
        (1, "fail", ""), (2, "pass", "cleaned"),
    ]  # fmt: skip


def test_answers_and_remarks_are_kept_and_cannot_be_changed(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    given = ("done", "twice", "mara")
    attempts.add_answer(conn, unit["id"], ("earth", 1), "before", "Clip on?", given)
    remarks.add_remark(conn, unit["id"], "earth", "paint under the clip", None, "mara")
    (answer,) = attempts.answers_of(conn, unit["id"])
    assert (answer["choice"], answer["note"], answer["account"]) == given
    (remark,) = remarks.remarks_of(conn, unit["id"])
    assert remark["text"] == "paint under the clip"
    for table in ("answer", "remark"):
        with pytest.raises(sqlite3.IntegrityError, match="append-only"):
            conn.execute(f"DELETE FROM {table}")


def test_repetitions_stay_with_their_readings(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    reading = make_reading("resistance", 0.05, "resistance", "exact")
    repeated = StepGrade(
        Verdict.PASS,
        Cause.NONE,
        tuple(GradedReading(reading, None, None, number) for number in (1, 2)),
        (Repetition(1, Verdict.FAIL, Cause.OPEN), Repetition(2, Verdict.PASS, Cause.NONE)),
    )
    attempts.add_attempt(conn, unit["id"], EARTH, repeated, "", now())
    attempts.add_attempt(conn, unit["id"], EARTH, PASS, "", now())
    first, second = attempts.attempts_of(conn, unit["id"])
    assert [(each["number"], each["verdict"], each["cause"]) for each in first["repetitions"]] == [
        (1, "fail", "open"),
        (2, "pass", ""),
    ]
    assert [each["repetition"] for each in first["readings"]] == [1, 2]
    assert second["repetitions"] == []
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        conn.execute("UPDATE repetition SET verdict = 'pass'")


def test_a_unit_that_passed_on_repeat_is_no_first_pass(conn: sqlite3.Connection) -> None:
    lots.add_lot(conn, "L-1", "DC-40", 1, "A..A", "", "mara")
    run_id, unit = add_run(conn, "L-1")
    attempts.add_attempt(conn, unit["id"], EARTH, FAIL, "", now())
    attempts.add_attempt(conn, unit["id"], EARTH, PASS, "", now(), "cleaned")
    runs.set_verdicts(conn, run_id, Verdict.PASS, {unit["id"]: (Verdict.PASS, "")})
    runs.set_state(conn, run_id, "finished", "engine")
    verdicts = [each.verdict for each in lots.appearances(conn, "L-1")]
    assert verdicts == [Verdict.FAIL, Verdict.PASS]
    runs.set_state(conn, run_id, "created", "mara", "a repeat is asked for")
    assert len(lots.appearances(conn, "L-1")) == 2, "a repeat under way keeps the lot's figures"


def test_records_of_before_are_kept_by_the_migration(tmp_path: Path) -> None:
    """A ledger of version 2 comes through whole, and its documents are the current ones."""
    path = tmp_path / "r.sqlite"
    migrate(path, {number: text for number, text in migrations().items() if number <= 2})
    conn = open_connection(path)
    conn.execute("PRAGMA foreign_keys = OFF")
    conn.execute(
        "INSERT INTO run (id, sequence_code, sequence_revision, fixture, state, bench, software,"
        " created_at, created_by, ended_at) VALUES ('r', 'S', 1, 'F', 'finished', '{}', '0', 'a',"
        " 'b', '2026-01-01')"
    )
    conn.execute("INSERT INTO run_unit (id, run_id, nest, serial, product) VALUES"
                 " ('u', 'r', '1', 'A', 'P')")  # fmt: skip
    conn.execute(
        "INSERT INTO ledger VALUES (1, 'C-1', 'certificate', 'u', 'A', 't', 'd', 'p', 'h', '{}',"
        " x'00')"
    )
    conn.close()
    assert migrate(path) == [number for number in sorted(migrations()) if number > 2]
    conn = open_connection(path)
    (row,) = conn.execute("SELECT number, supersedes FROM current_document").fetchall()
    assert tuple(row) == ("C-1", None)
    assert conn.execute("SELECT finished_at FROM run").fetchone()[0] == "2026-01-01"
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        conn.execute("DELETE FROM ledger")
    assert (tmp_path / "r.sqlite.before-0003").exists()
    conn.close()
