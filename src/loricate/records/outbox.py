"""The outbox: what still has to reach a folder or another system, and what became of it.

An entry is made in the transaction that makes what is to be sent, so that nothing is forgotten; it
is sent afterwards, in nobody's way, until it has got there.
"""

import datetime as dt
import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

from loricate.records.stamps import now

FIRST_WAIT_S, LONGEST_WAIT_S = 2.0, 600.0
MOST_AT_ONCE = 100
_COLUMNS = "id, target, subject, facts, queued_at, tries, next_try_at, problem, sent_at"


@dataclass(frozen=True, slots=True)
class Outgoing:
    """One thing that is to be sent: where to, of what, what the receiver needs to know of it."""

    id: int
    target: str
    subject: str
    facts: Mapping[str, str]
    queued_at: str
    tries: int
    next_try_at: str
    problem: str
    sent_at: str | None


def add_outgoing(
    conn: sqlite3.Connection, target: str, subject: str, facts: Mapping[str, str]
) -> None:
    """Queue something to be sent."""
    at = now()
    conn.execute(
        "INSERT INTO outbox (target, subject, facts, queued_at, next_try_at)"
        " VALUES (?, ?, ?, ?, ?)",
        (target, subject, json.dumps(dict(facts)), at, at),
    )


def due_outgoing(conn: sqlite3.Connection, target: str) -> list[Outgoing]:
    """What is to be tried now of one target, the oldest first."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM outbox WHERE sent_at IS NULL AND next_try_at <= ? AND target = ?"
        " ORDER BY id LIMIT ?",
        (now(), target, MOST_AT_ONCE),
    )
    return [_outgoing(row) for row in rows]


def list_outgoing(
    conn: sqlite3.Connection, count: int, before: str = "", waiting: bool = False
) -> list[Outgoing]:
    """The newest entries, newest first; only those not sent yet where ``waiting``."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM outbox WHERE (?1 = '' OR id < CAST(?1 AS INTEGER))"
        " AND (?2 = 0 OR sent_at IS NULL) ORDER BY id DESC LIMIT ?3",
        (before, int(waiting), count),
    )
    return [_outgoing(row) for row in rows]


def count_waiting(conn: sqlite3.Connection) -> int:
    """How many have not got there yet."""
    return int(conn.execute("SELECT count(*) FROM outbox WHERE sent_at IS NULL").fetchone()[0])


def held_up(conn: sqlite3.Connection, target: str) -> list[tuple[str, str]]:
    """What of a target has met a problem, with it; oldest first."""
    rows = conn.execute(
        "SELECT subject, problem FROM outbox WHERE sent_at IS NULL AND target = ? AND problem <> ''"
        " ORDER BY id LIMIT ?",
        (target, MOST_AT_ONCE),
    )
    return [(str(row["subject"]), str(row["problem"])) for row in rows]


def set_sent(conn: sqlite3.Connection, outgoing: int) -> None:
    """Keep that an entry has got there."""
    conn.execute(
        "UPDATE outbox SET sent_at = ?, tries = tries + 1, problem = '' WHERE id = ?",
        (now(), outgoing),
    )


def set_all_sent(conn: sqlite3.Connection, target: str, subject: str) -> None:
    """Keep that whatever of one subject waited for a target has got there."""
    conn.execute(
        "UPDATE outbox SET sent_at = ?, tries = tries + 1, problem = ''"
        " WHERE sent_at IS NULL AND target = ? AND subject = ?",
        (now(), target, subject),
    )


def is_waiting(conn: sqlite3.Connection, target: str, subject: str) -> bool:
    """Whether anything of one subject waits for a target."""
    row = conn.execute(
        "SELECT 1 FROM outbox WHERE sent_at IS NULL AND target = ? AND subject = ? LIMIT 1",
        (target, subject),
    ).fetchone()
    return row is not None


def set_problem(conn: sqlite3.Connection, outgoing: Outgoing, problem: str) -> None:
    """Keep why an entry could not be sent, and when it is tried again: later each time."""
    wait_s = min(FIRST_WAIT_S * 2.0**outgoing.tries, LONGEST_WAIT_S)
    again = dt.datetime.now(dt.UTC) + dt.timedelta(seconds=wait_s)
    conn.execute(
        "UPDATE outbox SET tries = tries + 1, problem = ?, next_try_at = ? WHERE id = ?",
        (
            problem[:500],
            again.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
            outgoing.id,
        ),
    )


def try_all_now(conn: sqlite3.Connection) -> int:
    """Have everything that waits be tried at once; gives how many wait."""
    conn.execute("UPDATE outbox SET next_try_at = ? WHERE sent_at IS NULL", (now(),))
    return count_waiting(conn)


def _outgoing(row: sqlite3.Row) -> Outgoing:
    return Outgoing(**{**dict(row), "facts": json.loads(row["facts"])})
