"""Trends over twenty million readings, beside statements that were written for each by hand."""

import datetime as dt
import sqlite3
import statistics
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from figures.searches import PAIRS, filled
from loricate.core.searching import UnitSearch
from loricate.records import trends
from loricate.records.trends import Wanted

COUNT = 1000
OF = Wanted("step-3", "current", "N7")
# Joined by hand to the rows that are found, the newest first; what is read is the same.
_READ = """
 SELECT found.id, reading.value, reading.bound, reading.uncertainty, reading.minimum,
    reading.maximum, reading.verdict, reading.instrument, attempt.started_at, attempt.cause,
    attempt.title, attempt.number, reading.repetition, reading.dimension, found.serial,
    found.product, found.lot, found.sequence, found.bench, found.fixture, found.nest,
    found.operator, run_unit.run_id
 FROM ({source}) AS found
 CROSS JOIN run_unit ON run_unit.id = found.id
 CROSS JOIN attempt ON attempt.run_unit_id = found.id AND attempt.step_id = 'step-3'
 CROSS JOIN reading ON reading.run_unit_id = found.id AND reading.step_id = 'step-3'
    AND reading.number = attempt.number
 WHERE reading.quantity = 'current' AND reading.point = 'N7'
 ORDER BY found.begun_at DESC, found.id DESC LIMIT 1000"""
_BY = "SELECT * FROM sought"
_ORDER = "ORDER BY begun_at DESC, id DESC"
# What is asked, and what somebody who knows this file would write for just that.
TRENDS: list[tuple[dict[str, Any], str]] = [
    ({}, f"{_BY} {_ORDER}"),
    ({"product": "P-2"}, f"{_BY} WHERE +product = 'P-2' {_ORDER}"),
    ({"fixture": "FX-A", "nest": "2"}, f"{_BY} WHERE +fixture = 'FX-A' AND +nest = '2' {_ORDER}"),
    ({"lot": "L-500"}, f"{_BY} INDEXED BY sought_lot WHERE lot = 'L-500' AND lot <> '' {_ORDER}"),
    (
        {"since": "2021-03-01", "until": "2021-03-31"},
        f"{_BY} WHERE begun_at >= '2021-03-01' AND begun_at < '2021-04-01' {_ORDER}",
    ),
    (
        {"verdict": ["fail"]},
        f"{_BY} INDEXED BY sought_verdict WHERE verdict = 'fail' AND verdict <> 'pass' {_ORDER}",
    ),
    (
        {"serial": "DC40-20-00001*"},
        f"{_BY} INDEXED BY sought_id WHERE id IN (SELECT id FROM sought INDEXED BY sought_serial"
        " WHERE serial >= 'DC40-20-00001' AND serial < 'DC40-20-00002' UNION ALL SELECT id FROM"
        " sought INDEXED BY sought_asset WHERE asset >= 'DC40-20-00001' AND asset <> ''"
        f" AND asset < 'DC40-20-00002') {_ORDER}",
    ),
]


def trend_over_sql() -> float:
    """The readings of a trend over a statement written for it; the worst of them all."""
    with tempfile.TemporaryDirectory() as folder:
        conn = filled(Path(folder) / "r.sqlite")
        ratios = [_ratio(conn, asked, by_hand) for asked, by_hand in TRENDS]
        conn.close()
    return max(ratios)


def _ratio(conn: sqlite3.Connection, asked: dict[str, Any], by_hand: str) -> float:
    """Both read by a reader of their own and made into what a trend is reckoned from."""
    statement, search = _READ.format(source=by_hand), UnitSearch(**asked)

    def theirs() -> list[str]:
        rows = conn.execute(statement).fetchall()
        return [trends.observed_in(row).id for row in reversed(rows)]

    def ours() -> list[str]:
        span = search.span(dt.UTC, dt.datetime.now(dt.UTC))
        found = trends.find_readings(conn, search, span, OF, count=COUNT)
        return [each.id for each in found.observed]

    def took_s(read: Callable[[], list[str]]) -> tuple[float, list[str]]:
        begun = time.perf_counter()
        ids = reader.submit(read).result()
        return time.perf_counter() - begun, ids

    ratios = list[float]()
    with ThreadPoolExecutor(1) as reader:
        for _ in range(PAIRS):
            (their_s, wanted), (our_s, found) = took_s(theirs), took_s(ours)
            if found != wanted:
                raise RuntimeError(f"{asked} finds other readings than the statement.")
            ratios.append(our_s / their_s)
    return statistics.median(ratios)
