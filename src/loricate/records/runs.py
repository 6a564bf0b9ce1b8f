"""Runs, their units, attempts and readings. Attempts and readings are only ever inserted."""

import json
import math
import sqlite3
from collections.abc import Mapping, Sequence
from typing import Any

from loricate.core.grading import StepGrade, Verdict
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.store import new_id, now

Row = dict[str, Any]


def add_run(
    conn: sqlite3.Connection,
    sequence: tuple[str, int],
    product: str,
    fixture: str,
    load: Mapping[str, str],
    bench: Mapping[str, Any],
    software: str,
    account: str,
    lot: str = "",
    retest: str = "",
) -> str:
    """Add a run with its units (nest to serial); gives its id."""
    run_id = new_id()
    conn.execute(
        "INSERT INTO run (id, sequence_code, sequence_revision, fixture, lot, retest, state, bench,"
        " software, created_at, created_by) VALUES (?, ?, ?, ?, ?, ?, 'created', ?, ?, ?, ?)",
        (run_id, *sequence, fixture, lot, retest, json.dumps(bench), software, now(), account),
    )
    conn.executemany(
        "INSERT INTO run_unit (id, run_id, nest, serial, product) VALUES (?, ?, ?, ?, ?)",
        [(new_id(), run_id, nest, serial, product) for nest, serial in load.items()],
    )
    audit.note(conn, account, "create run", run_id, f"{sequence[0]} on {fixture}")
    return run_id


def find_idempotent(conn: sqlite3.Connection, account: str, key: str) -> tuple[str, str] | None:
    """The request digest and run id kept under an Idempotency-Key, or None."""
    row = conn.execute(
        "SELECT request_digest, run_id FROM idempotency WHERE account = ? AND key = ?",
        (account, key),
    ).fetchone()
    return None if row is None else (row["request_digest"], row["run_id"])


def keep_idempotent(
    conn: sqlite3.Connection, account: str, key: str, digest: str, run_id: str
) -> None:
    """Keep an Idempotency-Key with the run that it made."""
    conn.execute("INSERT INTO idempotency VALUES (?, ?, ?, ?)", (account, key, digest, run_id))


def set_state(
    conn: sqlite3.Connection, run_id: str, state: str, account: str, note: str = ""
) -> None:
    """Move a run to a state; starting and ending leave their times."""
    moment = now()
    conn.execute("UPDATE run SET state = ? WHERE id = ?", (state, run_id))
    if state == "running":
        conn.execute(
            "UPDATE run SET started_at = COALESCE(started_at, ?), started_by = ? WHERE id = ?",
            (moment, account, run_id),
        )
    elif state in ("finished", "aborted", "interrupted"):
        conn.execute("UPDATE run SET ended_at = ?, note = ? WHERE id = ?", (moment, note, run_id))
    audit.note(conn, account, f"run {state}", run_id, note)


def set_verdicts(
    conn: sqlite3.Connection,
    run_id: str,
    verdict: Verdict,
    units: Mapping[str, tuple[Verdict, str]],
) -> None:
    """Write the run's verdict and each unit's (by run-unit id: verdict and cause)."""
    conn.execute("UPDATE run SET verdict = ? WHERE id = ?", (verdict, run_id))
    conn.executemany(
        "UPDATE run_unit SET verdict = ?, cause = ? WHERE id = ?",
        [(unit_verdict, cause, unit) for unit, (unit_verdict, cause) in units.items()],
    )


def add_attempt(
    conn: sqlite3.Connection,
    run_unit_id: str,
    step: tuple[int, str, str, str],
    grade: StepGrade,
    note: str,
    started_at: str,
) -> int:
    """Add an attempt (step: index, id, kind, title) with its graded readings; gives its number."""
    index, step_id, kind, title = step
    (before,) = conn.execute(
        "SELECT count(*) FROM attempt WHERE run_unit_id = ? AND step_id = ?", (run_unit_id, step_id)
    ).fetchone()
    key = (run_unit_id, step_id, before + 1)
    conn.execute(
        "INSERT INTO attempt VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (*key, index, kind, title, grade.verdict, grade.cause, note, started_at, now()),
    )
    conn.executemany(
        "INSERT INTO reading VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                *key, position, graded.reading.name,
                None if math.isnan(graded.reading.value) else graded.reading.value,
                graded.reading.dimension.name, graded.reading.bound, graded.reading.uncertainty,
                graded.reading.instrument,
                graded.limit.minimum if graded.limit else None,
                graded.limit.maximum if graded.limit else None,
                graded.limit.source.model_dump_json() if graded.limit else "{}",
                graded.grade.verdict if graded.grade else "",
                graded.grade.cause if graded.grade else "",
                graded.grade.margin if graded.grade else None,
            )
            for position, graded in enumerate(grade.readings)
        ],
    )  # fmt: skip
    return int(key[2])


def interrupt_unfinished(conn: sqlite3.Connection) -> list[str]:
    """Mark each run that a dead service left armed or running; gives their ids."""
    rows = conn.execute("SELECT id FROM run WHERE state IN ('armed', 'running')").fetchall()
    for row in rows:
        set_state(conn, row["id"], "interrupted", "service", "The service stopped during the run.")
        conn.execute(
            "UPDATE run_unit SET verdict = 'inconclusive', cause = 'interrupted' WHERE run_id = ?",
            (row["id"],),
        )
        conn.execute("UPDATE run SET verdict = 'inconclusive' WHERE id = ?", (row["id"],))
    return [row["id"] for row in rows]


def get_run(conn: sqlite3.Connection, run_id: str) -> Row:
    """A run with its units; each unit with its attempts and readings. Raises NotFound."""
    row = conn.execute("SELECT * FROM run WHERE id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound("run", run_id)
    run = dict(row)
    run["bench"] = json.loads(run["bench"])
    run["units"] = units_of(conn, "run_id = ?", (run_id,))
    return run


def list_runs(conn: sqlite3.Connection, count: int) -> list[Row]:
    """The newest runs, newest first, without their units."""
    rows = conn.execute(
        "SELECT id, sequence_code, sequence_revision, fixture, lot, state, verdict, created_at,"
        " created_by, started_at, ended_at FROM run ORDER BY id DESC LIMIT ?",
        (count,),
    )
    return [dict(row) for row in rows]


def find_units(conn: sqlite3.Connection, pattern: str, count: int) -> list[Row]:
    """The newest appearance first of units whose serial matches (``*`` and ``?`` are wildcards)."""
    like = pattern.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    like = like.replace("*", "%").replace("?", "_")
    rows = conn.execute(
        "SELECT run_unit.id, run_id, nest, run_unit.serial, product, run_unit.verdict, cause,"
        " run.started_at, run.ended_at, run.state, sequence_code, sequence_revision,"
        " ledger.number AS certificate, ledger.kind AS certificate_kind"
        " FROM run_unit JOIN run ON run.id = run_id LEFT JOIN ledger ON run_unit_id = run_unit.id"
        " WHERE run_unit.serial LIKE ? ESCAPE '\\' ORDER BY run_unit.id DESC LIMIT ?",
        (like, count),
    )
    return [dict(row) for row in rows]


def unit_history(conn: sqlite3.Connection, serial: str) -> list[Row]:
    """Every appearance of a serial, newest first, with attempts and readings."""
    return units_of(conn, "run_unit.serial = ? COLLATE NOCASE", (serial,), newest_first=True)


def units_of(
    conn: sqlite3.Connection, where: str, values: Sequence[str], newest_first: bool = False
) -> list[Row]:
    """Units in runs with their attempts and readings; ``where`` is a condition of this module."""
    order = "run_unit.id DESC" if newest_first else "run_unit.id"
    units = [
        dict(row)
        for row in conn.execute(
            "SELECT run_unit.*, ledger.number AS certificate, ledger.kind AS certificate_kind,"
            " run.sequence_code, run.sequence_revision, run.state AS run_state, run.started_at"
            " FROM run_unit JOIN run ON run.id = run_id"
            f" LEFT JOIN ledger ON run_unit_id = run_unit.id WHERE {where} ORDER BY {order}",
            values,
        )
    ]
    for unit in units:
        attempts = conn.execute(
            "SELECT * FROM attempt WHERE run_unit_id = ? ORDER BY step_index, number", (unit["id"],)
        )
        unit["attempts"] = [dict(row) for row in attempts]
        readings: dict[tuple[str, int], list[Row]] = {}
        rows = conn.execute(
            "SELECT * FROM reading WHERE run_unit_id = ? ORDER BY step_id, number, position",
            (unit["id"],),
        )
        for row in rows:
            found = {**dict(row), "source": json.loads(row["source"])}
            readings.setdefault((row["step_id"], row["number"]), []).append(found)
        for attempt in unit["attempts"]:
            attempt["readings"] = readings.get((attempt["step_id"], attempt["number"]), [])
    return units
