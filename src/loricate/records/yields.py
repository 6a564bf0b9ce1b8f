"""Yields of the units in runs that a search finds: by day, week, month, product, lot and more."""

import datetime as dt
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from loricate.core.planning.lots import Tally
from loricate.core.searching import Span, UnitSearch
from loricate.records import searching

MOST_GROUPS, MOST_CAUSES = 400, 100


class By(StrEnum):
    """What yields are told by."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    PRODUCT = "product"
    LOT = "lot"
    SEQUENCE = "sequence"
    BENCH = "bench"
    FIXTURE = "fixture"
    NEST = "nest"
    OPERATOR = "operator"


TIMES = (By.DAY, By.WEEK, By.MONTH)


@dataclass(frozen=True, slots=True)
class CauseCount:
    """How many units in runs a step failed of, for one cause."""

    step: str
    title: str
    cause: str
    units: int


@dataclass(frozen=True, slots=True)
class Yields:
    """Tallies by group, and why units failed, the most frequent first.

    ``groups`` has the newest of times, and of names those with the most units; ``is_cut`` where
    there are more. ``total`` counts each unit once, over all.
    """

    total: Tally
    groups: dict[str, Tally]
    is_cut: bool
    causes: tuple[CauseCount, ...]


_COLUMNS = {By.NEST: "sought.fixture || '/' || sought.nest"}
# A unit counts once in a group, by its first and by its latest verdict in it; only pass and fail of
# runs that came to their end are verdicts. A fail that a repeated step made good was one at first.
_TALLIES = """
WITH found AS MATERIALIZED (
    SELECT {key} AS key, sought.id, sought.verdict, unit_id, failed FROM (
        SELECT * FROM {source}
    ) AS sought
    JOIN run_unit ON run_unit.id = sought.id
    JOIN run ON run.id = run_unit.run_id AND run.finished_at IS NOT NULL
    WHERE sought.verdict IN ('pass', 'fail')
),
ends AS MATERIALIZED (
    SELECT key, min(id) AS first, max(id) AS last FROM found GROUP BY key, unit_id
)
SELECT ends.key, count(*) AS tested, sum(one.verdict = 'pass' AND NOT (one.failed <> '' AND EXISTS (
        SELECT 1 FROM attempt WHERE run_unit_id = one.id AND number = 1 AND verdict = 'fail'
    ))) AS passed_first, sum(latest.verdict = 'pass') AS passed,
    sum(latest.verdict = 'fail') AS failed
FROM ends
JOIN run_unit AS latest ON latest.id = ends.last
JOIN sought AS one ON one.id = ends.first
GROUP BY ends.key ORDER BY {order} LIMIT ?
"""


def count_yields(
    conn: sqlite3.Connection, search: UnitSearch, span: Span, by: By, zone: dt.tzinfo
) -> Yields:
    """The yields of what a search finds; days, weeks and months are those of a zone."""
    conn.create_function("time_in_zone", 1, namer(by, zone), deterministic=True)
    source, values = searching.source_of(conn, search, span)

    def tallies(key: str, order: str, most: int) -> dict[str, Tally]:
        told = _TALLIES.format(key=key, source=source, order=order)
        return {
            str(row["key"]): Tally(row["tested"], row["passed_first"], row["passed"], row["failed"])
            for row in conn.execute(told, (*values, most))
        }

    is_time = by in TIMES
    key = "time_in_zone(sought.begun_at)" if is_time else _COLUMNS.get(by, f"sought.{by}")
    order = "ends.key DESC" if is_time else "count(*) DESC, ends.key"
    groups = tallies(key, order, MOST_GROUPS + 1)
    total = tallies("''", "1", 1).get("", Tally(0, 0, 0, 0))
    names = list(groups)[:MOST_GROUPS]
    causes = conn.execute(
        "SELECT attempt.step_id AS step, max(attempt.title) AS title, attempt.cause,"
        f" count(DISTINCT found.id) AS units FROM (SELECT id FROM {source}"
        f" {'AND' if ' WHERE ' in source else 'WHERE'} failed <> '') AS found"
        " JOIN attempt ON attempt.run_unit_id = found.id AND attempt.verdict = 'fail'"
        " GROUP BY 1, 3 ORDER BY 4 DESC, 1, 3 LIMIT ?",
        (*values, MOST_CAUSES),
    )
    return Yields(
        total,
        {name: groups[name] for name in (reversed(names) if is_time else names)},
        len(groups) > MOST_GROUPS,
        tuple(CauseCount(**row) for row in causes),
    )


def namer(by: By, zone: dt.tzinfo) -> Callable[[str], str]:
    """Gives the day, ISO week or month of a stamp in a zone: 2026-12-01, 2026-W49, 2026-12."""
    known: dict[str, str] = {}

    def name(stamp: str) -> str:
        minute = stamp[:16]  # no zone is off by less
        if minute not in known:
            day = dt.datetime.fromisoformat(stamp).astimezone(zone)
            if by is By.WEEK:
                year, week, _ = day.isocalendar()
                known[minute] = f"{year}-W{week:02}"
            else:
                known[minute] = day.strftime("%Y-%m" if by is By.MONTH else "%Y-%m-%d")
        return known[minute]

    return name
