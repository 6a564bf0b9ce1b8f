"""Marks: a digest of each record that matters, chained, so that a change from outside shows.

The connection that the service writes with notices, by temporary triggers of its own, which records
a transaction touches, and marks them before it commits: no code that stores anything can forget to.
Whoever writes to the file by other means leaves no mark, and ``check`` finds the record.
"""

import hashlib
import json
import sqlite3
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from loricate.records.stamps import now

GENESIS = "0" * 64


@dataclass(frozen=True, slots=True)
class Marked:
    """A kind of record: its table, the columns of its key, what goes with it, what is left out."""

    table: str
    key: tuple[str, ...]
    parts: tuple[tuple[str, str], ...] = ()  # a table and the order of its rows
    but: tuple[str, ...] = ()  # columns that tell nothing of what was tested
    is_final: bool = True  # stored once, and never changed
    names_cells: bool = False  # of its parts, as until migration 13: each cell by its name

    @property
    def tables(self) -> tuple[str, ...]:
        """Every table whose rows belong to a record of this kind."""
        return self.table, *(name for name, _ in self.parts)


MARKED: dict[str, Marked] = {
    "about": Marked("about", ("number", "position")),
    "account": Marked("account", ("id",), but=("signed_in_at", "code_used"), is_final=False),
    "ambient": Marked("ambient", ("id",)),
    "answer": Marked("answer", ("id",)),
    "answer picture": Marked("answer_picture", ("answer", "entry")),
    "attempt": Marked(
        "attempt",
        ("run_unit_id", "step_id", "number"),
        (
            ("reading", "position"),
            ("fault", "position"),
            ("repetition", "repetition"),
            ("curve", "position"),
        ),
    ),
    "audit": Marked("audit", ("id",)),
    "capture decision": Marked("capture_decision", ("id",)),
    "captured unit": Marked("captured_unit", ("id",)),
    "column map": Marked("column_map", ("id",)),
    "carried file": Marked("carried", ("position",)),
    "daily check": Marked("daily_check", ("id",)),
    "doubt": Marked("doubt", ("id",)),
    "fixture service": Marked("fixture_service", ("id",)),
    "impedance zero": Marked("impedance_zero", ("id",)),
    "issued after": Marked("issued_after", ("number",)),
    "issued document": Marked("ledger", ("position",)),
    "key begun": Marked("key_begun", ("id",)),
    "item": Marked("item", ("id",), is_final=False),
    "kept reading": Marked("kept_reading", ("id",)),
    "let go": Marked("let_go", ("run_unit_id",)),
    "limit set": Marked("limit_set", ("code", "revision")),
    "lot": Marked("lot", ("code",), is_final=False),
    "number taken": Marked("number_taken", ("series",), is_final=False),
    "paper": Marked("paper", ("id",)),
    "picture": Marked("picture", ("digest",)),
    "product": Marked("product", ("code", "revision")),
    "receipt": Marked("receipt", ("id",)),
    "remark": Marked("remark", ("id",)),
    "restoring": Marked("restored", ("position",)),
    "repeat": Marked("repeat_request", ("id",), is_final=False),
    "run": Marked("run", ("id",), but=("is_issued",), is_final=False),
    "sequence": Marked("sequence", ("code", "revision"), is_final=False),
    "run of a series": Marked("series_run", ("run",)),
    "serial of a series": Marked("series_serial", ("series", "position"), is_final=False),
    "series": Marked("series", ("id",), is_final=False),
    "site key": Marked("site_key", ("position",)),
    "instrument of a run": Marked("run_instrument", ("run_id", "position"), is_final=False),
    "site": Marked("site", ("id",)),
    "unit": Marked("unit", ("id",), is_final=False),
    "unit in a run": Marked("run_unit", ("id",), is_final=False),
    "work order": Marked("work_order", ("number",), is_final=False),
    "zeroing": Marked("zeroing", ("id",), (("zeroed_lead", "nest, contact"),)),
}


# How kinds were marked before a migration changed their tables, by the migration; None where there
# were none.
UNTIL: dict[int, dict[str, Marked | None]] = {
    28: {"let go": None},
    27: {"work order": None},
    26: {"carried file": None, "receipt": None},
    25: {"item": None},
    23: {"answer picture": None},
    20: {"kept reading": None},
    19: {"zeroing": None, "zero": Marked("zero", ("id",))},
    18: {"run of a series": None, "serial of a series": None, "series": None},
    17: {"column map": None},
    16: {"capture decision": None, "captured unit": None},
    14: {"about": None, "ambient": None, "key begun": None, "paper": None},
    13: {
        "attempt": replace(MARKED["attempt"], names_cells=True),
        "instrument of a run": None,
        "site": None,
        "unit": None,
    },
    12: {
        "attempt": Marked(
            "attempt",
            ("run_unit_id", "step_id", "number"),
            (("reading", "position"), ("repetition", "repetition"), ("trace", "number")),
            names_cells=True,
        )
    },
}


def marked_at(version: int) -> dict[str, Marked]:
    """How each kind is marked in records of a version."""
    marked: dict[str, Marked | None] = dict(MARKED)
    for number in sorted(UNTIL, reverse=True):
        if version < number:
            marked |= UNTIL[number]
    return {kind: each for kind, each in marked.items() if each is not None}


def version_of(conn: sqlite3.Connection) -> int:
    """The migration that a database has come to."""
    return int(conn.execute("PRAGMA user_version").fetchone()[0])


def watch(conn: sqlite3.Connection) -> None:
    """Have this connection notice which records it touches; the triggers are its own.

    Of a record that is changed, the row as it was before is kept as well, so that ``mark`` can see
    whether somebody else had changed it by then.
    """
    conn.execute("PRAGMA temp_store = MEMORY")
    conn.execute(
        "CREATE TEMP TABLE touched (kind TEXT, key TEXT, before TEXT, PRIMARY KEY (kind, key))"
        " WITHOUT ROWID"
    )
    for kind, marked in MARKED.items():
        for table in marked.tables:
            for change, row in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
                if change == "INSERT" and table != marked.table and marked.is_final:
                    continue  # it comes with its whole, which is noticed; later it would be strange
                key = ", ".join(f"{row}.{name}" for name in marked.key)
                keeps_before = change != "INSERT" and not marked.is_final
                before = _as_object(conn, table) if keeps_before else "NULL"
                conn.execute(
                    f"CREATE TEMP TRIGGER touched_{table}_{change} AFTER {change} ON main.{table}"
                    # A conflict clause would not do: that of the statement goes before it.
                    f" BEGIN INSERT INTO touched SELECT '{kind}', json_array({key}), {before}"
                    f" WHERE NOT EXISTS (SELECT 1 FROM touched WHERE kind = '{kind}'"
                    f" AND key = json_array({key})); END"
                )


def _as_object(conn: sqlite3.Connection, table: str) -> str:
    """The old row of a table as a JSON object, in SQL."""
    columns = [row["name"] for row in conn.execute(f"PRAGMA table_info({table})")]
    pairs = ", ".join(f"'{name}', OLD.{name}" for name in columns)
    return f"json_object({pairs})"


def mark_touched(conn: sqlite3.Connection) -> list[str]:
    """Mark what the transaction under way has touched.

    Gives what was found changed from outside when it was touched: that would be marked over now.
    """
    touched = conn.execute("SELECT kind, key, before FROM touched ORDER BY kind, key").fetchall()
    if not touched:
        return []
    conn.execute("DELETE FROM touched")
    changed = [
        f"{told(kind, key)} was not as it was stored when it was changed."
        for kind, key, before in touched
        if before is not None and not _is_as_marked(conn, kind, key, json.loads(before))
    ]
    mark(conn, [(kind, key) for kind, key, _ in touched])
    return changed


def _is_as_marked(conn: sqlite3.Connection, kind: str, key: str, before: dict[str, Any]) -> bool:
    last = conn.execute(
        "SELECT digest FROM mark WHERE kind = ? AND key = ? AND may_change = 1"
        " ORDER BY position DESC LIMIT 1",
        (kind, key),
    ).fetchone()
    kept = {name: value for name, value in before.items() if name not in MARKED[kind].but}
    return last is None or last["digest"] == digest_of_row(kept)


STORED, MIGRATED = "stored", "migrated"


def mark(
    conn: sqlite3.Connection,
    records: Sequence[tuple[str, str]],
    origin: str = STORED,
    kinds: Mapping[str, Marked] = MARKED,
) -> None:
    """Mark records of a kind and key as they are."""
    at = now()
    last: dict[str, tuple[int, str]] = {}
    for kind, key in records:
        digest = digest_of(conn, kinds[kind], key)
        position, previous = last.get(kind) or end_of(conn, kind)
        position += 1
        found = mark_hash((kind, position, key, digest, at, origin), previous)
        may_change = int(not kinds[kind].is_final)
        conn.execute(
            "INSERT INTO mark (kind, position, key, digest, at, origin, hash, may_change)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (kind, position, key, digest, at, origin, found, may_change),
        )
        last[kind] = position, found


def end_of(conn: sqlite3.Connection, kind: str) -> tuple[int, str]:
    """How many marks a chain has, and its last hash."""
    row = conn.execute(
        "SELECT position, hash FROM mark WHERE kind = ? ORDER BY position DESC LIMIT 1", (kind,)
    ).fetchone()
    return (0, GENESIS) if row is None else (int(row["position"]), str(row["hash"]))


def ends(conn: sqlite3.Connection) -> dict[str, tuple[int, str]]:
    """The end of every chain that has one."""
    found = {kind: end_of(conn, kind) for kind in MARKED}
    return {kind: each for kind, each in found.items() if each[0]}


def mark_hash(parts: tuple[str, int, str, str, str, str], previous: str) -> str:
    """The hash of a mark: SHA-256 over its cells and the hash before it, as a JSON array."""
    text = json.dumps([*parts, previous], separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def digest_of(conn: sqlite3.Connection, marked: Marked, key: str) -> str:
    """The digest of a record as it stands; empty when it is not there."""
    values = json.loads(key)
    where = " AND ".join(f"{name} IS ?" for name in marked.key)
    row = conn.execute(f"SELECT * FROM {marked.table} WHERE {where}", values).fetchone()
    if row is None:
        return ""
    content: list[Any] = [_plain(row, marked.but)]
    for table, order in marked.parts:
        columns = conn.execute(f"PRAGMA table_info({table})").fetchall()
        has_blobs = any(each["type"] == "BLOB" for each in columns)
        left_out = () if marked.names_cells else marked.key  # all have the same as the row itself
        names = sorted(each["name"] for each in columns if each["name"] not in left_out)
        # There may be hundreds of rows, so that they stand without their names.
        found = conn.cursor()
        found.row_factory = None
        rows: Iterable[tuple[Any, ...]] = found.execute(
            f"SELECT {', '.join(names)} FROM {table} WHERE {where} ORDER BY {order}", values
        ).fetchall()
        if has_blobs:
            rows = [tuple(map(_cell, row)) for row in rows]
        if marked.names_cells:
            content.append([dict(zip(names, row, strict=True)) for row in rows])
        else:
            content.append([names, rows])
    return _digest(content)


def digest_of_row(row: Mapping[str, Any]) -> str:
    """The digest of a record that is one row."""
    return _digest([{name: row[name] for name in sorted(row)}])


def _digest(content: list[Any]) -> str:
    """The digest of a record's row and of the rows that go with it, their names sorted."""
    text = json.dumps(content, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _plain(row: sqlite3.Row, but: Sequence[str]) -> dict[str, Any]:
    return {name: _cell(row[name]) for name in sorted(row.keys()) if name not in but}


def _cell(value: Any) -> Any:
    """A cell as it is digested: a blob stands as its own digest."""
    return hashlib.sha256(value).hexdigest() if type(value) is bytes else value


MOST_FAULTS = 100


def keys_of(conn: sqlite3.Connection, marked: Marked) -> Iterator[str]:
    """The key of every record of a kind, and of what goes with one that is not there."""
    columns = ", ".join(marked.key)
    yield from _firsts(conn, f"SELECT json_array({columns}) FROM {marked.table}")
    for table, _ in marked.parts:
        same = " AND ".join(f"whole.{name} = part.{name}" for name in marked.key)
        yield from _firsts(
            conn,
            f"SELECT DISTINCT json_array({columns}) FROM {table} AS part"
            f" WHERE NOT EXISTS (SELECT 1 FROM {marked.table} AS whole WHERE {same})",
        )


def _firsts(conn: sqlite3.Connection, query: str) -> Iterator[str]:
    for row in conn.execute(query):
        yield str(row[0])


def mark_all(conn: sqlite3.Connection) -> None:
    """Mark every record anew, as a new version of the records has it."""
    kinds = marked_at(version_of(conn))
    for kind, marked in kinds.items():
        mark(conn, [(kind, key) for key in list(keys_of(conn, marked))], MIGRATED, kinds)


def faults(conn: sqlite3.Connection) -> Iterator[str]:
    """Everything in the records that was changed, taken away or added from outside.

    They may be of an earlier version: then they are read as that one marked them.
    """
    kinds = marked_at(version_of(conn))
    conn.execute(
        "CREATE TEMP TABLE newest (key TEXT PRIMARY KEY, digest TEXT, at TEXT, stored INTEGER)"
        " WITHOUT ROWID"
    )
    try:
        for kind, marked in kinds.items():
            conn.execute("DELETE FROM newest")
            yield from _chain_faults(conn, kind, marked)
            yield from _record_faults(conn, kind, marked)
    finally:
        conn.execute("DROP TABLE newest")


def _chain_faults(conn: sqlite3.Connection, kind: str, marked: Marked) -> Iterator[str]:
    """What is wrong with a chain; leaves the newest mark of each record in ``newest``."""
    previous, expected = GENESIS, 1
    is_whole = True
    for row in conn.execute("SELECT * FROM mark WHERE kind = ? ORDER BY position", (kind,)):
        parts = (kind, expected, row["key"], row["digest"], row["at"], row["origin"])
        wanted = mark_hash(parts, previous)
        if is_whole and (row["position"] != expected or row["hash"] != wanted):
            is_whole = False
            yield f"Mark {expected} of kind {kind} is missing or was changed."
        elif row["may_change"] != int(not marked.is_final):
            yield f"Mark {expected} of kind {kind} was changed: it says which records may be."
        previous, expected = wanted, expected + 1
        conn.execute(
            "INSERT INTO newest VALUES (?1, ?2, ?3, ?4) ON CONFLICT (key) DO UPDATE"
            " SET digest = ?2, at = ?3, stored = stored + ?4",
            (row["key"], row["digest"], row["at"], int(row["origin"] == STORED)),
        )


def _record_faults(conn: sqlite3.Connection, kind: str, marked: Marked) -> Iterator[str]:
    for key in keys_of(conn, marked):
        known = conn.execute("SELECT digest, at FROM newest WHERE key = ?", (key,)).fetchone()
        if known is None:
            yield f"{told(kind, key)} was added from outside: nothing of it is marked."
        elif known["digest"] != digest_of(conn, marked, key):
            yield f"{told(kind, key)} is not as it was stored on {known['at']}."
    for key, digest, at, stored in conn.execute("SELECT * FROM newest"):
        if digest and not _is_there(conn, marked, key):
            yield f"{told(kind, key)}, stored on {at}, was taken away."
        if stored > 1 and marked.is_final and not (stored == 2 and is_let_go(conn, kind, key)):
            yield f"{told(kind, key)} was taken away and another stored on {at}."


def is_let_go(conn: sqlite3.Connection, kind: str, key: str) -> bool:
    """Whether a record is an attempt whose readings went: it is stored anew then, without them."""
    if kind != "attempt" or version_of(conn) < 28:
        return False
    found = conn.execute("SELECT 1 FROM let_go WHERE run_unit_id = ?", (json.loads(key)[0],))
    return found.fetchone() is not None


def _is_there(conn: sqlite3.Connection, marked: Marked, key: str) -> bool:
    where = " AND ".join(f"{name} IS ?" for name in marked.key)
    found = conn.execute(f"SELECT 1 FROM {marked.table} WHERE {where}", json.loads(key))
    return found.fetchone() is not None


def told(kind: str, key: str) -> str:
    return f"{kind.capitalize()} {' / '.join(str(each) for each in json.loads(key))}"


def count(conn: sqlite3.Connection) -> int:
    """How many marks there are."""
    return sum(position for position, _ in ends(conn).values())


def head_faults(
    conn: sqlite3.Connection, at: str, chains: dict[str, tuple[int, str]]
) -> Iterator[str]:
    """What the chains' ends, as they were signed for at a moment, say against the records."""
    for kind, (position, hashed) in chains.items():
        row = conn.execute(
            "SELECT hash FROM mark WHERE kind = ? AND position = ?", (kind, position)
        ).fetchone()
        if row is None:
            there = end_of(conn, kind)[0]
            yield (
                f"On {at[:16]}Z there were {position} marks of kind {kind}; there are {there} now. "
                "Their end was cut off, or an older backup was put in their place."
            )
        elif row["hash"] != hashed:
            yield f"Mark {position} of kind {kind} is another than was signed for on {at[:16]}Z."
