"""Units: each serialised article, once, whatever runs it was in."""

import sqlite3

from loricate.records.patterns import as_like
from loricate.records.stamps import new_id, now


def known_unit(conn: sqlite3.Connection, product: str, serial: str) -> str:
    """The id of the unit of a product with a serial; it is added when it was never seen."""
    conn.execute(
        "INSERT INTO unit (id, product, serial, added_at) VALUES (?, ?, ?, ?)"
        " ON CONFLICT (product, serial) DO NOTHING",
        (new_id(), product, serial, now()),
    )
    (found,) = conn.execute(
        "SELECT id FROM unit WHERE product = ? AND serial = ?", (product, serial)
    ).fetchone()
    return str(found)


def known_serials(conn: sqlite3.Connection, product: str, pattern: str) -> list[str]:
    """The serials of a product that match (``*`` and ``?`` are wildcards)."""
    rows = conn.execute(
        "SELECT serial FROM unit WHERE product = ? AND serial LIKE ? ESCAPE '\\'",
        (product, as_like(pattern)),
    )
    return [str(row["serial"]) for row in rows]


_LOADED = "EXISTS (SELECT 1 FROM run_unit WHERE unit_id = unit.id)"


def all_serials(conn: sqlite3.Connection) -> str:
    """The product and serial of every unit that was ever loaded, as JSON."""
    rows = conn.execute(
        f"SELECT json_group_array(json_array(product, serial)) FROM unit WHERE {_LOADED}"
    )
    return str(rows.fetchone()[0])


def serials_among(conn: sqlite3.Connection, pairs: str) -> set[str]:
    """Of units that ``all_serials`` gave elsewhere the serials of those that were loaded here."""
    rows = conn.execute(
        "SELECT unit.serial FROM json_each(?) AS other CROSS JOIN unit"
        " ON unit.product = other.value ->> 0 AND unit.serial = other.value ->> 1"
        f" WHERE {_LOADED}",
        (pairs,),
    )
    return {str(row["serial"]) for row in rows}
