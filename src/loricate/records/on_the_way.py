"""Readings kept while a long step goes on: what was read stays, whatever comes of the step."""

import math
import sqlite3
from dataclasses import dataclass

from loricate.core.attempts import Kept
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.quantities import DIMENSIONS
from loricate.records.stamps import new_id, now


@dataclass(frozen=True, slots=True)
class KeptReading:
    """A reading of an attempt that had not come to its end, and when it was read."""

    step_id: str
    attempt: int
    at_s: float
    reading: Reading
    kept_at: str


def add_kept(conn: sqlite3.Connection, run_unit_id: str, kept: Kept) -> None:
    """Keep readings of an attempt under way."""
    moment = now()
    conn.executemany(
        "INSERT INTO kept_reading (id, run_unit_id, step_id, number, point, at_s, quantity, value,"
        " dimension, bound, uncertainty, instrument, kept_at)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                new_id(),
                run_unit_id,
                kept.step_id,
                kept.attempt,
                each.point,
                kept.at_s,
                each.quantity,
                each.value if math.isfinite(each.value) else None,
                each.dimension.name,
                each.bound,
                each.uncertainty,
                each.instrument,
                moment,
            )
            for each in kept.readings
        ],
    )


def unfinished(conn: sqlite3.Connection, run_unit_id: str) -> list[KeptReading]:
    """What was kept of attempts that never came to their end, or have not yet, in order."""
    rows = conn.execute(
        "SELECT kept.* FROM kept_reading AS kept LEFT JOIN attempt USING (run_unit_id, step_id,"
        " number) WHERE run_unit_id = ? AND (attempt.verdict IS NULL OR attempt.verdict ="
        " 'not_run' OR kept.kept_at < attempt.started_at) ORDER BY kept.id",
        (run_unit_id,),
    )
    return [
        KeptReading(
            row["step_id"],
            row["number"],
            row["at_s"],
            Reading(
                row["quantity"],
                math.nan if row["value"] is None else row["value"],
                DIMENSIONS[row["dimension"]],
                row["point"],
                Bound(row["bound"]),
                row["uncertainty"],
                row["instrument"],
            ),
            row["kept_at"],
        )
        for row in rows
    ]
