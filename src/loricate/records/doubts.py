"""Doubts about instruments: kept when they arise, answered by the next daily check that passes."""

import json
import sqlite3
from collections.abc import Iterable, Mapping

from loricate.core.measuring.readings import Doubt
from loricate.records.stamps import now


def add_doubts(conn: sqlite3.Connection, doubts: Iterable[Doubt], place: str) -> None:
    """Keep doubts; ``place`` says in which run and nest, or which act, they arose."""
    conn.executemany(
        "INSERT INTO doubt (instrument, text, place, at) VALUES (?, ?, ?, ?)",
        [(each.instrument, each.text, place, now()) for each in doubts],
    )


def newest_doubt(conn: sqlite3.Connection) -> int:
    """The number of the newest doubt; 0 when there is none."""
    return int(conn.execute("SELECT coalesce(max(id), 0) FROM doubt").fetchone()[0])


def answered_doubts(conn: sqlite3.Connection, instruments: Iterable[str]) -> dict[str, int]:
    """Up to which number the doubts of each instrument are answered now.

    The newest daily check that passed and measured with it answers those from before it began.
    """
    wanted = set(instruments)
    found: dict[str, int] = dict.fromkeys(wanted, 0)
    for row in conn.execute(
        "SELECT report, doubts_before FROM daily_check WHERE passed = 1 ORDER BY id DESC"
    ):
        used = json.loads(row["report"]).get("instruments")
        for instrument in list(wanted):
            if used is None or instrument in used:
                found[instrument] = int(row["doubts_before"])
                wanted.discard(instrument)
        if not wanted:
            break
    return found


def standing_doubts(
    conn: sqlite3.Connection, answered: Mapping[str, int], until: int | None = None
) -> dict[str, str]:
    """The newest doubt of each instrument that is not among the answered; none after ``until``.

    Order alone counts, not times: a clock that was set back hides no doubt.
    """
    found = {}
    for instrument, number in answered.items():
        row = conn.execute(
            "SELECT text FROM doubt WHERE instrument = ?1 AND id > ?2 AND (?3 IS NULL OR id <= ?3)"
            " ORDER BY id DESC LIMIT 1",
            (instrument, number, until),
        ).fetchone()
        if row is not None:
            found[instrument] = str(row["text"])
    return found
