"""The ledger: issued certificates and nonconformance reports, chained by hash."""

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass

from loricate.records.errors import NotFound


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


def add_entry(conn: sqlite3.Connection, entry: LedgerEntry) -> None:
    """Append an entry."""
    conn.execute(
        "INSERT INTO ledger VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (entry.position, entry.number, entry.kind, entry.run_unit_id, entry.serial,
         entry.issued_at, entry.document_digest, entry.previous, entry.hash, entry.sealed,
         entry.pdf, entry.supersedes),
    )  # fmt: skip


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
