"""The site that these records are of: its id is in each record that may be carried elsewhere."""

import sqlite3


def site_id(conn: sqlite3.Connection) -> str:
    """The id of this site, as it was made with its records."""
    return str(conn.execute("SELECT id FROM site").fetchone()[0])


def site_of(conn: sqlite3.Connection) -> tuple[str, str]:
    """The id of this site, and since when it has been."""
    row = conn.execute("SELECT id, since FROM site").fetchone()
    return str(row["id"]), str(row["since"])
