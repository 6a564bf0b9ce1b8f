"""Attempts with curves, answers, repeats: kept as they were, never changed."""

import math
import sqlite3
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.core.attempts import Attempt
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.curves import Curve, Sample, course_of, thinned
from loricate.core.measuring.grading import (
    Band,
    Cause,
    Fault,
    Grade,
    GradedReading,
    Repetition,
    StepGrade,
    Verdict,
)
from loricate.core.measuring.readings import Bound, Correction, Reading
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE
from loricate.core.sequences.released import StepAsDone
from loricate.records import attempts, lots, remarks, runs
from loricate.records.curves import curves_of
from loricate.records.errors import NotFound
from loricate.records.stamps import now
from loricate.records.store import migrate, migrations, open_connection

FAIL = StepGrade(Verdict.FAIL, Cause.OVER_LIMIT, ())
PASS = StepGrade(Verdict.PASS, Cause.NONE, ())
EARTH = StepAsDone(id="earth", title="Earth", kind="ground_bond")


def attempt(
    number: int, grade: StepGrade, reason: str = "", curves: tuple[Curve, ...] = ()
) -> Attempt:
    return Attempt(EARTH, 1, number, grade, "", reason, now(), now(), curves)


def kept(conn: sqlite3.Connection, unit: dict[str, Any]) -> list[Attempt]:
    return attempts.attempts_of(conn, unit["id"], {"earth": EARTH})


def add_run(conn: sqlite3.Connection, lot: str = "") -> tuple[str, dict[str, Any]]:
    run_id = runs.add_run(
        conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "A"}, {}, "0", "mara", lot
    )
    (unit,) = runs.get_run(conn, run_id)["units"]
    return run_id, unit


def test_curves_come_back_as_they_were_in_their_order(conn: sqlite3.Connection) -> None:
    run_id, unit = add_run(conn)
    samples = [Sample(n / 50, 1.0, "dwell", {"voltage": 1000.0 + n}) for n in range(200)]
    curve = thinned(course_of(samples, {"voltage": VOLTAGE}, "A to B"))
    again = replace(curve, point="A to C", repetition=2)
    attempts.add_attempt(conn, unit["id"], attempt(1, PASS, curves=(curve, again)))
    assert curves_of(conn, run_id, "1", "earth", 1) == (curve, again)
    (size,) = conn.execute("SELECT length(data) FROM curve WHERE position = 0").fetchone()
    assert size < 200 * 2 * 8 / 2, "less than half of what plain doubles would take"
    with pytest.raises(NotFound, match="attempt 2"):
        curves_of(conn, run_id, "1", "earth", 2)
    assert [each.curve_count for each in kept(conn, unit)] == [2]


READINGS = st.builds(
    Reading,
    quantity=st.sampled_from(["resistance", "current"]),
    value=st.floats(allow_nan=False, allow_infinity=False, width=32),
    dimension=st.sampled_from([RESISTANCE, CURRENT]),
    point=st.sampled_from(["", "A to B", "J1.3 to P-2/4"]),
    bound=st.sampled_from(Bound),
    uncertainty=st.floats(0, 1, width=32),
    instrument=st.sampled_from(["", "HV1"]),
    corrections=st.lists(
        st.builds(Correction, st.sampled_from(["zero", "supply"]), st.floats(-1, 1)), max_size=3
    ).map(tuple),
)
SOURCES = st.builds(LimitSource, engineer=st.text(max_size=20), standard=st.text(max_size=9))
GRADES = st.builds(
    Grade,
    st.sampled_from(Verdict),
    st.sampled_from(Cause),
    st.none() | st.floats(-1, 1),
    st.sampled_from(["", "conditional pass"]),
    st.none() | st.sampled_from(Band),
)


@st.composite
def graded_readings(draw: st.DrawFn) -> GradedReading:
    reading, repetition = draw(READINGS), draw(st.integers(1, 9))
    if draw(st.booleans()):
        return GradedReading(reading, repetition=repetition)
    limit = Limit(
        dimension=reading.dimension.name,
        maximum=draw(st.floats(1, 10)),
        caution_above=draw(st.none() | st.floats(0, 1)),
        source=draw(SOURCES),
    )
    reason = draw(st.text(max_size=20))
    return GradedReading(reading, limit, None if reason else draw(GRADES), repetition, reason)


FAULTS = st.builds(
    Fault, st.sampled_from(Cause), st.text(max_size=9), st.text(max_size=20),
    repetition=st.integers(1, 9),
)  # fmt: skip


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(graded_readings(), max_size=4).map(tuple), st.lists(FAULTS, max_size=3).map(tuple))
def test_whatever_an_attempt_found_comes_back_as_it_was(
    conn: sqlite3.Connection, readings: tuple[GradedReading, ...], faults: tuple[Fault, ...]
) -> None:
    _, unit = add_run(conn)
    grade = StepGrade(Verdict.FAIL, Cause.OPEN, readings, faults)
    made = attempt(1, grade)
    attempts.add_attempt(conn, unit["id"], made)
    assert kept(conn, unit) == [made]


def test_what_is_no_number_comes_back_as_none(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    nothing = GradedReading(Reading("resistance", math.nan, RESISTANCE))
    attempts.add_attempt(conn, unit["id"], attempt(1, replace(FAIL, readings=(nothing,))))
    (made,) = kept(conn, unit)
    assert math.isnan(made.grade.readings[0].reading.value)


def test_an_attempt_is_added_once(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    attempts.add_attempt(conn, unit["id"], attempt(1, PASS))
    with pytest.raises(sqlite3.IntegrityError):
        attempts.add_attempt(conn, unit["id"], attempt(1, FAIL))


def test_a_repeat_is_due_until_it_is_done(conn: sqlite3.Connection) -> None:
    _, unit = add_run(conn)
    attempts.add_attempt(conn, unit["id"], attempt(1, FAIL))
    attempts.ask_repeat(conn, unit["id"], {"earth": 1, "leakage": 0}, "cleaned", "mara")
    due = {"earth": "cleaned", "leakage": "cleaned"}
    assert attempts.due_repeats(conn, unit["id"]) == due
    attempts.add_attempt(conn, unit["id"], attempt(2, PASS, "cleaned"))
    assert attempts.due_repeats(conn, unit["id"]) == {"leakage": "cleaned"}
    assert [(each.number, each.verdict, each.reason) for each in kept(conn, unit)] == [
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
    reading = Reading("resistance", 0.05, RESISTANCE)
    repeated = StepGrade(
        Verdict.PASS,
        Cause.NONE,
        tuple(GradedReading(reading, None, None, number) for number in (1, 2)),
        repetitions=(
            Repetition(1, Verdict.FAIL, Cause.OPEN),
            Repetition(2, Verdict.PASS, Cause.NONE),
        ),
    )
    attempts.add_attempt(conn, unit["id"], attempt(1, repeated))
    attempts.add_attempt(conn, unit["id"], attempt(2, PASS))
    first, second = kept(conn, unit)
    assert first.grade.repetitions == repeated.repetitions
    assert [each.repetition for each in first.grade.readings] == [1, 2]
    assert second.grade.repetitions == ()
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        conn.execute("UPDATE repetition SET verdict = 'pass'")


def test_a_unit_that_passed_on_repeat_is_no_first_pass(conn: sqlite3.Connection) -> None:
    lots.add_lot(conn, "L-1", "DC-40", 1, "A..A", "", "mara")
    run_id, unit = add_run(conn, "L-1")
    attempts.add_attempt(conn, unit["id"], attempt(1, FAIL))
    attempts.add_attempt(conn, unit["id"], attempt(2, PASS, "cleaned"))
    runs.set_verdicts(conn, run_id, Verdict.PASS, {unit["id"]: (Verdict.PASS, "")})
    runs.set_state(conn, run_id, "finished", "engine")
    verdicts = [each.verdict for each in lots.appearances(conn, ["L-1"])["L-1"]]
    assert verdicts == [Verdict.FAIL, Verdict.PASS]
    runs.set_state(conn, run_id, "created", "mara", "a repeat is asked for")
    assert len(lots.appearances(conn, ["L-1"])["L-1"]) == 2, (
        "a repeat under way keeps the lot's figures"
    )


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
    (row,) = conn.execute("SELECT number, kind FROM current_document").fetchall()
    assert tuple(row) == ("C-1", "certificate")
    assert conn.execute("SELECT finished_at FROM run").fetchone()[0] == "2026-01-01"
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        conn.execute("DELETE FROM ledger")
    assert (tmp_path / "r.sqlite.before-0003").exists()
    conn.close()
