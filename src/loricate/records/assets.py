"""Devices by asset number: what they are, where they are, and how their tests went."""

import datetime as dt
import sqlite3
from dataclasses import dataclass

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.occasions import PastTest
from loricate.records import audit, units
from loricate.records.errors import NotFound
from loricate.records.patterns import as_like

MOST_TESTS = 50


@dataclass(frozen=True, slots=True)
class Asset:
    """A device: the number its owner gave it, its product, serial and place."""

    unit_id: str
    number: str
    product: str
    serial: str
    place: str


_ASSET = "id AS unit_id, asset AS number, product, serial, place"


def _asset(row: sqlite3.Row) -> Asset:
    return Asset(**{name: str(row[name]) for name in Asset.__dataclass_fields__})


def find_by_number(conn: sqlite3.Connection, number: str) -> Asset | None:
    """The device that has a number; None where none has."""
    row = conn.execute(
        f"SELECT {_ASSET} FROM unit WHERE asset = ? COLLATE NOCASE AND asset <> ''", (number,)
    ).fetchone()
    return None if row is None else _asset(row)


def find_either(conn: sqlite3.Connection, text: str) -> list[Asset]:
    """The device of this number, else those of this serial: several products may have one."""
    if (found := find_by_number(conn, text)) is not None:
        return [found]
    rows = conn.execute(
        f"SELECT {_ASSET} FROM unit WHERE serial = ? COLLATE NOCASE ORDER BY product", (text,)
    )
    return [_asset(row) for row in rows]


def of_document(conn: sqlite3.Connection, number: str) -> Asset | None:
    """The unit that a document is of, whether it has a number or not; None for one of none."""
    row = conn.execute(
        "SELECT unit.id AS unit_id, asset AS number, product, unit.serial, place FROM ledger"
        " JOIN run_unit ON run_unit.id = run_unit_id JOIN unit ON unit.id = unit_id"
        " WHERE ledger.number = ?",
        (number,),
    ).fetchone()
    return None if row is None else _asset(row)


def describe(
    conn: sqlite3.Connection, account: str, number: str, product: str, serial: str, place: str
) -> Asset:
    """Say of a device which number and place it has; the audit keeps what was said before.

    Raises NotFound for a product that there is none of. Whether another device has the number is
    for whoever asks to see before, in the same transaction.
    """
    if not conn.execute("SELECT 1 FROM product WHERE code = ?", (product,)).fetchone():
        raise NotFound("product", product)
    unit_id = units.known_unit(conn, product, serial)
    conn.execute("UPDATE unit SET asset = ?, place = ? WHERE id = ?", (number, place, unit_id))
    audit.note(conn, account, "describe asset", number, f"{product} {serial} at {place or '?'}")
    return Asset(unit_id, number, product, serial, place)


def list_assets(conn: sqlite3.Connection, pattern: str, count: int, after: str = "") -> list[Asset]:
    """Devices with a number, in its order, whose number, serial or place matches a pattern."""
    rows = conn.execute(
        f"SELECT {_ASSET} FROM unit WHERE asset <> '' AND asset > ?2 COLLATE NOCASE AND"
        " (asset LIKE ?1 ESCAPE '\\' OR serial LIKE ?1 ESCAPE '\\' OR place LIKE ?1 ESCAPE '\\')"
        " ORDER BY asset COLLATE NOCASE LIMIT ?3",
        (as_like(pattern), after, count),
    )
    return [_asset(row) for row in rows]


@dataclass(frozen=True, slots=True)
class LastTest:
    """A test of a device, with the run that it was in."""

    run_id: str
    run_unit_id: str
    sequence_code: str
    past: PastTest
    ended_at: str
    certificate: str


def tests_of(conn: sqlite3.Connection, unit_id: str, until: str = "") -> list[LastTest]:
    """The tests of a device that ended, the newest first; not those that ended after a time."""
    rows = conn.execute(
        "SELECT run.id AS run_id, run_unit.id AS run_unit_id, sequence_code, occasion, ended_at,"
        " run_unit.verdict, document.number AS certificate FROM run_unit"
        " JOIN run ON run.id = run_id"
        " LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id"
        " WHERE unit_id = ?1 AND ended_at IS NOT NULL AND (?2 = '' OR ended_at <= ?2)"
        " ORDER BY ended_at DESC LIMIT ?3",
        (unit_id, until, MOST_TESTS),
    )
    return [
        LastTest(
            row["run_id"],
            row["run_unit_id"],
            row["sequence_code"],
            PastTest(
                dt.datetime.fromisoformat(row["ended_at"]).date(),
                row["occasion"],
                Verdict(row["verdict"]),
            ),
            row["ended_at"],
            row["certificate"] or "",
        )
        for row in rows
    ]


def failed_steps(conn: sqlite3.Connection, run_unit_id: str) -> list[str]:
    """The titles of the steps whose latest attempt failed, in their order."""
    rows = conn.execute(
        "SELECT title FROM attempt AS one WHERE run_unit_id = ?1 AND verdict = 'fail' AND number ="
        " (SELECT max(number) FROM attempt WHERE run_unit_id = ?1 AND step_id = one.step_id)"
        " ORDER BY step_index",
        (run_unit_id,),
    )
    return [str(row["title"]) for row in rows]
