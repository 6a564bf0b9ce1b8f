"""The outbox: what still has to reach a folder or another system, and what became of it.

An entry is made in the transaction that makes what is to be sent, so that nothing is forgotten; it
is sent afterwards, in nobody's way, until it has got there.
"""

import datetime as dt
import json
import sqlite3
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now

FIRST_WAIT_S, LONGEST_WAIT_S = 2.0, 600.0
MOST_AT_ONCE = 100
_COLUMNS = (
    "id, target, subject, facts, queued_at, tries, next_try_at, problem, sent_at, key, unit,"
    " left_out"
)

_BEHIND = (
    "CASE WHEN sent_at IS NULL AND unit <> '' THEN (SELECT max(before.id) FROM outbox AS before"
    " WHERE before.sent_at IS NULL AND before.target = outbox.target"
    " AND before.unit = outbox.unit AND before.unit <> '' AND before.id < outbox.id) END AS behind"
)


@dataclass(frozen=True, slots=True)
class Outgoing:
    """One thing that is to be sent: where to, of what, what the receiver needs to know of it.

    A message has a ``key``, the same each time that it is sent, and may be of a ``unit``: those of
    one unit go in order. ``left_out`` says who left it out, and why; then it has ended as well.
    """

    id: int
    target: str
    subject: str
    facts: Mapping[str, str]
    queued_at: str
    tries: int
    next_try_at: str
    problem: str
    sent_at: str | None
    key: str = ""
    unit: str = ""
    left_out: str = ""
    behind: int | None = None  # the entry of its unit that goes before it, where one waits

    @property
    def is_message(self) -> bool:
        """Whether it goes to another system that the site names."""
        return bool(self.key)


def add_outgoing(
    conn: sqlite3.Connection, target: str, subject: str, facts: Mapping[str, str]
) -> None:
    """Queue something to be sent."""
    _add(conn, target, subject, facts, "", "")


def add_message(
    conn: sqlite3.Connection, target: str, subject: str, unit: str, facts: Mapping[str, str]
) -> None:
    """Queue a message, after every other to this target that is of the same unit."""
    _add(conn, target, subject, facts, str(uuid.uuid4()), unit)


def _add(
    conn: sqlite3.Connection,
    target: str,
    subject: str,
    facts: Mapping[str, str],
    key: str,
    unit: str,
) -> None:
    at = now()
    conn.execute(
        "INSERT INTO outbox (target, subject, facts, queued_at, next_try_at, key, unit)"
        " VALUES (?, ?, ?, ?, ?, ?, ?)",
        (target, subject, json.dumps(dict(facts), ensure_ascii=False), at, at, key, unit),
    )


def due_outgoing(conn: sqlite3.Connection, target: str) -> list[Outgoing]:
    """What is to be tried now of one target, the oldest first; of a unit nothing but its oldest."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM outbox WHERE sent_at IS NULL AND next_try_at <= ? AND target = ?"
        " AND (unit = '' OR NOT EXISTS (SELECT 1 FROM outbox AS before WHERE before.sent_at IS NULL"
        " AND before.target = outbox.target AND before.unit = outbox.unit AND before.unit <> ''"
        " AND before.id < outbox.id)) ORDER BY id LIMIT ?",
        (now(), target, MOST_AT_ONCE),
    )
    return [_outgoing(row) for row in rows]


def list_outgoing(
    conn: sqlite3.Connection, count: int, before: str = "", waiting: bool = False
) -> list[Outgoing]:
    """The newest entries, newest first; only those not sent yet where ``waiting``."""
    rows = conn.execute(
        f"SELECT {_COLUMNS}, {_BEHIND} FROM outbox WHERE (?1 = '' OR id < CAST(?1 AS INTEGER))"
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


def waiting_targets(conn: sqlite3.Connection) -> set[str]:
    """Where whatever waits is to go."""
    return {str(row[0]) for row in conn.execute(
        "SELECT DISTINCT target FROM outbox WHERE sent_at IS NULL"
    )}  # fmt: skip


def set_messages_sent(conn: sqlite3.Connection, sent: Sequence[int]) -> None:
    """Keep that messages have got there; what they said stands in the records that they tell of."""
    at = now()
    conn.executemany(
        "UPDATE outbox SET sent_at = ?, tries = tries + 1, problem = '', facts = '{}'"
        " WHERE id = ? AND sent_at IS NULL",
        [(at, each) for each in sent],
    )


def say_of_all(conn: sqlite3.Connection, target: str, problem: str) -> None:
    """Keep why nothing that waits for a target is tried."""
    conn.execute(
        "UPDATE outbox SET problem = ? WHERE sent_at IS NULL AND target = ?", (problem, target)
    )


def hold_up(conn: sqlite3.Connection, outgoing: Outgoing, problem: str, failures: int) -> None:
    """Keep that a target takes nothing, so often in a row: whatever waits for it is tried later."""
    conn.execute(
        "UPDATE outbox SET tries = tries + (id = ?), problem = ?, next_try_at = ?"
        " WHERE sent_at IS NULL AND target = ?",
        (outgoing.id, problem[:500], _again(failures - 1), outgoing.target),
    )


def try_now(conn: sqlite3.Connection, target: str) -> None:
    """Have whatever waits for a target be tried at once."""
    conn.execute(
        "UPDATE outbox SET next_try_at = ? WHERE sent_at IS NULL AND target = ?", (now(), target)
    )


def leave_out(conn: sqlite3.Connection, outgoing: int, account: str, reason: str) -> Outgoing:
    """End a message that cannot be sent; what waits behind it goes on.

    Raises NotFound, and ValueError where it is no message that waits.
    """
    row = conn.execute(f"SELECT {_COLUMNS} FROM outbox WHERE id = ?", (outgoing,)).fetchone()
    if row is None:
        raise NotFound("entry of the outbox", str(outgoing))
    found = _outgoing(row)
    if not found.is_message:
        raise ValueError("is no message to another system; it waits until it can be done.")
    if found.sent_at is not None:
        raise ValueError("does not wait any more.")
    at = now()
    conn.execute(
        "UPDATE outbox SET sent_at = ?, left_out = ? WHERE id = ?",
        (at, f"{account}: {reason}", outgoing),
    )
    audit.note(conn, account, "leave out", f"{found.target} {found.subject}", reason)
    return replace(found, sent_at=at, left_out=f"{account}: {reason}")


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
    conn.execute(
        "UPDATE outbox SET tries = tries + 1, problem = ?, next_try_at = ?"
        " WHERE id = ? AND sent_at IS NULL",  # it may have been left out meanwhile
        (problem[:500], _again(outgoing.tries), outgoing.id),
    )


def _again(tries: int) -> str:
    wait_s = min(FIRST_WAIT_S * 2.0 ** min(tries, 32), LONGEST_WAIT_S)
    again = dt.datetime.now(dt.UTC) + dt.timedelta(seconds=wait_s)
    return again.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def try_all_now(conn: sqlite3.Connection) -> int:
    """Have everything that waits be tried at once; gives how many wait."""
    conn.execute("UPDATE outbox SET next_try_at = ? WHERE sent_at IS NULL", (now(),))
    return count_waiting(conn)


def _outgoing(row: sqlite3.Row) -> Outgoing:
    return Outgoing(**{**dict(row), "facts": json.loads(row["facts"])})
