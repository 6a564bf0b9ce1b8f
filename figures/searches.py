"""Searches over a million units in runs, beside statements that were written for each by hand."""

import datetime as dt
import sqlite3
import statistics
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from loricate.api.searching import UnitFound
from loricate.core.searching import UnitSearch
from loricate.records import searching
from loricate.records.store import migrate, open_connection

UNITS, READINGS, PAGE, PAIRS = 1_000_000, 20, 51, 9
BEGIN_S, RUN_S = 1_600_000_000, 600
NESTS = 4

# The ids are in the order of time, as those of records are.
_NUMBERS = "WITH RECURSIVE k (i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM k WHERE i < :last)"
_ID = "printf('01930000-%04x-7%03x-{letter}000-%012x', {i} / 4096, {i} % 4096, {i})"
_AT = f"strftime('%Y-%m-%dT%H:%M:%fZ', {BEGIN_S} + i * {RUN_S} + {{more}}, 'unixepoch')"
_ROWS = {
    "unit": (
        UNITS,
        f"""INSERT INTO unit (id, product, serial, asset, place, added_at) {_NUMBERS}
        SELECT {_ID.format(letter=8, i="i")}, 'P-' || (i / 4 % 4),
            printf('DC40-%02d-%07d', 20 + i * 7 / :count, i),
            CASE WHEN i % 10 = 0 THEN printf('RB-%06d', i) ELSE '' END,
            CASE WHEN i % 10 = 0 THEN 'Base ' || (i % 100) ELSE '' END, 'then' FROM k""",
    ),
    "run": (
        UNITS // NESTS,
        f"""INSERT INTO run (id, sequence_code, sequence_revision, fixture, lot, state, verdict,
            bench, software, created_at, created_by, started_at, started_by, ended_at, finished_at)
        {_NUMBERS} SELECT {_ID.format(letter=7, i="i")}, 'S-' || (i % 4), 1 + i / 1000 % 5,
            'FX-' || char(65 + i % 3), 'L-' || (i / 25), 'finished', 'pass',
            json_object('code', 'BENCH-' || (i % 3)), '1', {_AT.format(more=0)}, 'mara',
            {_AT.format(more=0)}, 'op' || (i % 9), {_AT.format(more=300)}, {_AT.format(more=300)}
        FROM k""",
    ),
    "run_instrument": (
        UNITS // NESTS,
        f"""INSERT INTO run_instrument {_NUMBERS} SELECT {_ID.format(letter=7, i="i")}, each.value,
            'I' || each.value, '', '', iif(i < 20000, 'old-', 'new-') || each.value, '', '', ''
        FROM k, json_each('[0, 1, 2, 3]') AS each""",
    ),
    "attempt": (
        UNITS,
        f"""INSERT INTO attempt (run_unit_id, step_id, number, step_index, kind, title, verdict,
            cause, note, started_at, ended_at)
        {_NUMBERS} SELECT {_ID.format(letter=9, i="i")}, 'step-' || (i % 5), 1, 0, 'withstand', '',
            iif(i * 7919 % 100 < 3, 'fail', 'pass'), '', '', 'then', 'then' FROM k""",
    ),
    "reading": (
        UNITS,
        f"""INSERT INTO reading (run_unit_id, step_id, number, position, repetition, product,
            quantity, point, value, dimension, bound, uncertainty, instrument, corrections, maximum,
            source, verdict, cause, guarded, band, margin, ungraded)
        {_NUMBERS} SELECT {_ID.format(letter=9, i="i")}, 'step-' || (i % 5), 1, each.value, 1,
            'P-' || (i / 4 % 4), 'current', 'N' || each.value, 1e-3 + i % 97 * 1e-6, 'current',
            'exact', 1e-6, 'I' || (i % 4), '', 2e-3, '{{}}', 'pass', '', '', 'good', 0.5, ''
        FROM k, json_each(:positions) AS each""",
    ),
    "run_unit": (
        UNITS,
        f"""INSERT INTO run_unit (id, run_id, unit_id, nest, verdict, cause) {_NUMBERS}
        SELECT {_ID.format(letter=9, i="i")}, {_ID.format(letter=7, i=f"(i / {NESTS})")},
            {_ID.format(letter=8, i="i")}, '' || (1 + i % {NESTS}),
            CASE WHEN i * 7919 % 100 < 3 THEN 'fail'
                WHEN i * 7919 % 1000 = 999 THEN 'inconclusive' ELSE 'pass' END,
            CASE WHEN i * 7919 % 100 < 1 THEN 'breakdown'
                WHEN i * 7919 % 100 < 3 THEN 'over_limit' ELSE '' END FROM k""",
    ),
}
_JOINED = """
 SELECT run_unit.id, run_unit.run_id, run_unit.nest, unit.serial, unit.asset, unit.place,
    unit.product, run_unit.verdict, run_unit.cause, run.lot, run.fixture, run.occasion,
    run.started_at, run.ended_at, run.state, run.sequence_code, run.sequence_revision,
    found.begun_at, found.operator, found.bench, found.failed, document.number AS certificate,
    document.kind AS certificate_kind, document.revoked
 FROM found JOIN run_unit ON run_unit.id = found.id JOIN run ON run.id = run_unit.run_id
 JOIN unit ON unit.id = run_unit.unit_id
 LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id
 ORDER BY found.begun_at DESC, found.id DESC"""
_NEWEST = f"ORDER BY begun_at DESC, id DESC LIMIT {PAGE}"
_BY = "SELECT begun_at, id, operator, bench, failed FROM sought"
# What is asked, and what somebody who knows this file would write for just that.
SEARCHES: list[tuple[dict[str, Any], str]] = [
    ({}, _BY),
    ({"lot": "L-500"}, f"{_BY} INDEXED BY sought_lot WHERE lot = 'L-500' AND lot <> ''"),
    (
        {"lot": "L-500", "verdict": ["fail"]},
        f"{_BY} INDEXED BY sought_lot WHERE lot = 'L-500' AND lot <> '' AND +verdict = 'fail'",
    ),
    (
        {"verdict": ["fail"]},
        f"{_BY} INDEXED BY sought_verdict WHERE verdict = 'fail' AND verdict <> 'pass'",
    ),
    (
        {"verdict": ["fail"], "product": "P-2", "operator": "op3"},
        f"{_BY} WHERE +verdict = 'fail' AND +product = 'P-2' AND +operator = 'op3'",
    ),
    ({"fixture": "FX-A", "nest": "2"}, f"{_BY} WHERE +fixture = 'FX-A' AND +nest = '2'"),
    (
        {"fixture": "FX-A", "nest": "9"},
        f"{_BY} INDEXED BY sought_nest WHERE fixture = 'FX-A' AND nest = '9'",
    ),
    (
        {"serial": "DC40-20-00001*"},
        f"{_BY} INDEXED BY sought_serial WHERE serial >= 'DC40-20-00001'"
        " AND serial < 'DC40-20-00002'",
    ),
    (
        {"serial": "*0119"},
        f"{_BY} INDEXED BY sought_id WHERE id IN (SELECT run_unit.id FROM unit_name JOIN run_unit"
        " ON run_unit.unit_id = unit_name.unit_id WHERE unit_name MATCH '\"0119\"')"
        " AND serial LIKE '%0119'",
    ),
    (
        {"since": "2021-03-01", "until": "2021-03-31", "verdict": ["fail"]},
        f"{_BY} WHERE begun_at >= '2021-03-01' AND begun_at < '2021-04-01' AND +verdict = 'fail'",
    ),
    (
        {"instrument": "old-2", "until": "2021-02-14"},
        f"{_BY} WHERE begun_at < '2021-02-15' AND instr(instruments, '|old-2|')",
    ),
    (
        {"failed": "step-3", "product": "P-1"},
        f"{_BY} WHERE instr(failed, '|step-3|') AND +product = 'P-1'",
    ),
    (
        {"cause": ["breakdown"], "place": "Base 20"},
        f"{_BY} INDEXED BY sought_place WHERE place = 'Base 20' AND place <> ''"
        " AND +cause = 'breakdown'",
    ),
]


def filled(path: Path, units: int = UNITS, readings: int = READINGS) -> sqlite3.Connection:
    """Records of so many units in runs, as they lie in a file of years."""
    migrate(path)
    conn = open_connection(path)
    conn.execute("PRAGMA foreign_keys = OFF")
    conn.execute("PRAGMA synchronous = OFF")
    conn.execute("PRAGMA cache_size = -400000")
    late = ["sought_unit_in_run", "reading_of"]
    found = conn.execute(f"SELECT sql FROM sqlite_master WHERE name IN {tuple(late)}")
    again = [str(sql) for (sql,) in found]
    conn.execute("DROP TRIGGER sought_unit_in_run")
    conn.execute("DROP INDEX reading_of")
    conn.execute("BEGIN")
    for table, (rows, sql) in _ROWS.items():
        count = rows * units // UNITS
        values = {"count": count, "last": count - 1}
        if table == "reading":
            values |= {"positions": str(list(range(readings)))}  # type: ignore[dict-item]
        conn.execute(sql, {k: v for k, v in values.items() if f":{k}" in sql})
    conn.execute("INSERT INTO sought SELECT * FROM to_be_sought ORDER BY begun_at, id")
    for sql in again:
        conn.execute(sql)
    conn.execute("COMMIT")
    conn.close()
    return open_connection(path, read_only=True)


def search_over_sql() -> float:
    """The first page of a search over a statement written for it; the worst of them all."""
    with tempfile.TemporaryDirectory() as folder:
        conn = filled(Path(folder) / "r.sqlite")
        ratios = [_ratio(conn, asked, by_hand) for asked, by_hand in SEARCHES]
        conn.close()
    return max(ratios)


def _ratio(conn: sqlite3.Connection, asked: dict[str, Any], by_hand: str) -> float:
    """Both read by a reader of their own and made into what a route answers with."""
    statement = f"WITH found AS MATERIALIZED ({by_hand} {_NEWEST}) {_JOINED}"
    search = UnitSearch(**asked)

    def theirs() -> list[dict[str, Any]]:
        return [
            {**dict(row), "failed": row["failed"].split("|")[1:-1], "cursor": row["id"]}
            for row in conn.execute(statement)
        ]

    def ours() -> list[dict[str, Any]]:
        span = search.span(dt.UTC, dt.datetime.now(dt.UTC))
        return searching.find_units(conn, search, span, PAGE)

    def took_s(read: Callable[[], list[dict[str, Any]]]) -> tuple[float, list[str]]:
        begun = time.perf_counter()
        rows = reader.submit(read).result()
        page = [UnitFound(**{key: row[key] for key in UnitFound.model_fields}) for row in rows]
        return time.perf_counter() - begun, [each.id for each in page]

    ratios = list[float]()
    with ThreadPoolExecutor(1) as reader:
        for _ in range(PAIRS):
            (their_s, wanted), (our_s, found) = took_s(theirs), took_s(ours)
            if found != wanted:
                raise RuntimeError(f"{asked} finds other units than the statement.")
            ratios.append(our_s / their_s)
    return statistics.median(ratios)
