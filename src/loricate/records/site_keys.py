"""The public halves of the keys that the site has sealed with, in the order of their use."""

import json
import sqlite3
from collections.abc import Mapping
from typing import Any

from loricate.records.stamps import now


def add_key(conn: sqlite3.Connection, jwk: Mapping[str, Any]) -> None:
    """Seal with this key from now on."""
    conn.execute(
        "INSERT INTO site_key (kid, jwk, since) VALUES (?, ?, ?)",
        (jwk["kid"], json.dumps(dict(jwk)), now()),
    )


def key_set(conn: sqlite3.Connection) -> dict[str, Any]:
    """Every key as a JWK set (RFC 7517), the newest first."""
    rows = conn.execute("SELECT jwk FROM site_key ORDER BY position DESC")
    return {"keys": [json.loads(row["jwk"]) for row in rows]}


def newest_kid(conn: sqlite3.Connection) -> str:
    """The name of the key in use; empty while the records name none."""
    row = conn.execute("SELECT kid FROM site_key ORDER BY position DESC LIMIT 1").fetchone()
    return "" if row is None else str(row["kid"])
