"""Runs and their units."""

import json
import sqlite3
from collections.abc import Mapping, Sequence
from typing import Any

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.line import NOTHING_SAID, LineOptions
from loricate.core.sequences.released import StepAsDone
from loricate.records import attempts, audit, on_the_way, papers, remarks, sequences, units
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now

Row = dict[str, Any]
_INSTRUMENT = ("id", "title", "identity", "serial", "calibrated", "due", "certificate")
_SUMMARY = (
    "id, sequence_code, sequence_revision, fixture, lot, state, verdict, created_at, created_by,"
    " started_at, ended_at, note, occasion"
)
_RUN = (
    f"{_SUMMARY}, retest, start_by, line, bench, software, started_by, finished_at, doubts_until,"
    " is_issued"
)


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
    start_by: str = "key",
    line: LineOptions = NOTHING_SAID,
    occasion: str = "",
) -> str:
    """Add a run with its units (nest to serial); gives its id."""
    run_id = new_id()
    conn.execute(
        "INSERT INTO run (id, sequence_code, sequence_revision, fixture, lot, retest, start_by,"
        " line, occasion, state, bench, software, created_at, created_by)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 'created', '{}', ?, ?, ?)",
        (
            run_id,
            *sequence,
            fixture,
            lot,
            retest,
            start_by,
            line.model_dump_json(exclude_none=True),
            occasion,
            software,
            now(),
            account,
        ),
    )
    conn.executemany(
        "INSERT INTO run_unit (id, run_id, unit_id, nest) VALUES (?, ?, ?, ?)",
        [
            (new_id(), run_id, units.known_unit(conn, product, serial), nest)
            for nest, serial in load.items()
        ],
    )
    set_bench(conn, run_id, bench)
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
    conn.execute(
        "INSERT INTO idempotency (account, key, request_digest, run_id) VALUES (?, ?, ?, ?)",
        (account, key, digest, run_id),
    )


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
        conn.execute(
            "UPDATE run SET is_issued = 0, doubts_until = (SELECT coalesce(max(id), 0) FROM doubt)"
            " WHERE id = ?",
            (run_id,),
        )
    if state == "finished":
        conn.execute(
            "UPDATE run SET finished_at = COALESCE(finished_at, ?) WHERE id = ?", (moment, run_id)
        )
    audit.note(conn, account, f"run {state}", run_id, note)


def set_bench(conn: sqlite3.Connection, run_id: str, bench: Mapping[str, Any]) -> None:
    """Write what the run is started with: instruments, zeroes, daily check."""
    told = {name: value for name, value in bench.items() if name != "instruments"}
    conn.execute("UPDATE run SET bench = ? WHERE id = ?", (json.dumps(told), run_id))
    conn.execute("DELETE FROM run_instrument WHERE run_id = ?", (run_id,))
    conn.executemany(
        "INSERT INTO run_instrument (run_id, position, instrument, title, identity, serial,"
        " calibrated, due, certificate) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (run_id, position, *(str(each[name]) for name in _INSTRUMENT))
            for position, each in enumerate(bench.get("instruments", ()))
        ],
    )


def instruments_of(conn: sqlite3.Connection, run_id: str) -> list[Row]:
    """The instruments that served a run, each as it was calibrated then."""
    rows = conn.execute(
        "SELECT instrument AS id, title, identity, serial, calibrated, due, certificate"
        " FROM run_instrument WHERE run_id = ? ORDER BY position",
        (run_id,),
    )
    return [dict(row) for row in rows]


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


def interrupt_unfinished(conn: sqlite3.Connection) -> list[str]:
    """Mark each run that a dead service left armed or running; gives their ids."""
    rows = conn.execute("SELECT id FROM run WHERE state IN ('armed', 'running')").fetchall()
    for row in rows:
        set_state(conn, row["id"], "interrupted", "service", "The service stopped during the run.")
        conn.execute(
            "UPDATE run_unit SET verdict = 'inconclusive', cause = 'interrupted' WHERE run_id = ?1"
            # After a run's first end only what is repeated is unsettled.
            " AND (EXISTS (SELECT 1 FROM run WHERE id = ?1 AND finished_at IS NULL) OR EXISTS"
            " (SELECT 1 FROM repeat_request WHERE run_unit_id = run_unit.id))",
            (row["id"],),
        )
        conn.execute("UPDATE run SET verdict = 'inconclusive' WHERE id = ?", (row["id"],))
    return [row["id"] for row in rows]


def not_issued(conn: sqlite3.Connection) -> list[str]:
    """The finished runs whose documents are still to be issued, or were set aside; oldest first."""
    rows = conn.execute(
        "SELECT id FROM run WHERE state = 'finished' AND is_issued = 0 UNION"
        " SELECT run_id FROM set_aside JOIN run_unit ON run_unit.id = run_unit_id ORDER BY 1"
    )
    return [str(row["id"]) for row in rows]


def set_issued(conn: sqlite3.Connection, run_id: str, ended_at: str) -> bool:
    """Say that all that can be issued for a run, as it ended then, has been.

    One that was gone on with since has an end of its own to issue for. Gives whether that is new.
    """
    done = conn.execute(
        "UPDATE run SET is_issued = 1 WHERE id = ? AND ended_at = ? AND state = 'finished'"
        " AND is_issued = 0",
        (run_id, ended_at),
    )
    return done.rowcount == 1


def get_run(conn: sqlite3.Connection, run_id: str) -> Row:
    """A run with its units; each unit with its attempts and readings. Raises NotFound."""
    row = conn.execute(f"SELECT {_RUN} FROM run WHERE id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound("run", run_id)
    run = dict(row)
    run["line"] = LineOptions.model_validate_json(run["line"])
    run["bench"] = {
        **json.loads(run["bench"]),
        "instruments": instruments_of(conn, run_id),
    }
    run["units"] = units_of(conn, "run_id = ?", (run_id,))
    return run


def get_summary(conn: sqlite3.Connection, run_id: str) -> Row:
    """A run without its units; raises NotFound."""
    row = conn.execute(f"SELECT {_SUMMARY} FROM run WHERE id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound("run", run_id)
    return dict(row)


def find_run_unit(conn: sqlite3.Connection, run_id: str, nest: str) -> str:
    """The id of the unit in a nest of a run; raises NotFound."""
    row = conn.execute(
        "SELECT id FROM run_unit WHERE run_id = ? AND nest = ?", (run_id, nest)
    ).fetchone()
    if row is None:
        raise NotFound("unit in nest", nest)
    return str(row["id"])


def get_unit_in_run(conn: sqlite3.Connection, run_id: str, nest: str) -> Row:
    """The unit in a nest of a run, with its attempts; raises NotFound."""
    return units_of(conn, "run_unit.id = ?", (find_run_unit(conn, run_id, nest),))[0]


def list_runs(conn: sqlite3.Connection, count: int, before: str = "") -> list[Row]:
    """The newest runs, newest first, without their units; older than ``before`` if that is one."""
    rows = conn.execute(
        f"SELECT {_SUMMARY} FROM run WHERE ?1 = '' OR id < ?1 ORDER BY id DESC LIMIT ?2",
        (before, count),
    )
    return [dict(row) for row in rows]


def unit_history(conn: sqlite3.Connection, serial: str, count: int, before: str = "") -> list[Row]:
    """The newest appearances of a serial, newest first, with attempts and readings."""
    rows = conn.execute(
        "SELECT run_unit.id FROM run_unit JOIN unit ON unit.id = unit_id"
        " WHERE serial = ?1 COLLATE NOCASE AND (?2 = '' OR run_unit.id < ?2)"
        " ORDER BY run_unit.id DESC LIMIT ?3",
        (serial, before, count),
    )
    wanted = [str(row["id"]) for row in rows]
    marks = ", ".join("?" * len(wanted))
    return units_of(conn, f"run_unit.id IN ({marks})", wanted, newest_first=True)


def units_of(
    conn: sqlite3.Connection, where: str, values: Sequence[str], newest_first: bool = False
) -> list[Row]:
    """Units in runs with their attempts and readings; ``where`` is ours."""
    order = "run_unit.id DESC" if newest_first else "run_unit.id"
    found = [
        dict(row)
        for row in conn.execute(
            "SELECT run_unit.id, run_unit.run_id, unit_id, nest, unit.serial, unit.product,"
            " unit.asset, unit.place, run_unit.verdict, run_unit.cause,"
            " document.number AS certificate, document.kind AS certificate_kind,"
            " document.revoked AS revoked,"
            " document.issued_at AS certified_at, issued_after.attempts AS certified_after,"
            " set_aside.reason AS set_aside, let_go.at AS let_go_at, let_go.account AS let_go_by,"
            " coalesce(let_go.instruments, '[]') AS read_by,"
            " run.sequence_code, run.sequence_revision,"
            " run.state AS run_state, run.started_at, run.occasion"
            " FROM run_unit JOIN run ON run.id = run_id"
            " JOIN unit ON unit.id = unit_id"
            " LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id"
            " LEFT JOIN issued_after ON issued_after.number = document.number"
            " LEFT JOIN set_aside ON set_aside.run_unit_id = run_unit.id"
            # What a bench let go, whoever keeps all has still: there nothing went.
            " LEFT JOIN let_go ON let_go.run_unit_id = run_unit.id"
            " AND NOT EXISTS (SELECT 1 FROM reading WHERE reading.run_unit_id = run_unit.id)"
            " AND NOT EXISTS (SELECT 1 FROM curve WHERE curve.run_unit_id = run_unit.id)"
            f" WHERE {where} ORDER BY {order}",
            values,
        )
    ]
    for unit in found:
        unit["read_by"] = json.loads(unit["read_by"])
        number = unit["certificate"]
        unit["paper"] = papers.paper_state(conn, number).state if number else ""
        steps = _steps_of(conn, unit["sequence_code"], unit["sequence_revision"])
        unit["attempts"] = attempts.attempts_of(conn, unit["id"], steps)
        unit["due"] = list(attempts.due_repeats(conn, unit["id"]))
        unit["answers"] = attempts.answers_of(conn, unit["id"])
        unit["kept"] = on_the_way.unfinished(conn, unit["id"])
        unit["remarks"] = remarks.remarks_of(conn, unit["id"])
    return found


def _steps_of(conn: sqlite3.Connection, code: str, revision: int) -> dict[str, StepAsDone]:
    """The steps of a revision as they were released; none where that was never resolved."""
    try:
        released = sequences.released_as(conn, code, revision)
    except NotFound:
        return {}
    return {step.id: step for step in released.steps}


def count_by_state(conn: sqlite3.Connection) -> dict[str, int]:
    """How many runs are in each state."""
    rows = conn.execute("SELECT state, count(*) AS count FROM run GROUP BY state")
    return {row["state"]: int(row["count"]) for row in rows}
