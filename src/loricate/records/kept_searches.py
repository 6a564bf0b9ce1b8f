"""Searches that the whole site has by name."""

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now


@dataclass(frozen=True, slots=True)
class KeptSearch:
    """A search by its name; ``search`` as it was asked."""

    name: str
    search: dict[str, Any]
    account: str
    kept_at: str


def keep_search(conn: sqlite3.Connection, name: str, search: dict[str, Any], account: str) -> None:
    """Keep a search under a name, in the place of one that had it."""
    conn.execute(
        "INSERT OR REPLACE INTO kept_search (name, search, account, kept_at) VALUES (?, ?, ?, ?)",
        (name, json.dumps(search), account, now()),
    )
    audit.note(conn, account, "keep search", name, json.dumps(search, ensure_ascii=False))


def drop_search(conn: sqlite3.Connection, name: str, account: str) -> None:
    """Keep a search no longer; raises NotFound."""
    if conn.execute("DELETE FROM kept_search WHERE name = ?", (name,)).rowcount == 0:
        raise NotFound("kept search", name)
    audit.note(conn, account, "drop search", name)


def list_searches(conn: sqlite3.Connection) -> list[KeptSearch]:
    """All of them, by name."""
    rows = conn.execute("SELECT name, search, account, kept_at FROM kept_search ORDER BY name")
    return [_kept(row) for row in rows]


def get_search(conn: sqlite3.Connection, name: str) -> KeptSearch:
    """The search that has a name; raises NotFound."""
    row = conn.execute(
        "SELECT name, search, account, kept_at FROM kept_search WHERE name = ?", (name,)
    ).fetchone()
    if row is None:
        raise NotFound("kept search", name)
    return _kept(row)


def _kept(row: sqlite3.Row) -> KeptSearch:
    return KeptSearch(row["name"], json.loads(row["search"]), row["account"], row["kept_at"])
