"""Doubts about instruments: kept when they arise, answered by the next daily check that passes."""

import json
import sqlite3
from collections.abc import Iterable

from loricate.core.readings import Doubt
from loricate.records.store import now


def add_doubts(conn: sqlite3.Connection, doubts: Iterable[Doubt], place: str) -> None:
    """Keep doubts; ``place`` says in which run and nest, or which act, they arose."""
    conn.executemany(
        "INSERT INTO doubt (instrument, text, place, at) VALUES (?, ?, ?, ?)",
        [(each.instrument, each.text, place, now()) for each in doubts],
    )


def standing_doubts(
    conn: sqlite3.Connection, instruments: Iterable[str], before: str, until: str
) -> dict[str, str]:
    """The newest doubt of each instrument until a moment, if no daily check answered it.

    Only checks that were begun before ``before`` count: a run is not certified by a check after it.
    """
    found = {}
    for instrument in instruments:
        row = conn.execute(
            "SELECT text FROM doubt WHERE instrument = ? AND at <= ? AND at > ?"
            " ORDER BY id DESC LIMIT 1",
            (instrument, until, _answered_at(conn, instrument, before)),
        ).fetchone()
        if row is not None:
            found[instrument] = str(row["text"])
    return found


def _answered_at(conn: sqlite3.Connection, instrument: str, before: str) -> str:
    """When the newest passed daily check began that measured with an instrument; empty: never."""
    rows = conn.execute(
        "SELECT started_at, report FROM daily_check WHERE passed = 1 AND started_at <= ?"
        " ORDER BY started_at DESC",
        (before,),
    )
    for row in rows:
        used = json.loads(row["report"]).get("instruments")
        if used is None or instrument in used:
            return str(row["started_at"])
    return ""
