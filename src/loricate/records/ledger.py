"""The ledger: every kind of document that was issued, chained by hash."""

import json
import sqlite3
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from loricate.records.errors import NotFound
from loricate.records.patterns import as_like
from loricate.records.stamps import now

_ENTRY = (
    "position, number, kind, run_unit_id, serial, lot, issued_at, document_digest, previous, hash,"
    " sealed, supersedes"
)
_ABOUT = (
    "(SELECT json_group_array(number) FROM (SELECT about.number FROM about WHERE about.position ="
    " ledger.position ORDER BY about.number)) AS about"
)
REVOCABLE = ("certificate", "nonconformance", "lot", "report")
APPROVABLE = ("certificate", "nonconformance", "lot", "report")
_SELECT = f"SELECT {_ENTRY}, {_ABOUT} FROM ledger"
_REVOKED = (
    "(SELECT entry.number FROM about JOIN ledger AS entry ON entry.position = about.position"
    " WHERE about.number = ledger.number AND entry.kind = 'revocation')"
)
_APPROVED = (
    "(SELECT count(*) FROM about JOIN ledger AS entry ON entry.position = about.position"
    " WHERE about.number = ledger.number AND entry.kind = 'approval')"
)


@dataclass(frozen=True, slots=True)
class LedgerEntry:
    """One issued document: ``sealed`` is the signed JSON text, ``about`` what it is an act on."""

    position: int
    number: str
    kind: str
    run_unit_id: str | None
    serial: str
    lot: str
    issued_at: str
    document_digest: str
    previous: str
    hash: str
    sealed: str
    supersedes: str | None = None
    about: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class LedgerRow:
    """An entry in a list: without its document, with how it stands."""

    position: int
    number: str
    kind: str
    serial: str
    lot: str
    product: str
    issued_at: str
    supersedes: str
    superseded_by: str
    revoked_by: str  # the revocation's number
    approvals: int
    about: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Acts:
    """What came after a document: the number that counts instead, and sealed acts about it."""

    superseded_by: str = ""
    revocation: str = ""
    approvals: tuple[str, ...] = ()


class IssuedAlready(RuntimeError):
    """A unit would get two documents of the same attempts."""


def _entry(row: sqlite3.Row) -> LedgerEntry:
    return LedgerEntry(**{**dict(row), "about": tuple(json.loads(row["about"]))})


def last_entry(conn: sqlite3.Connection) -> LedgerEntry | None:
    """The newest entry, or None in an empty ledger."""
    row = conn.execute(f"{_SELECT} ORDER BY position DESC LIMIT 1").fetchone()
    return None if row is None else _entry(row)


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


def add_entry(conn: sqlite3.Connection, entry: LedgerEntry) -> None:
    """Append an entry."""
    conn.execute(
        f"INSERT INTO ledger ({_ENTRY}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            entry.position,
            entry.number,
            entry.kind,
            entry.run_unit_id,
            entry.serial,
            entry.lot,
            entry.issued_at,
            entry.document_digest,
            entry.previous,
            entry.hash,
            entry.sealed,
            entry.supersedes,
        ),
    )
    conn.executemany(
        "INSERT INTO about (position, number) VALUES (?, ?)",
        [(entry.position, number) for number in entry.about],
    )
    series, _, number = entry.number.rpartition("-")
    take_numbers(conn, {series: int(number)})


def settle(conn: sqlite3.Connection, entry: LedgerEntry, attempts: int) -> None:
    """Keep that a document tells of so many attempts at its unit; raises IssuedAlready."""
    if conn.execute(
        "SELECT 1 FROM ledger JOIN issued_after USING (number)"
        " WHERE run_unit_id = ? AND attempts >= ?",
        (entry.run_unit_id, attempts),
    ).fetchone():
        raise IssuedAlready(f"{entry.serial} has a document of its last attempt already.")
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
    """The entry of a number, or the newest of a serial's own documents; raises NotFound."""
    row = conn.execute(
        f"{_SELECT} WHERE number = ?1 OR serial = ?1 COLLATE NOCASE"
        " ORDER BY number = ?1 DESC, position DESC LIMIT 1",
        (name,),
    ).fetchone()
    if row is None:
        raise NotFound("document", name)
    return _entry(row)


def get_numbered(conn: sqlite3.Connection, number: str) -> LedgerEntry:
    """The entry of a number; raises NotFound."""
    row = conn.execute(f"{_SELECT} WHERE number = ?", (number,)).fetchone()
    if row is None:
        raise NotFound("document", number)
    return _entry(row)


def hash_at(conn: sqlite3.Connection, position: int) -> str:
    """The hash of the entry at a position; of the beginning before the first, empty for none."""
    if position == 0:
        return "0" * 64
    row = conn.execute("SELECT hash FROM ledger WHERE position = ?", (position,)).fetchone()
    return "" if row is None else str(row["hash"])


def acts_on(conn: sqlite3.Connection, number: str) -> Acts:
    """What came after a document."""
    rows = conn.execute(
        "SELECT kind, sealed FROM about JOIN ledger USING (position)"
        " WHERE about.number = ? ORDER BY position",
        (number,),
    ).fetchall()
    return Acts(
        superseded_by(conn, number),
        next((str(row["sealed"]) for row in rows if row["kind"] == "revocation"), ""),
        tuple(str(row["sealed"]) for row in rows if row["kind"] == "approval"),
    )


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which documents a list is of; what is empty is not asked for."""

    kind: str = ""
    serial: str = ""  # with * and ?
    lot: str = ""
    number: str = ""  # what it begins with
    standing: str = ""  # counts, superseded, revoked, approved, unapproved


STANDINGS = {
    "": "1",
    "counts": f"{_REVOKED} IS NULL AND number NOT IN (SELECT supersedes FROM ledger WHERE"
    " supersedes IS NOT NULL)",
    "superseded": "number IN (SELECT supersedes FROM ledger WHERE supersedes IS NOT NULL)",
    "revoked": f"{_REVOKED} IS NOT NULL",
    "approved": f"{_APPROVED} >= ?7",
    "unapproved": f"{_APPROVED} < ?7 AND {_REVOKED} IS NULL AND number NOT IN"
    " (SELECT supersedes FROM ledger WHERE supersedes IS NOT NULL)",
}


def list_entries(
    conn: sqlite3.Connection, wanted: Wanted, count: int, before: int = 0, needed: int = 1
) -> list[LedgerRow]:
    """The newest entries, newest first; those before the position ``before`` if that is one.

    One is approved that has as many approvals as are ``needed``.
    """
    rows = conn.execute(
        "SELECT position, number, ledger.kind, ledger.serial, lot, issued_at,"
        " coalesce(unit.product, '') AS product,"
        " coalesce(supersedes, '') AS supersedes,"
        " coalesce((SELECT later.number FROM ledger AS later WHERE later.supersedes ="
        " ledger.number), '') AS superseded_by,"
        f" coalesce({_REVOKED}, '') AS revoked_by, {_APPROVED} AS approvals, {_ABOUT}"
        " FROM ledger LEFT JOIN run_unit ON run_unit.id = run_unit_id"
        " LEFT JOIN unit ON unit.id = unit_id"
        " WHERE (?1 = 0 OR position < ?1) AND (?2 = '' OR ledger.kind = ?2)"
        " AND (?3 = '' OR ledger.serial LIKE ?3 ESCAPE '\\') AND (?4 = '' OR lot = ?4)"
        " AND (?5 = '' OR substr(number, 1, length(?5)) = ?5)"
        f" AND ?7 = ?7 AND {STANDINGS[wanted.standing]} ORDER BY position DESC LIMIT ?6",
        (before, wanted.kind, as_like(wanted.serial), wanted.lot, wanted.number, count, needed),
    )
    return [LedgerRow(**{**dict(row), "about": tuple(json.loads(row["about"]))}) for row in rows]


def summary_of_lot(conn: sqlite3.Connection, lot: str) -> str:
    """The number of the newest summary of a lot; empty while none was issued."""
    row = conn.execute(
        "SELECT number FROM ledger WHERE lot = ? AND kind = 'lot' ORDER BY position DESC LIMIT 1",
        (lot,),
    ).fetchone()
    return "" if row is None else str(row["number"])


def standing_of_lot(conn: sqlite3.Connection, lot: str) -> list[LedgerRow]:
    """The documents of a lot that count, oldest first: those of its units, and its summary."""
    found = list_entries(conn, Wanted(lot=lot, standing="counts"), -1)
    return [row for row in reversed(found) if row.kind in APPROVABLE]


def tester_of(conn: sqlite3.Connection, number: str) -> str:
    """Who started the run of the unit that a document is of; empty for a document of none."""
    row = conn.execute(
        "SELECT coalesce(started_by, created_by) AS tester FROM ledger"
        " JOIN run_unit ON run_unit.id = run_unit_id JOIN run ON run.id = run_id WHERE number = ?",
        (number,),
    ).fetchone()
    return "" if row is None else str(row["tester"])


def numbers_of_acts(conn: sqlite3.Connection, number: str, kind: str) -> list[str]:
    """The numbers of the revocations or approvals of a document, oldest first."""
    rows = conn.execute(
        "SELECT ledger.number FROM about JOIN ledger USING (position)"
        " WHERE about.number = ? AND kind = ? ORDER BY position",
        (number, kind),
    )
    return [str(row["number"]) for row in rows]


@dataclass(frozen=True, slots=True)
class Revoked:
    """A document that was revoked, and by what."""

    number: str
    digest: str
    revocation: str
    at: str
    reason: str


def revoked_and_superseded(
    conn: sqlite3.Connection,
) -> tuple[list[Revoked], list[tuple[str, str]]]:
    """Every revoked document, and which took another's place (the other's number first)."""
    revoked = conn.execute(
        "SELECT about.number, ledger.document_digest AS digest, entry.number AS revocation,"
        " entry.issued_at AS at, entry.sealed ->> '$.document.reason' AS reason FROM about"
        " JOIN ledger AS entry ON entry.position = about.position"
        " JOIN ledger ON ledger.number = about.number WHERE entry.kind = 'revocation'"
        " ORDER BY entry.position"
    )
    superseded = conn.execute(
        "SELECT supersedes, number FROM ledger WHERE supersedes IS NOT NULL ORDER BY position"
    )
    return [Revoked(**dict(row)) for row in revoked], [
        (str(row["supersedes"]), str(row["number"])) for row in superseded
    ]


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
    for row in conn.execute(f"{_SELECT} ORDER BY position"):
        yield _entry(row)
