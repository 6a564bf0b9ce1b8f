"""Readings of one measurand from the units in runs that a search finds, and what measurands are."""

import math
import sqlite3
from dataclasses import dataclass
from enum import StrEnum

from loricate.core.measuring.grading import Cause
from loricate.core.measuring.readings import Bound
from loricate.core.searching import Span, UnitSearch
from loricate.core.trends.observations import Observation
from loricate.core.trends.terms import MOST_READINGS
from loricate.records import searching
from loricate.records.searching import Condition, Select

NEWEST_UNITS = 40  # whose readings tell what measurands there are
MOST_MEASURANDS = 3_000
GROUPS = ("product", "lot", "sequence", "bench", "fixture", "nest", "instrument", "operator")


class Which(StrEnum):
    """Which attempts of a unit in a run at the step are looked at."""

    LAST = "last"  # on which its verdict rests
    FIRST = "first"  # before anything was done about it
    ALL = "all"


@dataclass(frozen=True, slots=True)
class Wanted:
    """A measurand of a step, by the names that records give them."""

    step: str
    quantity: str
    point: str = ""


@dataclass(frozen=True, slots=True)
class MeasurandFound:
    """A measurand that units have readings of."""

    step: str
    title: str
    kind: str
    quantity: str
    point: str
    dimension: str
    units: int
    least_margin: float | None  # as a fraction of the limit


@dataclass(frozen=True, slots=True)
class Found:
    """Readings of a measurand, the oldest first; the run of each by its unit's id there.

    ``is_cut`` where there are older ones, beyond as many as were asked for. ``others`` is how many
    were left out because they are of another dimension than the newest: of another product's step
    of the same name.
    """

    dimension: str
    title: str
    observed: tuple[Observation, ...]
    runs: dict[str, str]
    is_cut: bool
    others: int = 0


_ATTEMPTS = {
    Which.LAST: " AND attempt.number = (SELECT max(number) FROM attempt AS other"
    " WHERE other.run_unit_id = found.id AND other.step_id = attempt.step_id)",
    Which.FIRST: " AND attempt.number = (SELECT min(number) FROM attempt AS other"
    " WHERE other.run_unit_id = found.id AND other.step_id = attempt.step_id)",
    Which.ALL: "",
}
_READINGS = (
    "SELECT found.id, found.serial, found.product, found.lot, found.sequence, found.bench,"
    " found.fixture, found.nest, found.operator, run_unit.run_id, attempt.started_at,"
    " attempt.title, attempt.cause, attempt.number, reading.repetition, reading.value,"
    " reading.bound, reading.uncertainty, reading.dimension, reading.minimum, reading.maximum,"
    " reading.verdict, reading.instrument"
    " FROM (SELECT begun_at, id, serial, product, lot, sequence, bench, fixture, nest, operator"
    " FROM {source} ORDER BY begun_at DESC, id DESC) AS found"
    " CROSS JOIN run_unit ON run_unit.id = found.id"
    " CROSS JOIN attempt ON attempt.run_unit_id = found.id AND attempt.step_id = ?{attempts}"
    " CROSS JOIN reading INDEXED BY reading_of ON reading.product = found.product"
    " AND reading.step_id = attempt.step_id AND reading.quantity = ? AND reading.point = ?"
    " AND reading.run_unit_id = found.id AND reading.number = attempt.number"
    " ORDER BY found.begun_at DESC, found.id DESC, attempt.number DESC, reading.repetition DESC,"
    " reading.position DESC LIMIT ?"
)


def find_readings(
    conn: sqlite3.Connection,
    search: UnitSearch,
    span: Span,
    wanted: Wanted,
    which: Which = Which.LAST,
    count: int = MOST_READINGS,
) -> Found:
    """The newest ``count`` readings of a measurand, of the units in runs that a search finds."""
    select = Select(
        _READINGS.replace("{attempts}", _ATTEMPTS[which]),
        (wanted.step, wanted.quantity, wanted.point),
    )
    is_narrow = search.product or search.lot or search.serial or search.sequence
    also = [] if is_narrow else _having(conn, wanted)
    rows = searching.newest(conn, search, span, count + 1, select, also)
    newest = rows[count - 1 :: -1] if len(rows) > count else rows[::-1]
    dimension = rows[0]["dimension"] if rows else ""
    own = [row for row in newest if row["dimension"] == dimension]
    return Found(
        dimension,
        rows[0]["title"] if rows else "",
        tuple(observed_in(row) for row in own),
        {row["id"]: row["run_id"] for row in own},
        len(rows) > count,
        len(newest) - len(own),
    )


def observed_in(row: sqlite3.Row) -> Observation:
    """A reading as it was kept, with the names that it can be sorted by."""
    return Observation(
        row["id"],
        row["started_at"],
        math.nan if row["value"] is None else row["value"],
        Bound(row["bound"]),
        row["uncertainty"],
        row["minimum"],
        row["maximum"],
        row["verdict"],
        Cause(row["cause"]),
        row["serial"],
        row["number"],
        row["repetition"],
        tuple(
            # The same number is another nest in another fixture.
            (name, f"{row['fixture']}/{row['nest']}" if name == "nest" else row[name])
            for name in GROUPS
        ),
    )


def _having(conn: sqlite3.Connection, wanted: Wanted) -> list[Condition]:
    """Of the products that have a reading of a measurand, where not all have one."""
    known = searching.names_in(conn, "reading", "product")
    having = [
        product
        for product in known
        if conn.execute(
            "SELECT 1 FROM reading INDEXED BY reading_of"
            " WHERE product = ? AND step_id = ? AND quantity = ? AND point = ? LIMIT 1",
            (product, wanted.step, wanted.quantity, wanted.point),
        ).fetchone()
    ]
    return [] if having == known and known else [searching.one_of("product", having)]


def list_measurands(
    conn: sqlite3.Connection, search: UnitSearch, span: Span
) -> list[MeasurandFound]:
    """What the newest units in runs that a search finds have readings of, in the steps' order."""
    source, values = searching.source_of(conn, search, span)
    rows = conn.execute(
        "WITH found AS MATERIALIZED"
        f" (SELECT id FROM {source} ORDER BY begun_at DESC, id DESC LIMIT ?)"
        " SELECT attempt.step_id AS step, max(title) AS title, max(kind) AS kind, quantity, point,"
        " max(dimension) AS dimension, count(DISTINCT found.id) AS units,"
        " min(margin) AS least_margin"
        " FROM found CROSS JOIN attempt ON attempt.run_unit_id = found.id"
        " CROSS JOIN reading ON reading.run_unit_id = found.id"
        " AND reading.step_id = attempt.step_id AND reading.number = attempt.number"
        " GROUP BY attempt.step_id, quantity, point"
        " ORDER BY min(step_index), attempt.step_id, min(position) LIMIT ?",
        (*values, NEWEST_UNITS, MOST_MEASURANDS),
    )
    return [MeasurandFound(**row) for row in rows]
