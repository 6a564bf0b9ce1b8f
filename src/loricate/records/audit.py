"""The audit trail: who did what, when."""

import sqlite3

from loricate.records.store import now


def note(
    conn: sqlite3.Connection, account: str, action: str, subject: str, detail: str = ""
) -> None:
    """Add an entry in the transaction of the change that it tells of."""
    conn.execute(
        "INSERT INTO audit (at, account, action, subject, detail) VALUES (?, ?, ?, ?, ?)",
        (now(), account, action, subject, detail),
    )


def latest(conn: sqlite3.Connection, count: int) -> list[dict[str, str]]:
    """The newest entries, newest first."""
    rows = conn.execute(
        "SELECT at, account, action, subject, detail FROM audit ORDER BY id DESC LIMIT ?", (count,)
    )
    return [dict(row) for row in rows]
