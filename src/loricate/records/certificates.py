"""The ledger: issued certificates and nonconformance reports, chained by hash."""

import sqlite3
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from loricate.records.errors import NotFound
from loricate.records.stamps import now

_ENTRY = (
    "position, number, kind, run_unit_id, serial, issued_at, document_digest, previous, hash,"
    " sealed, paper, supersedes"
)


@dataclass(frozen=True, slots=True)
class LedgerEntry:
    """One issued document: ``sealed`` is the signed JSON text, ``paper`` the digest of its PDF."""

    position: int
    number: str
    kind: str
    run_unit_id: str | None
    serial: str
    issued_at: str
    document_digest: str
    previous: str
    hash: str
    sealed: str
    paper: str
    supersedes: str | None = None


def last_entry(conn: sqlite3.Connection) -> LedgerEntry | None:
    """The newest entry, or None in an empty ledger."""
    row = conn.execute(f"SELECT {_ENTRY} FROM ledger ORDER BY position DESC LIMIT 1").fetchone()
    return None if row is None else LedgerEntry(**row)


def last_numbers(conn: sqlite3.Connection) -> dict[str, int]:
    """The last number of each series (``C-2026``): issued, or taken by records that are lost."""
    rows = conn.execute("SELECT series, number FROM number_taken")
    return {row["series"]: int(row["number"]) for row in rows}


def take_numbers(conn: sqlite3.Connection, taken: Mapping[str, int]) -> None:
    """Keep that numbers up to these are given, or may have been."""
    conn.executemany(
        "INSERT INTO number_taken (series, number) VALUES (?, ?) ON CONFLICT (series)"
        " DO UPDATE SET number = max(number, excluded.number)",
        list(taken.items()),
    )


def add_entry(conn: sqlite3.Connection, entry: LedgerEntry, attempts: int) -> None:
    """Append an entry, which tells of so many attempts at its unit."""
    conn.execute(
        f"INSERT INTO ledger ({_ENTRY}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            entry.position,
            entry.number,
            entry.kind,
            entry.run_unit_id,
            entry.serial,
            entry.issued_at,
            entry.document_digest,
            entry.previous,
            entry.hash,
            entry.sealed,
            entry.paper,
            entry.supersedes,
        ),
    )
    series, _, number = entry.number.rpartition("-")
    take_numbers(conn, {series: int(number)})
    conn.execute(
        "INSERT INTO issued_after (number, attempts) VALUES (?, ?)", (entry.number, attempts)
    )
    conn.execute("DELETE FROM set_aside WHERE run_unit_id = ?", (entry.run_unit_id,))


def set_aside(conn: sqlite3.Connection, run_unit_id: str, reason: str) -> None:
    """Keep why a unit's document could not be made."""
    conn.execute(
        "INSERT OR REPLACE INTO set_aside (run_unit_id, reason, at) VALUES (?, ?, ?)",
        (run_unit_id, reason, now()),
    )


def all_set_aside(conn: sqlite3.Connection) -> list[tuple[str, str, str]]:
    """What could not be issued: run, nest and reason, oldest first."""
    rows = conn.execute(
        "SELECT run_id, nest, reason FROM set_aside JOIN run_unit ON run_unit.id = run_unit_id"
        " ORDER BY at LIMIT 100"
    )
    return [(row["run_id"], row["nest"], row["reason"]) for row in rows]


def get_entry(conn: sqlite3.Connection, name: str) -> LedgerEntry:
    """The entry of a number, or the newest of a serial; raises NotFound."""
    row = conn.execute(
        f"SELECT {_ENTRY} FROM ledger WHERE number = ?1 OR serial = ?1 COLLATE NOCASE"
        " ORDER BY number = ?1 DESC, position DESC LIMIT 1",
        (name,),
    ).fetchone()
    if row is None:
        raise NotFound("certificate or nonconformance report", name)
    return LedgerEntry(**row)


def get_numbered(conn: sqlite3.Connection, number: str) -> LedgerEntry:
    """The entry of a number; raises NotFound."""
    row = conn.execute(f"SELECT {_ENTRY} FROM ledger WHERE number = ?", (number,)).fetchone()
    if row is None:
        raise NotFound("certificate or nonconformance report", number)
    return LedgerEntry(**row)


def hash_at(conn: sqlite3.Connection, position: int) -> str:
    """The hash of the entry at a position; of the beginning before the first, empty for none."""
    if position == 0:
        return "0" * 64
    row = conn.execute("SELECT hash FROM ledger WHERE position = ?", (position,)).fetchone()
    return "" if row is None else str(row["hash"])


def superseded_by(conn: sqlite3.Connection, number: str) -> str:
    """The number of the document that took this one's place; empty while it counts."""
    row = conn.execute("SELECT number FROM ledger WHERE supersedes = ?", (number,)).fetchone()
    return "" if row is None else str(row["number"])


def count_by_kind(conn: sqlite3.Connection) -> dict[str, int]:
    """How many documents of each kind were issued.

    Counted by their numbers' letters, which the index of numbers has.
    """
    rows = conn.execute(
        "SELECT name, (SELECT count(*) FROM ledger WHERE number >= letter || '-' AND"
        " number < letter || '.') AS count FROM document_kind ORDER BY name"
    )
    return {row["name"]: int(row["count"]) for row in rows}


def letter_of(conn: sqlite3.Connection, kind: str) -> str:
    """The letter that numbers of a kind of document begin with; raises NotFound."""
    row = conn.execute("SELECT letter FROM document_kind WHERE name = ?", (kind,)).fetchone()
    if row is None:
        raise NotFound("kind of document", kind)
    return str(row["letter"])


def count_set_aside(conn: sqlite3.Connection) -> int:
    """How many documents could not be issued."""
    return int(conn.execute("SELECT count(*) FROM set_aside").fetchone()[0])


def whole_ledger(conn: sqlite3.Connection) -> Iterator[LedgerEntry]:
    """The whole ledger in order, an entry at a time."""
    for row in conn.execute(f"SELECT {_ENTRY} FROM ledger ORDER BY position"):
        yield LedgerEntry(**row)
