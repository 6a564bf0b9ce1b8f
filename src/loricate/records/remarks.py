"""Remarks on units and steps, with pictures."""

import sqlite3
from typing import Any

from loricate.records import audit
from loricate.records.stamps import new_id, now

Row = dict[str, Any]


def add_remark(
    conn: sqlite3.Connection,
    run_unit_id: str,
    step_id: str,
    text: str,
    picture: str | None,
    account: str,
) -> str:
    """Keep a remark on a unit in a run, or on one of its steps; gives its id."""
    remark_id = new_id()
    conn.execute(
        "INSERT INTO remark (id, run_unit_id, step_id, text, picture, account, made_at)"
        " VALUES (?, ?, ?, ?, ?, ?, ?)",
        (remark_id, run_unit_id, step_id, text, picture, account, now()),
    )
    audit.note(conn, account, "remark", run_unit_id, text)
    return remark_id


def remarks_of(conn: sqlite3.Connection, run_unit_id: str) -> list[Row]:
    """The remarks on a unit in a run, in order."""
    rows = conn.execute(
        "SELECT id, step_id, text, picture, account, made_at FROM remark WHERE run_unit_id = ?"
        " ORDER BY id",
        (run_unit_id,),
    )
    return [dict(row) for row in rows]
