"""The ledger: issued certificates and nonconformance reports, chained by hash."""

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass

from loricate.records.errors import NotFound
from loricate.records.store import now


@dataclass(frozen=True, slots=True)
class LedgerEntry:
    """One issued document: ``sealed`` is the signed JSON text, ``pdf`` the paper."""

    position: int
    number: str
    kind: str
    run_unit_id: str
    serial: str
    issued_at: str
    document_digest: str
    previous: str
    hash: str
    sealed: str
    pdf: bytes
    supersedes: str | None = None


def last_entry(conn: sqlite3.Connection) -> LedgerEntry | None:
    """The newest entry, or None in an empty ledger."""
    row = conn.execute("SELECT * FROM ledger ORDER BY position DESC LIMIT 1").fetchone()
    return None if row is None else LedgerEntry(**row)


def count_issued(conn: sqlite3.Connection, kind: str, year: int) -> int:
    """How many documents of a kind were issued in a year (UTC)."""
    row = conn.execute(
        "SELECT count(*) FROM ledger WHERE kind = ? AND issued_at LIKE ?", (kind, f"{year}-%")
    ).fetchone()
    return int(row[0])


def add_entry(conn: sqlite3.Connection, entry: LedgerEntry, attempts: int) -> None:
    """Append an entry, which tells of so many attempts at its unit."""
    conn.execute(
        "INSERT INTO ledger VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (entry.position, entry.number, entry.kind, entry.run_unit_id, entry.serial,
         entry.issued_at, entry.document_digest, entry.previous, entry.hash, entry.sealed,
         entry.pdf, entry.supersedes),
    )  # fmt: skip
    conn.execute("INSERT INTO issued_after VALUES (?, ?)", (entry.number, attempts))
    conn.execute("DELETE FROM set_aside WHERE run_unit_id = ?", (entry.run_unit_id,))


def set_aside(conn: sqlite3.Connection, run_unit_id: str, reason: str) -> None:
    """Keep why a unit's document could not be made."""
    conn.execute("INSERT OR REPLACE INTO set_aside VALUES (?, ?, ?)", (run_unit_id, reason, now()))


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
        "SELECT * FROM ledger WHERE number = ?1 OR serial = ?1 COLLATE NOCASE"
        " ORDER BY number = ?1 DESC, position DESC LIMIT 1",
        (name,),
    ).fetchone()
    if row is None:
        raise NotFound("certificate or nonconformance report", name)
    return LedgerEntry(**row)


def superseded_by(conn: sqlite3.Connection, number: str) -> str:
    """The number of the document that took this one's place; empty while it counts."""
    row = conn.execute("SELECT number FROM ledger WHERE supersedes = ?", (number,)).fetchone()
    return "" if row is None else str(row["number"])


@dataclass(frozen=True, slots=True)
class ChainLink:
    """What of an entry its chain is made of."""

    position: int
    number: str
    document_digest: str
    previous: str
    hash: str


def chain(conn: sqlite3.Connection) -> Iterator[ChainLink]:
    """The whole ledger in order, an entry at a time, without its documents."""
    for row in conn.execute(
        "SELECT position, number, document_digest, previous, hash FROM ledger ORDER BY position"
    ):
        yield ChainLink(**row)
