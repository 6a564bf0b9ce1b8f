"""Finding units in runs, by all that is known of them.

One table, ``sought``, has a row for each unit in a run, in the order of time; triggers keep it as
the view ``to_be_sought`` says. What few rows answer to is read through its index; what many answer
to is read as it lies, the newest first, until a page is full.
"""

import json
import re
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from loricate.core.measuring.grading import Verdict
from loricate.core.searching import Span, UnitSearch, has_wildcard, words_of
from loricate.records import upkeep
from loricate.records.patterns import as_like
from loricate.records.stamps import day_before, earlier

Row = dict[str, Any]
Value = str | int

A_HANDFUL = 500  # rows that are gone through at once, whatever else is asked
PAGE = 100  # rows so few that no other condition is looked at
FEW = 20_000  # rows up to which an index is quicker than all that lies before the last of a page
LOOKUP = 20  # rows that are read as they lie in the time that one is looked up in
NEWEST_FIRST, MORE = 5_000, 10  # rows that are read as they lie, then so many times as many
MOST_NAMES = 400  # of one sort that are offered to pick from
MOST_TERMS = 100  # of a condition; beyond, they are given as a list
_ORDER = "ORDER BY begun_at DESC, id DESC"
_FOUND = (
    "run_unit.id, run_unit.run_id, run_unit.nest, unit.serial, unit.asset, unit.place,"
    " unit.product, run_unit.verdict, run_unit.cause, run.lot, run.fixture, run.occasion,"
    " run.started_at, run.ended_at, run.state, run.sequence_code, run.sequence_revision,"
    " found.begun_at, found.operator, found.bench, found.failed,"
    " document.number AS certificate, document.kind AS certificate_kind, document.revoked"
)


@dataclass(frozen=True, slots=True)
class Condition:
    """One thing that a row must be; ``{}`` stands before each column, for what keeps indexes off.

    Where an index finds the rows, ``few`` is what it is asked: a SELECT of their ids. One that is
    ``ordered`` gives them the newest first by itself.
    """

    sql: str
    values: tuple[Value, ...]
    few: str = ""
    few_values: tuple[Value, ...] = ()
    ordered: str = ""  # the index, which the condition is put to as it stands


@dataclass(frozen=True, slots=True)
class Select:
    """A statement that reads from a ``{source}`` of units in runs, the newest first.

    Its values follow those of the source; the last one is how many rows it gives at most.
    """

    sql: str
    values: tuple[Value, ...] = ()


_UNITS = Select(
    "WITH found AS MATERIALIZED"
    f" (SELECT begun_at, id, operator, bench, failed FROM {{source}} {_ORDER} LIMIT ?)"
    f" SELECT {_FOUND} FROM found JOIN run_unit ON run_unit.id = found.id"
    " JOIN run ON run.id = run_unit.run_id JOIN unit ON unit.id = run_unit.unit_id"
    " LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id"
    " ORDER BY found.begun_at DESC, found.id DESC"
)
NOT_PASSED = Condition("{}verdict <> 'pass'", (), ordered="sought_verdict")
NOTHING = Condition("{}id = ''", (), "SELECT id FROM sought WHERE 0")

# By field of a search: the index of its column, and what that index leaves out.
_INDEXES = {
    "product": ("sought_product", ""),
    "lot": ("sought_lot", " AND lot <> ''"),
    "sequence": ("sought_sequence", ""),
    "operator": ("sought_operator", ""),
    "fixture": ("sought_nest", ""),
    "place": ("sought_place", " AND place <> ''"),
    "serial": ("sought_serial", ""),
    "asset": ("sought_asset", " AND asset <> ''"),
    "verdict": ("sought_verdict", " AND verdict <> 'pass'"),
    "cause": ("sought_cause", " AND cause <> ''"),
}
_IN_ORDER = {"product", "lot", "operator", "place", "verdict", "cause"}  # the index's first column
_TO_PICK = {
    "product": "1",
    "sequence": "1",
    "operator": "1",
    "fixture": "1",
    "place": "place <> ''",
    "cause": "cause <> ''",
}
_TO_BE_SAID = (
    "SELECT run_unit_id, text FROM (SELECT run_unit_id, text FROM remark UNION ALL"
    " SELECT run_unit_id, note FROM answer WHERE note <> '')"
)
_PAIRS = (("fixture", "nest"),)  # whose columns have an index together
_TEXTS = ("product", "lot", "sequence", "operator", "bench", "fixture", "nest", "place", "occasion")


def find_units(
    conn: sqlite3.Connection, search: UnitSearch, span: Span, count: int, before: str = ""
) -> list[Row]:
    """The units in runs that a search finds, the newest first; those after a cursor.

    ``span`` is the search's time in UTC.
    """
    rows = newest(conn, search, span, count, _UNITS, before=before)
    return [
        {
            **dict(row),
            "failed": [each for each in row["failed"].split("|") if each],
            "cursor": f"{row['begun_at']}~{row['id']}",
        }
        for row in rows
    ]


def newest(
    conn: sqlite3.Connection,
    search: UnitSearch,
    span: Span,
    count: int,
    select: Select,
    also: Sequence[Condition] = (),
    before: str = "",
) -> list[sqlite3.Row]:
    """The newest rows that something gives of the units in runs which a search finds.

    ``also`` are conditions besides the search's; ``before`` is the cursor that they follow.
    """
    conditions = [*_conditions(conn, search), *also]
    ranges = list(_ranges(conn, search, span))
    if before:
        begun_at, _, last = before.partition("~")
        ranges.append(Condition("(begun_at, id) < (?, ?)", (begun_at, last)))
    rows = list[sqlite3.Row]()
    if len(conditions) == 1 and conditions[0].ordered:
        driving: Condition | None = conditions[0]
    else:
        driving = _a_handful(conn, conditions)
        edges = _edges(conn, ranges) if driving is None and conditions else ()
        for edge in edges:
            recent = [*ranges, Condition("begun_at >= ?", (edge,))]
            rows += _read(conn, select, _source(None, conditions, recent), count - len(rows))
            ranges.append(Condition("begun_at < ?", (edge,)))
            if len(rows) == count:
                break
        if edges and len(rows) < count:
            # Where a page is full soon at this rate, the others are read as they lie as well.
            to_read = NEWEST_FIRST * MORE * count // len(rows) if rows else FEW * LOOKUP
            driving = _few(conn, conditions, min(FEW, to_read // LOOKUP))
    if len(rows) < count:
        rows += _read(conn, select, _source(driving, conditions, ranges), count - len(rows))
    return rows


def source_of(conn: sqlite3.Connection, search: UnitSearch, span: Span) -> tuple[str, list[Value]]:
    """All that a search finds, as what follows FROM with its values; columns of ``sought``."""
    conditions, ranges = list(_conditions(conn, search)), list(_ranges(conn, search, span))
    return _source(_few(conn, conditions, FEW), conditions, ranges)


def one_of(column: str, names: Sequence[str]) -> Condition:
    """A column that is one of some names; of none, nothing."""
    return _list_condition(column, tuple(names)) if names else NOTHING


def count_units(conn: sqlite3.Connection, search: UnitSearch, span: Span) -> dict[Verdict, int]:
    """How many units in runs a search finds, by verdict."""
    conditions, ranges = list(_conditions(conn, search)), list(_ranges(conn, search, span))
    driving = _few(conn, conditions, FEW)
    source, values = _source(driving, conditions, ranges)
    if driving is not None or ranges:
        return _by_verdict(conn, f"SELECT +verdict, count(*) FROM {source} GROUP BY 1", values)
    # Most pass: the others are counted each, and what is left did.
    (count,) = conn.execute(f"SELECT count(*) FROM {source}", values).fetchone()
    source, values = _source(NOT_PASSED, [*conditions, NOT_PASSED], ranges)
    found = _by_verdict(conn, f"SELECT verdict, count(*) FROM {source} GROUP BY 1", values)
    return {**found, Verdict.PASS: count - sum(found.values())}


def _by_verdict(
    conn: sqlite3.Connection, statement: str, values: Sequence[Value]
) -> dict[Verdict, int]:
    found = {Verdict(verdict): int(number) for verdict, number in conn.execute(statement, values)}
    return {each: found.get(each, 0) for each in Verdict}


def known_names(conn: sqlite3.Connection) -> dict[str, list[str]]:
    """What there is to pick from, by field of a search: so many names of each at most."""
    pick = partial(names_in, conn, most=MOST_NAMES)
    found = {field: pick("sought", field, but) for field, but in _TO_PICK.items()}
    found["nest"] = list(
        dict.fromkeys(
            name
            for fixture in found["fixture"]
            for name in pick("sought", "nest", "fixture = ?", (fixture,))
        )
    )
    found["failed"] = pick("attempt", "step_id", "verdict = 'fail'")
    found["instrument"] = [
        *pick("run_instrument", "instrument"),
        *pick("run_instrument", "serial", "serial <> ''"),
    ]
    pinned = "SELECT DISTINCT pinned.key FROM sequence, json_each(limit_revisions) AS pinned"
    found["limit_set"] = [str(code) for (code,) in conn.execute(f"{pinned} ORDER BY 1")]
    return found


def names_in(
    conn: sqlite3.Connection,
    table: str,
    column: str,
    where: str = "1",
    values: Sequence[str] = (),
    most: int | None = None,
) -> list[str]:
    """The names in an indexed column, from one to the next: no row between is looked at."""
    names, last = list[str](), ""
    while most is None or len(names) < most:
        (found,) = conn.execute(
            f"SELECT min({column}) FROM {table} WHERE {where} AND {column} > ?", (*values, last)
        ).fetchone()
        if found is None:
            break
        last = str(found)
        names.append(last)
    return names


def note_attempt(
    conn: sqlite3.Connection, run_unit_id: str, failed: str, instruments: Iterable[str]
) -> None:
    """Have what is searched of a unit in a run tell of an attempt as well, if it does not yet.

    ``failed`` is the step that failed, if it did; ``instruments`` took readings of it.
    """
    row = conn.execute(
        "SELECT failed, instruments FROM sought WHERE id = ?", (run_unit_id,)
    ).fetchone()
    names = {name for name in instruments if name}
    is_told = (not failed or f"|{failed}|" in row["failed"]) and all(
        f"|{name}|" in row["instruments"] for name in names
    )
    if not is_told:
        conn.execute(
            "INSERT OR REPLACE INTO sought SELECT * FROM to_be_sought WHERE id = ?", (run_unit_id,)
        )


def strays(conn: sqlite3.Connection) -> Iterator[str]:
    """Where what is searched says other than the records; none, unless somebody changed it."""
    for mine, theirs in (
        ("SELECT id, * FROM sought", "SELECT id, * FROM to_be_sought"),
        ("SELECT run_unit_id, text FROM said", _TO_BE_SAID),
        ("SELECT unit_id, serial, asset FROM unit_name", "SELECT id, serial, asset FROM unit"),
    ):
        for one, other in ((mine, theirs), (theirs, mine)):
            for row in conn.execute(f"{one} EXCEPT {other}"):
                yield f"What is searched of {row[0]} is not what its record says."


def _read(
    conn: sqlite3.Connection, select: Select, source: tuple[str, list[Value]], count: int
) -> list[sqlite3.Row]:
    table, values = source
    told = select.sql.replace("{source}", table)
    return conn.execute(told, (*values, *select.values, count)).fetchall()


def _source(
    driving: Condition | None,
    conditions: Sequence[Condition],
    ranges: Sequence[Condition],
) -> tuple[str, list[Value]]:
    """What follows FROM, and its values."""
    values = [value for each in (*ranges, *conditions) for value in each.values]
    table, told = "sought", [each.sql.replace("{}", "+") for each in conditions]
    within = [each.sql for each in ranges]
    if driving is not None and driving.ordered:
        table = f"sought INDEXED BY {driving.ordered}"
        told[conditions.index(driving)] = driving.sql.replace("{}", "")
    elif driving is not None:
        table = "sought INDEXED BY sought_id"
        within.append(f"id IN ({driving.few})")
        place = sum(len(each.values) for each in ranges)
        values[place:place] = driving.few_values
    where = " AND ".join((*within, *told))
    return (f"{table} WHERE {where}" if where else table), values


def _edges(conn: sqlite3.Connection, ranges: Sequence[Condition]) -> tuple[str, ...]:
    """When the last of the newest rows of a time began, and of so many times as many if they are
    as thick; none where it has no more than those."""
    source, values = _source(None, [], ranges)
    found = [
        row["begun_at"]
        for offset in (0, NEWEST_FIRST)
        for row in conn.execute(
            f"SELECT begun_at FROM {source} {_ORDER} LIMIT 1 OFFSET {offset}", values
        )
    ]
    return (found[1], earlier(found[0], found[1], MORE)) if len(found) > 1 else ()


def _a_handful(conn: sqlite3.Connection, conditions: Sequence[Condition]) -> Condition | None:
    """The condition that fewest rows answer to, where those are a handful, as what they are."""
    best, fewest = None, A_HANDFUL + 1
    for each in reversed(conditions):
        if each.few and fewest > PAGE:
            rows = conn.execute(f"{each.few} LIMIT ?", (*each.few_values, fewest)).fetchall()
            if len(rows) < fewest:
                ids = json.dumps([row[0] for row in rows])
                told = replace(each, few="SELECT value FROM json_each(?)", few_values=(ids,))
                best, fewest = (each if each.ordered else told), len(rows)
    return best


def _few(conn: sqlite3.Connection, conditions: Sequence[Condition], most: int) -> Condition | None:
    """The condition that fewest rows answer to, where those are not more than so many."""
    best, fewest = None, most + 1
    for each in conditions:
        if each.few:
            (found,) = conn.execute(
                f"SELECT count(*) FROM ({each.few} LIMIT ?)", (*each.few_values, fewest)
            ).fetchone()
            if found < fewest:
                best, fewest = each, found
    return best


def _ranges(conn: sqlite3.Connection, search: UnitSearch, span: Span) -> Iterator[Condition]:
    """The time that is asked for: what began before its end, and had not ended at its begin."""
    since = span.since
    if search.since_renewal:
        since = upkeep.last_service(conn, search.fixture)  # empty, and all, where they never were
    if span.until:
        yield Condition("begun_at < ?", (span.until,))
    if since:
        # What went on for more than a day is rare, and has an index of its own.
        (earliest,) = conn.execute(
            "SELECT min(begun_at) FROM sought INDEXED BY sought_long"
            " WHERE (ended_at = '' OR julianday(ended_at) - julianday(begun_at) > 1)"
            " AND (ended_at = '' OR ended_at >= ?)",
            (since,),
        ).fetchone()
        yield Condition("begun_at >= ?", (min(day_before(since), earliest or since),))
        yield Condition("(ended_at >= ? OR ended_at = '')", (since,))


def _conditions(conn: sqlite3.Connection, search: UnitSearch) -> Iterator[Condition]:
    # What is soonest compared, and leaves out the most, first.
    for field in ("verdict", "cause", "document"):
        wanted = tuple(dict.fromkeys(map(str, getattr(search, field))))
        if wanted:
            yield _list_condition(field, wanted)
    if search.failed:
        yield _step_condition(conn, search.failed)
    if search.instrument:
        yield _instrument_condition(conn, search.instrument)
    if search.revision is not None:
        yield Condition("{}revision = ?", (search.revision,))
    texts = {field: text for field in _TEXTS if (text := getattr(search, field))}
    for first, second in _PAIRS:
        one, other = texts.get(first, ""), texts.get(second, "")
        if one and other and not has_wildcard(f"{one}{other}"):
            yield _pair_condition((first, second), (texts.pop(first), texts.pop(second)))
    for field, text in texts.items():
        yield _text_condition(field, text)
    if search.serial:
        yield _serial_condition(search.serial)
    if search.said:
        matching = " AND ".join(_said(word) for word in words_of(search.said))
        few = "SELECT DISTINCT run_unit_id FROM said WHERE said MATCH ?"
        yield Condition(f"{{}}id IN ({few})", (matching,), few, (matching,))
    if search.limit_set:
        yield _pinned_condition(conn, search.limit_set, search.limit_revision)


def _text_condition(column: str, text: str) -> Condition:
    index, but = _INDEXES.get(column, ("", ""))
    if has_wildcard(text):
        sql = f"{{}}{column} LIKE ? ESCAPE '\\'"
        if not index:
            return Condition(sql, (as_like(text),))
        found, values = _among(column, text)
        few = f"SELECT id FROM sought INDEXED BY {index} WHERE {found}{but}"
        return Condition(sql, (as_like(text),), few, values)
    few = f"SELECT id FROM sought INDEXED BY {index} WHERE {column} = ?{but}"
    if not index:
        return Condition(f"{{}}{column} = ?", (text,))
    ordered = index if column in _IN_ORDER else ""
    sql = f"{{}}{column} = ?{but if ordered else ''}"
    return Condition(sql, (text,), few, (text,), ordered)


def _pair_condition(columns: tuple[str, str], texts: tuple[str, str]) -> Condition:
    """Two columns that have an index together, each with one value."""
    index, _ = _INDEXES[columns[0]]
    sql = f"{{}}{columns[0]} = ? AND {{}}{columns[1]} = ?"
    few = f"SELECT id FROM sought INDEXED BY {index} WHERE {sql.replace('{}', '')}"
    return Condition(sql, texts, few, texts, index)


def _serial_condition(text: str) -> Condition:
    """A serial or the owner's number: either of two columns."""
    like = as_like(text)
    sql = "({}serial LIKE ? ESCAPE '\\' OR {}asset LIKE ? ESCAPE '\\')"
    parts = [f'"{each}"' for each in re.split(r"[*?\"]", text) if len(each) >= 3]
    if has_wildcard(text[:1]) and parts:
        few = (
            "SELECT run_unit.id FROM unit_name CROSS JOIN run_unit"
            " ON run_unit.unit_id = unit_name.unit_id WHERE unit_name MATCH ?"
            " AND (serial LIKE ? ESCAPE '\\' OR asset LIKE ? ESCAPE '\\')"
        )
        return Condition(sql, (like, like), few, (" AND ".join(parts), like, like))
    fews, few_values = list[str](), list[Value]()
    for column in ("serial", "asset"):
        index, but = _INDEXES[column]
        found, values = _among(column, text)
        fews.append(f"SELECT id FROM sought INDEXED BY {index} WHERE {found}{but}")
        few_values += values
    return Condition(sql, (like, like), " UNION ALL ".join(fews), tuple(few_values))


def _pinned_condition(conn: sqlite3.Connection, code: str, revision: int | None) -> Condition:
    """A sequence that pinned a limit set, of all whose code matches, or one revision of it."""
    rows = conn.execute(
        "SELECT DISTINCT code, revision FROM sequence, json_each(limit_revisions) AS pinned"
        " WHERE pinned.key LIKE ?1 ESCAPE '\\' AND (?2 IS NULL OR pinned.value = ?2)",
        (as_like(code), revision),
    )
    pairs = json.dumps([list(row) for row in rows])
    told = "SELECT value ->> 0 || ' ' || (value ->> 1) FROM json_each(?)"
    few = (
        "SELECT sought.id FROM json_each(?) AS pinned CROSS JOIN sought INDEXED BY sought_sequence"
        " ON sequence = pinned.value ->> 0 AND revision = pinned.value ->> 1"
    )
    sql = f"({{}}sequence || ' ' || {{}}revision) IN ({told})"
    return Condition(sql, (pairs,), few, (pairs,))


def _among(column: str, pattern: str) -> tuple[str, tuple[Value, ...]]:
    """A pattern as an index is asked for it: what begins as it does, of that what matches."""
    like = (f"{column} LIKE ? ESCAPE '\\'", (as_like(pattern),))
    begin = re.split(r"[*?]", pattern, maxsplit=1)[0]
    if not begin:
        return like
    return (
        f"{column} >= ? AND {column} < ? AND {like[0]}",
        (begin, f"{begin}\U0010ffff", *like[1]),
    )


def _list_condition(column: str, wanted: tuple[str, ...]) -> Condition:
    index, but = _INDEXES.get(column, ("", ""))
    marks = _marks(wanted)
    if not index or "" in wanted or "pass" in wanted:  # the index leaves them out
        return Condition(f"{{}}{column} IN ({marks})", wanted)
    if len(wanted) == 1:
        few = f"SELECT id FROM sought INDEXED BY {index} WHERE {column} = ?{but}"
        ordered = index if column in _IN_ORDER else ""
        return Condition(f"{{}}{column} = ?{but}", wanted, few, wanted, ordered)
    few = f"SELECT id FROM sought INDEXED BY {index} WHERE {column} IN ({marks}){but}"
    return Condition(f"{{}}{column} IN ({marks})", wanted, few, wanted)


def _step_condition(conn: sqlite3.Connection, text: str) -> Condition:
    """A step that failed, of all whose id matches."""
    failed = names_in(conn, "attempt", "step_id", "verdict = 'fail'")
    steps = _matching(failed, text)
    few = (
        "SELECT DISTINCT run_unit_id FROM attempt INDEXED BY attempt_failed"
        f" WHERE verdict = 'fail' AND step_id IN ({_marks(steps)})"
    )
    return _named_condition("failed", steps, few)


def _instrument_condition(conn: sqlite3.Connection, text: str) -> Condition:
    """An instrument that took a reading, of all whose id or serial matches."""
    ids = names_in(conn, "run_instrument", "instrument")
    serials = names_in(conn, "run_instrument", "serial", "serial <> ''")
    names = _matching([*ids, *serials], text)
    # Those of its runs; whether it read anything of a unit, the row says.
    few = " UNION ALL ".join(
        "SELECT run_unit.id FROM run_instrument CROSS JOIN run_unit"
        f" ON run_unit.run_id = run_instrument.run_id WHERE {column} IN ({_marks(names)})"
        for column in ("instrument", "serial")
    )
    return _named_condition("instruments", names, few, times=2)


def _named_condition(column: str, names: tuple[str, ...], few: str, times: int = 1) -> Condition:
    """One of several names between bars is one of these."""
    if not names:
        return NOTHING
    barred = tuple(f"|{name}|" for name in names)
    told = " OR ".join(f"instr({{}}{column}, ?)" for _ in names)
    if len(names) > MOST_TERMS:
        told = f"EXISTS (SELECT 1 FROM json_each(?) AS name WHERE instr({{}}{column}, name.value))"
        barred = (json.dumps(barred),)
    return Condition(f"({told})", barred, few, names * times)


def _matching(names: Iterable[str], pattern: str) -> tuple[str, ...]:
    matches = re.compile(
        "".join({"*": ".*", "?": "."}.get(each, re.escape(each)) for each in pattern),
        re.IGNORECASE | re.DOTALL,
    ).fullmatch
    return tuple(dict.fromkeys(filter(matches, names)))


def _marks(values: Sequence[object]) -> str:
    return ", ".join("?" * len(values))


def _said(word: str) -> str:
    """A word, or the beginning of one, as FTS5 is asked for it."""
    return f'"{word[:-1]}"*' if word.endswith("*") else f'"{word}"'
