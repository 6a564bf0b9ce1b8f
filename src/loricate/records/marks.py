"""Marks: a digest of each record that matters, chained, so that a change from outside shows.

The connection that the service writes with notices, by temporary triggers of its own, which records
a transaction touches, and marks them before it commits: no code that stores anything can forget to.
Whoever writes to the file by other means leaves no mark, and ``check`` finds the record.
"""

import hashlib
import json
import sqlite3
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
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

    @property
    def tables(self) -> tuple[str, ...]:
        """Every table whose rows belong to a record of this kind."""
        return self.table, *(name for name, _ in self.parts)


MARKED: dict[str, Marked] = {
    "account": Marked("account", ("id",), but=("signed_in_at", "code_used"), is_final=False),
    "answer": Marked("answer", ("id",)),
    "attempt": Marked(
        "attempt",
        ("run_unit_id", "step_id", "number"),
        (("reading", "position"), ("repetition", "repetition"), ("trace", "number")),
    ),
    "audit": Marked("audit", ("id",)),
    "daily check": Marked("daily_check", ("id",)),
    "doubt": Marked("doubt", ("id",)),
    "fixture service": Marked("fixture_service", ("id",)),
    "impedance zero": Marked("impedance_zero", ("id",)),
    "issued after": Marked("issued_after", ("number",)),
    "issued document": Marked("ledger", ("position",)),
    "limit set": Marked("limit_set", ("code", "revision")),
    "lot": Marked("lot", ("code",), is_final=False),
    "number taken": Marked("number_taken", ("series",), is_final=False),
    "picture": Marked("picture", ("digest",)),
    "product": Marked("product", ("code", "revision")),
    "remark": Marked("remark", ("id",)),
    "restoring": Marked("restored", ("position",)),
    "repeat": Marked("repeat_request", ("id",), is_final=False),
    "run": Marked("run", ("id",), but=("is_issued",), is_final=False),
    "sequence": Marked("sequence", ("code", "revision"), is_final=False),
    "site key": Marked("site_key", ("position",)),
    "unit in a run": Marked("run_unit", ("id",), is_final=False),
    "zero": Marked("zero", ("id",)),
}


def watch(conn: sqlite3.Connection) -> None:
    """Have this connection notice which records it touches; the triggers are its own."""
    conn.execute(
        "CREATE TEMP TABLE touched (kind TEXT, key TEXT, PRIMARY KEY (kind, key)) WITHOUT ROWID"
    )
    for kind, marked in MARKED.items():
        for table in marked.tables:
            for change, row in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
                key = ", ".join(f"{row}.{name}" for name in marked.key)
                conn.execute(
                    f"CREATE TEMP TRIGGER touched_{table}_{change} AFTER {change} ON main.{table}"
                    f" BEGIN INSERT OR IGNORE INTO touched VALUES ('{kind}', json_array({key}));"
                    " END"
                )


def mark_touched(conn: sqlite3.Connection) -> None:
    """Mark what the transaction under way has touched."""
    touched = conn.execute("SELECT kind, key FROM touched ORDER BY kind, key").fetchall()
    if touched:
        conn.execute("DELETE FROM touched")
        mark(conn, [(kind, key) for kind, key in touched])


STORED, MIGRATED = "stored", "migrated"


def mark(conn: sqlite3.Connection, records: Sequence[tuple[str, str]], origin: str = STORED) -> int:
    """Mark records of a kind and key that are not as they were marked; gives how many."""
    count, at = 0, now()
    last: dict[str, tuple[int, str]] = {}
    for kind, key in records:
        digest = digest_of(conn, kind, key)
        known = _latest(conn, kind, key)
        if known is not None and known["digest"] == digest:
            continue
        position, previous = last.get(kind) or end_of(conn, kind)
        position += 1
        found = mark_hash((kind, position, key, digest, at, origin), previous)
        conn.execute(
            "INSERT INTO mark VALUES (?, ?, ?, ?, ?, ?, ?)",
            (kind, position, key, digest, at, origin, found),
        )
        last[kind] = position, found
        count += 1
    return count


def _latest(conn: sqlite3.Connection, kind: str, key: str) -> sqlite3.Row | None:
    row: sqlite3.Row | None = conn.execute(
        "SELECT digest, at FROM mark WHERE kind = ? AND key = ? ORDER BY position DESC LIMIT 1",
        (kind, key),
    ).fetchone()
    return row


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


def digest_of(conn: sqlite3.Connection, kind: str, key: str) -> str:
    """The digest of a record as it stands; empty when it is not there."""
    marked, values = MARKED[kind], json.loads(key)
    where = " AND ".join(f"{name} IS ?" for name in marked.key)
    row = conn.execute(f"SELECT * FROM {marked.table} WHERE {where}", values).fetchone()
    if row is None:
        return ""
    content: list[Any] = [_plain(row, marked.but)]
    for table, order in marked.parts:
        rows = conn.execute(f"SELECT * FROM {table} WHERE {where} ORDER BY {order}", values)
        content.append([_plain(each, ()) for each in rows])
    return digest_of_content(content)


def digest_of_content(content: list[Any]) -> str:
    """The digest of a record's row and of the rows that go with it, each as a JSON object."""
    text = json.dumps(content, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _plain(row: sqlite3.Row, but: Sequence[str]) -> dict[str, Any]:
    return {
        name: hashlib.sha256(row[name]).hexdigest() if isinstance(row[name], bytes) else row[name]
        for name in row.keys()  # noqa: SIM118: a row is no mapping
        if name not in but
    }


MOST_FAULTS = 100


def keys_of(conn: sqlite3.Connection, kind: str) -> Iterator[str]:
    """The key of every record of a kind, and of what goes with one that is not there."""
    marked = MARKED[kind]
    columns = ", ".join(marked.key)
    every = " UNION ".join(f"SELECT {columns} FROM {table}" for table in marked.tables)
    for (key,) in conn.execute(f"SELECT json_array({columns}) FROM ({every})"):
        yield key


def mark_all(conn: sqlite3.Connection) -> int:
    """Mark every record that is not as it was marked, by a new version of the records."""
    return sum(
        mark(conn, [(kind, key) for key in list(keys_of(conn, kind))], MIGRATED) for kind in MARKED
    )


def faults(conn: sqlite3.Connection) -> Iterator[str]:
    """Everything in the records that was changed, taken away or added from outside."""
    for kind in MARKED:
        yield from _chain_faults(conn, kind)
        yield from _second_times(conn, kind)
        for key in keys_of(conn, kind):
            known = _latest(conn, kind, key)
            if known is None:
                yield f"{_told(kind, key)} was added from outside: nothing of it is marked."
            elif known["digest"] != digest_of(conn, kind, key):
                yield f"{_told(kind, key)} is not as it was stored on {known['at']}."
        present = " UNION ".join(
            f"SELECT json_array({', '.join(MARKED[kind].key)}) FROM {table}"
            for table in MARKED[kind].tables
        )
        for row in conn.execute(
            f"SELECT key, max(at) AS at FROM mark WHERE kind = ? AND key NOT IN ({present})"
            " GROUP BY key",
            (kind,),
        ):
            known = _latest(conn, kind, row["key"])
            if known is not None and known["digest"]:
                yield f"{_told(kind, row['key'])}, stored on {known['at']}, was taken away."


def _chain_faults(conn: sqlite3.Connection, kind: str) -> Iterator[str]:
    previous, expected = GENESIS, 1
    for row in conn.execute("SELECT * FROM mark WHERE kind = ? ORDER BY position", (kind,)):
        parts = (kind, expected, row["key"], row["digest"], row["at"], row["origin"])
        wanted = mark_hash(parts, previous)
        if row["position"] != expected or row["hash"] != wanted:
            yield f"Mark {expected} of kind {kind} is missing or was changed."
            return
        previous, expected = wanted, expected + 1


def _second_times(conn: sqlite3.Connection, kind: str) -> Iterator[str]:
    """What was stored anew though it is final: it was taken away in between."""
    if not MARKED[kind].is_final:
        return
    for row in conn.execute(
        "SELECT key, max(at) AS at FROM mark WHERE kind = ? AND origin = ?"
        " GROUP BY key HAVING count(*) > 1",
        (kind, STORED),
    ):
        yield f"{_told(kind, row['key'])} was taken away and another stored on {row['at']}."


def _told(kind: str, key: str) -> str:
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
