"""``drill cells``: one cell after another is changed as by somebody who has the file.

Whatever table it is of, the check of the records must find it; but for the few that no verdict,
document or answer rests on, each of which is named here.
"""

import random
import sqlite3
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from dataclasses import dataclass, field
from itertools import chain
from pathlib import Path

from loricate.records import carrying, marks, regrading, retention, searching

# What nothing that was tested rests on, and why.
LEFT = {
    "session": "who is signed in now",
    "idempotency": "requests that may come twice",
    "set_aside": "documents that wait, with the reason",
    "outbox": "what is on its way",
    "kept_search": "searches by name",
    "report_template": "reports by name",
    "watch": "trends that are looked at by name",
    "document_kind": "letters of numbers, which every document has itself",
}
LEFT_COLUMNS = {each.table: each.but for each in marks.MARKED.values()}
SEARCHED = ("sought", "said", "unit_name")  # copies, held against what they were taken from


@dataclass
class Changed:
    """How many cells of each table were changed, and which of them nothing was said of."""

    tried: Counter[str] = field(default_factory=Counter)
    missed: list[str] = field(default_factory=list)


def change_cells(
    database: Path,
    rows_each: int,
    seed: int,
    say: Callable[[str], None],
    only: Sequence[str] = (),
) -> Changed:
    """Change each column of each table in so many of its rows, each put back before the next.

    Of some tables ``only``, where any are named.
    """
    found, chance = Changed(), random.Random(seed)
    with closing(sqlite3.connect(database, isolation_level=None)) as conn:
        conn.row_factory = sqlite3.Row
        conn.execute("PRAGMA foreign_keys = OFF")
        conn.execute("PRAGMA ignore_check_constraints = ON")
        triggers = "SELECT name FROM sqlite_master WHERE type = 'trigger'"
        for (name,) in conn.execute(triggers).fetchall():
            conn.execute(f"DROP TRIGGER {name}")
        if (fault := _fault(conn)) is not None:
            raise RuntimeError(f"The records are not whole to begin with: {fault}")
        for table in only or tables(conn):
            columns = [
                row["name"]
                for row in conn.execute(f"PRAGMA table_info({table})")
                if row["name"] not in LEFT_COLUMNS.get(table, ())
            ]
            key = _key(conn, table)
            rows = conn.execute(f"SELECT {key} FROM {table}").fetchall()
            for row in chance.sample(rows, min(rows_each, len(rows))):
                for column in columns:
                    told = _changed(conn, table, column, key, tuple(row))
                    if told is None:
                        continue
                    found.tried[table] += 1
                    if told == "":
                        cell = f"{table}.{column} of {' / '.join(map(str, tuple(row)))}"
                        found.missed.append(cell)
                        say(f"nothing is said of {cell}")
    return found


def tables(conn: sqlite3.Connection) -> list[str]:
    """Every table that something may rest on."""
    names = [
        str(name) for (name,) in conn.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
    ]
    shadows = tuple(f"{each}_" for each in SEARCHED)
    return [
        name for name in names if name not in LEFT and not name.startswith(("sqlite_", *shadows))
    ]


def _key(conn: sqlite3.Connection, table: str) -> str:
    rows = conn.execute(f"PRAGMA table_info({table})").fetchall()
    keys = sorted((row["pk"], row["name"]) for row in rows if row["pk"])
    return ", ".join(name for _, name in keys) or "rowid"


def _changed(
    conn: sqlite3.Connection, table: str, column: str, key: str, values: tuple[object, ...]
) -> str | None:
    """What the check says of a changed cell, empty for nothing; None where it cannot be changed."""
    where = " AND ".join(f"{name} IS ?" for name in key.split(", "))
    (value,) = conn.execute(f'SELECT "{column}" FROM {table} WHERE {where}', values).fetchone()
    conn.execute("SAVEPOINT cell")
    try:
        conn.execute(f'UPDATE {table} SET "{column}" = ? WHERE {where}', (_another(value), *values))
        return _fault(conn) or ""
    except sqlite3.IntegrityError:
        return None  # its type, or another row, refuses it
    finally:
        conn.execute("ROLLBACK TO cell")
        conn.execute("RELEASE cell")


def _another(value: object) -> object:
    if value is None:
        return 7
    if isinstance(value, bytes):
        return value + b"\0"
    if isinstance(value, (int, float)):
        return value + 1
    return f"{value}~"


def _fault(conn: sqlite3.Connection) -> str | None:
    """The first thing that a check of the records finds."""
    with closing(marks.faults(conn)) as first:  # type: ignore[type-var]
        return next(
            chain(
                first,
                searching.strays(conn),
                retention.strays(conn),
                carrying.mark_faults(conn),
                _graded(conn),
            ),
            None,
        )


def _graded(conn: sqlite3.Connection) -> Iterator[str]:
    try:
        yield from regrading.disagreeing(conn)
    except (ValueError, KeyError, TypeError) as error:
        yield f"What was graded cannot be read: {error!r}"
