"""The audit trail: who did what, when."""

import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from loricate.records import marks
from loricate.records.stamps import now


def note(
    conn: sqlite3.Connection, account: str, action: str, subject: str, detail: str = ""
) -> None:
    """Add an entry in the transaction of the change that it tells of."""
    conn.execute(
        "INSERT INTO audit (at, account, action, subject, detail) VALUES (?, ?, ?, ?, ?)",
        (now(), account, action, subject, detail),
    )


def note_before_all(
    conn: sqlite3.Connection, account: str, action: str, subject: str, detail: str = ""
) -> None:
    """Add an entry of this service's to a trail of another's, in the way of none that comes."""
    conn.execute(
        "INSERT INTO audit (id, at, account, action, subject, detail)"
        " VALUES ((SELECT min(coalesce(min(id), 0), 0) - 1 FROM audit), ?, ?, ?, ?, ?)",
        (now(), account, action, subject, detail),
    )


SIGN_IN = "sign in"


def has_signed_in(conn: sqlite3.Connection, account: str, address: str) -> bool:
    """Whether an account has ever signed in from an address."""
    row = conn.execute(
        "SELECT 1 FROM audit WHERE account = ? COLLATE NOCASE AND detail = ?"
        f" AND action = '{SIGN_IN}' LIMIT 1",  # the index is of these alone
        (account, address),
    ).fetchone()
    return row is not None


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which entries are wanted; what is empty does not matter. Times are RFC 3339 or dates."""

    account: str = ""
    action: str = ""
    subject: str = ""
    since: str = ""
    until: str = ""
    before: int | None = None
    count: int = 100


def find(conn: sqlite3.Connection, wanted: Wanted) -> list[dict[str, Any]]:
    """The newest entries that are wanted, newest first; action and subject match in part."""
    rows = conn.execute(
        "SELECT id AS number, at, account, action, subject, detail FROM audit"
        " WHERE (?1 = '' OR account = ?1 COLLATE NOCASE)"
        " AND (?2 = '' OR instr(lower(action), lower(?2)))"
        " AND (?3 = '' OR instr(lower(subject), lower(?3)))"
        " AND (?4 = '' OR at >= ?4) AND (?5 = '' OR substr(at, 1, length(?5)) <= ?5)"
        " AND (?6 IS NULL OR id < ?6) ORDER BY id DESC LIMIT ?7",
        (
            wanted.account,
            wanted.action,
            wanted.subject,
            wanted.since,
            wanted.until,
            wanted.before,
            wanted.count,
        ),
    )
    return [dict(row) for row in rows]


EXPORTED = ("number", "at", "account", "action", "subject", "detail", "site")
MARKED = ("mark", "marked_at", "origin", "digest", "hash")


def page_with_marks(conn: sqlite3.Connection, after: int, count: int) -> list[dict[str, Any]]:
    """Entries with their marks, above a mark's number, oldest first: what an export has."""
    rows = conn.execute(
        "SELECT json_extract(mark.key, '$[0]') AS number, audit.at, account, action, subject,"
        " detail, site, mark.position AS mark, mark.at AS marked_at, origin, digest, hash FROM mark"
        " LEFT JOIN audit ON audit.id = json_extract(mark.key, '$[0]')"
        " WHERE mark.kind = 'audit' AND mark.position > ? ORDER BY mark.position LIMIT ?",
        (after, count),
    )
    return [dict(row) for row in rows]


def export_faults(rows: Iterable[Mapping[str, str]], end: tuple[int, str] | None) -> Iterator[str]:
    """What is wrong with an export, cell by cell as its CSV has them.

    ``end`` is how many entries there were and the last hash, from a head signed just before it.
    """
    previous, expected = marks.GENESIS, 1
    is_at_end = end is None or end[0] == 0
    digests: dict[str, tuple[str, str]] = {}
    for row in rows:
        number = row["number"]
        # An export of an earlier version had fewer columns, and so had what was marked.
        told = {name: row[name] for name in EXPORTED[1:] if name in row}
        content = {"id": int(number), **told}
        digests[number] = row["digest"], marks.digest_of_row(content)
        wanted = marks.mark_hash(
            ("audit", expected, f"[{number}]", row["digest"], row["marked_at"], row["origin"]),
            previous,
        )
        if row["mark"] != str(expected) or row["hash"] != wanted:
            yield f"An entry before or at {number} is missing, or its mark was changed."
            return
        is_at_end = is_at_end or end == (expected, wanted)
        previous, expected = wanted, expected + 1
    # An entry that a newer version marked anew is told by its last mark.
    for number, (marked, found) in digests.items():
        if marked != found:
            yield f"Entry {number} is not as it was marked."
    if end is not None and not is_at_end:
        yield (
            f"The export's {expected - 1} entries do not have the {end[0]} that were signed for: "
            "its end was cut off, or it was chained anew."
        )
