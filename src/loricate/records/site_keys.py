"""The public halves of the site's keys, in the order in which they were made known.

A key may be known before it is begun, so that whoever verifies has it by then. One of each purpose
is in use: the one that was begun last.
"""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from loricate.records.errors import NotFound
from loricate.records.stamps import now

DOCUMENTS, PAPERS = "documents", "papers"


@dataclass(frozen=True, slots=True)
class KnownKey:
    """A key: what for, since when it is known, when it was begun, and whether it is in use."""

    kid: str
    purpose: str
    jwk: Mapping[str, Any]
    since: str
    begun_at: str
    in_use: bool


def add_key(conn: sqlite3.Connection, jwk: Mapping[str, Any], purpose: str = DOCUMENTS) -> None:
    """Make a key known; one that is known already stays as it is."""
    conn.execute(
        "INSERT INTO site_key (kid, purpose, jwk, since) VALUES (?, ?, ?, ?)"
        " ON CONFLICT (kid) DO NOTHING",
        (jwk["kid"], purpose, json.dumps(dict(jwk)), now()),
    )


def begin_key(conn: sqlite3.Connection, kid: str) -> None:
    """Use a known key from now on."""
    conn.execute("INSERT INTO key_begun (kid, at) VALUES (?, ?)", (kid, now()))


def known_keys(conn: sqlite3.Connection) -> list[KnownKey]:
    """Every key, the newest first."""
    in_use = {newest_kid(conn, purpose) for purpose in (DOCUMENTS, PAPERS)}
    rows = conn.execute(
        "SELECT kid, purpose, jwk, since, coalesce((SELECT max(at) FROM key_begun WHERE"
        " key_begun.kid = site_key.kid), '') AS begun_at FROM site_key ORDER BY position DESC"
    )
    return [
        KnownKey(
            row["kid"],
            row["purpose"],
            json.loads(row["jwk"]),
            row["since"],
            row["begun_at"],
            row["kid"] in in_use,
        )
        for row in rows
    ]


def find_key(conn: sqlite3.Connection, kid: str) -> KnownKey:
    """The key of this name; raises NotFound."""
    for key in known_keys(conn):
        if key.kid == kid:
            return key
    raise NotFound("key", kid)


def key_set(conn: sqlite3.Connection) -> dict[str, Any]:
    """Every key as a JWK set (RFC 7517), the newest first."""
    return {"keys": [dict(key.jwk) for key in known_keys(conn)]}


def newest_kid(conn: sqlite3.Connection, purpose: str = DOCUMENTS) -> str:
    """The name of the key in use for a purpose; empty while the records name none."""
    row = conn.execute(
        "SELECT key_begun.kid FROM key_begun JOIN site_key USING (kid) WHERE purpose = ?"
        " ORDER BY key_begun.id DESC LIMIT 1",
        (purpose,),
    ).fetchone()
    return "" if row is None else str(row["kid"])
