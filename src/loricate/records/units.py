"""Units: each serialised article, once, whatever runs it was in."""

import sqlite3

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
