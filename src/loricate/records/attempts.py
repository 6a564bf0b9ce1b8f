"""Attempts at steps, their readings and traces, and the operator's answers: only ever inserted."""

import json
import math
import sqlite3
import zlib
from dataclasses import asdict
from typing import Any

from loricate.core.measuring.curves import Trace
from loricate.core.measuring.grading import StepGrade
from loricate.records import doubts
from loricate.records.errors import NotFound
from loricate.records.stamps import now

Row = dict[str, Any]


def add_attempt(
    conn: sqlite3.Connection,
    run_unit_id: str,
    step: tuple[int, str, str, str],
    grade: StepGrade,
    note: str,
    started_at: str,
    reason: str = "",
    trace: Trace | None = None,
) -> int:
    """Add an attempt (step: index, id, kind, title) with its graded readings; gives its number."""
    index, step_id, kind, title = step
    (before,) = conn.execute(
        "SELECT count(*) FROM attempt WHERE run_unit_id = ? AND step_id = ?", (run_unit_id, step_id)
    ).fetchone()
    key = (run_unit_id, step_id, before + 1)
    conn.execute(
        "INSERT INTO attempt VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (*key, index, kind, title, grade.verdict, grade.cause, note, started_at, now(), reason),
    )
    conn.executemany(
        "INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                *key, position, graded.reading.name,
                _number(graded.reading.value),
                graded.reading.dimension.name, graded.reading.bound,
                _number(graded.reading.uncertainty) or 0.0,
                graded.reading.instrument,
                graded.limit.minimum if graded.limit else None,
                graded.limit.maximum if graded.limit else None,
                graded.limit.source.model_dump_json() if graded.limit else "{}",
                graded.grade.verdict if graded.grade else "",
                graded.grade.cause if graded.grade else "",
                _number(graded.grade.margin) if graded.grade else None,
                _number(graded.reading.as_measured), graded.repetition,
                graded.grade.outcome if graded.grade else "",
            )
            for position, graded in enumerate(grade.readings)
        ],
    )  # fmt: skip
    doubts.add_doubts(conn, grade.doubts, f"{run_unit_id} {step_id}")
    if grade.repetitions:
        conn.executemany(
            "INSERT INTO repetition VALUES (?, ?, ?, ?, ?, ?)",
            [(*key, each.number, each.verdict, each.cause) for each in grade.repetitions],
        )
    if trace:
        text = json.dumps(asdict(trace), separators=(",", ":"), allow_nan=False)
        conn.execute("INSERT INTO trace VALUES (?, ?, ?, ?)", (*key, zlib.compress(text.encode())))
    return int(key[2])


def _number(value: float | None) -> float | None:
    """A value as SQLite keeps it: what is no number is NULL."""
    return value if value is not None and math.isfinite(value) else None


def attempts_of(conn: sqlite3.Connection, run_unit_id: str) -> list[Row]:
    """The attempts of a unit in a run in the order of its steps, with readings, repetitions."""
    rows = conn.execute(
        "SELECT attempt.*, EXISTS (SELECT 1 FROM trace WHERE trace.run_unit_id ="
        " attempt.run_unit_id AND trace.step_id = attempt.step_id AND trace.number ="
        " attempt.number) AS has_trace FROM attempt WHERE run_unit_id = ?"
        " ORDER BY step_index, number",
        (run_unit_id,),
    )
    found = [dict(row) for row in rows]
    readings: dict[tuple[str, int], list[Row]] = {}
    for row in conn.execute(
        "SELECT * FROM reading WHERE run_unit_id = ? ORDER BY step_id, number, position",
        (run_unit_id,),
    ):
        reading = {**dict(row), "source": json.loads(row["source"])}
        readings.setdefault((row["step_id"], row["number"]), []).append(reading)
    repetitions: dict[tuple[str, int], list[Row]] = {}
    for row in conn.execute(
        "SELECT step_id, number AS attempt, repetition AS number, verdict, cause FROM repetition"
        " WHERE run_unit_id = ? ORDER BY step_id, number, repetition",
        (run_unit_id,),
    ):
        repetitions.setdefault((row["step_id"], row["attempt"]), []).append(dict(row))
    for attempt in found:
        key = (attempt["step_id"], attempt["number"])
        attempt["readings"] = readings.get(key, [])
        attempt["repetitions"] = repetitions.get(key, [])
    return found


def get_trace(conn: sqlite3.Connection, run_id: str, nest: str, step_id: str, number: int) -> Trace:
    """The trace of one attempt; raises NotFound where none was kept."""
    row = conn.execute(
        "SELECT data FROM trace JOIN run_unit ON run_unit.id = run_unit_id"
        " WHERE run_id = ? AND nest = ? AND step_id = ? AND number = ?",
        (run_id, nest, step_id, number),
    ).fetchone()
    if row is None:
        raise NotFound("trace", f"{step_id} (attempt {number}) of nest {nest}")
    data = json.loads(zlib.decompress(row["data"]))
    return Trace(data["columns"], tuple((begin, name) for begin, name in data["phases"]))


def add_answer(
    conn: sqlite3.Connection,
    run_unit_id: str,
    step: tuple[str, int],
    moment: str,
    question: str,
    answer: tuple[str, str, str],
    picture: str | None = None,
) -> None:
    """Keep an answer (choice, note, account) to a question of a step (id, attempt number)."""
    conn.execute(
        "INSERT INTO answer (run_unit_id, step_id, attempt, moment, question, choice, note,"
        " account, answered_at, picture) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (run_unit_id, *step, moment, question, *answer, now(), picture),
    )


def answers_of(conn: sqlite3.Connection, run_unit_id: str) -> list[Row]:
    """The answers given for a unit in a run, in order."""
    rows = conn.execute("SELECT * FROM answer WHERE run_unit_id = ? ORDER BY id", (run_unit_id,))
    return [dict(row) for row in rows]


def ask_repeat(
    conn: sqlite3.Connection,
    run_unit_id: str,
    steps: dict[str, int],
    reason: str,
    account: str,
) -> None:
    """Ask for steps (id to attempts so far) of a unit to be done again."""
    conn.executemany(
        "INSERT INTO repeat_request (run_unit_id, step_id, attempts, reason, account, asked_at)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        [(run_unit_id, step_id, count, reason, account, now()) for step_id, count in steps.items()],
    )


def due_repeats(conn: sqlite3.Connection, run_unit_id: str) -> dict[str, str]:
    """The steps asked for again and neither done since nor withdrawn, each with the reason."""
    rows = conn.execute(
        "SELECT step_id, reason FROM repeat_request"
        " WHERE run_unit_id = ?1 AND withdrawn_at IS NULL AND attempts ="
        " (SELECT count(*) FROM attempt WHERE run_unit_id = ?1"
        "  AND attempt.step_id = repeat_request.step_id) ORDER BY id",
        (run_unit_id,),
    )
    return {row["step_id"]: row["reason"] for row in rows}


def withdraw_repeats(conn: sqlite3.Connection, run_id: str) -> None:
    """Withdraw what was asked for again in a run: it has ended, with it or without."""
    conn.execute(
        "UPDATE repeat_request SET withdrawn_at = ? WHERE withdrawn_at IS NULL"
        " AND run_unit_id IN (SELECT id FROM run_unit WHERE run_id = ?)",
        (now(), run_id),
    )
