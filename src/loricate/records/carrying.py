"""Carrying records: what of them another service has not got yet, and taking in what comes.

Records go as rows, each with its marks: who takes them in holds every record against its mark, and
every mark against the chain that it had before. What came in stands in a database of its own, as it
stood at its bench.
"""

import base64
import json
import re
import sqlite3
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, Self, TextIO

from loricate.core.json_text import JsonRefused, read_json
from loricate.records import marks
from loricate.records.marks import GENESIS, MARKED, Marked, mark_hash
from loricate.records.packing import PackRefused
from loricate.records.stamps import new_id

FORMAT = "loricate-carried/1"
MANIFEST, RECORDS = "manifest.jws", "records.jsonl"
# Who may sign in at a bench, and with what, is nobody else's; nor what others have carried there.
STAY = ("account", "carried file", "receipt")
# A row comes after those whose change would have it looked at anew, such as a unit after readings.
LAST = ("unit in a run", "let go", "issued document", "about")
KINDS = (*(kind for kind in MARKED if kind not in (*STAY, *LAST)), *LAST)
FIRST_VERSION = 26  # of records that can be carried
SITE_ID = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
Ends = dict[str, tuple[int, str]]  # of each chain of marks: how many, and the last hash


@dataclass(frozen=True, slots=True)
class Manifest:
    """What a carried file holds, of which bench, from where to where of each chain of marks."""

    format: str
    site: str
    since: str
    name: str
    bench: str
    version: int
    made_at: str
    begins: Ends
    ends: Ends
    members: dict[str, str]
    missing: int  # papers that were gone there
    jwk: dict[str, Any]

    @classmethod
    def read(cls, content: bytes) -> "Manifest":
        """A manifest from its JSON; raises PackRefused."""
        try:
            told = read_json(content, most_names=50_000_000)
            if told["format"] != FORMAT:
                raise PackRefused(
                    f"The file is of the form {told['format']!r:.40}; {FORMAT} is known."
                )
            made = cls(
                **{**told, "begins": read_ends(told["begins"]), "ends": read_ends(told["ends"])}
            )
            if not SITE_ID.fullmatch(made.site):
                raise ValueError("its site has no id")
            return made
        except (JsonRefused, KeyError, TypeError, ValueError, AttributeError) as error:
            raise PackRefused(f"What the file says of itself cannot be read ({error}).") from error


def read_ends(told: Any) -> Ends:
    """The ends of chains as JSON has them; raises ValueError, TypeError, AttributeError."""
    return {str(kind): (int(count), str(last)) for kind, (count, last) in told.items()}


class OtherChain(PackRefused):
    """Two chains of marks of one site have parted: its records were put back from a backup."""

    @classmethod
    def at(cls, kind: str, position: int) -> Self:
        """From this mark on."""
        return cls(
            f"Mark {position} of kind {kind} is another than the one that came before: the records "
            "of this bench were put back from a backup since, or somebody has made them anew. What "
            "came before stays; find out which of the two is true before anything is carried on."
        )


@dataclass(frozen=True, slots=True)
class Written:
    """What was written to be carried."""

    ends: Ends
    records: int
    papers: tuple[str, ...]
    pictures: tuple[str, ...]


def ends_of(conn: sqlite3.Connection) -> Ends:
    """How far each chain goes of what is carried."""
    return {kind: end for kind, end in marks.ends(conn).items() if kind in KINDS}


def write_records(
    conn: sqlite3.Connection, begins: Ends, to: TextIO, but: Collection[str] = ()
) -> Written:
    """Write what was marked after ``begins``, one JSON object a line.

    Kinds of record that are left out (``but``) come whole with a later file.

    The connection must see one moment throughout. Raises OtherChain where whoever has what came
    before has something else, and PackRefused where a record is not as it was stored.
    """
    kinds = [kind for kind in KINDS if kind not in but]
    ends = {kind: end for kind, end in ends_of(conn).items() if kind in kinds}
    records = 0
    kept: dict[str, list[str]] = {"paper": [], "picture": []}
    for kind in kinds:
        begin, known = begins.get(kind, (0, GENESIS))
        if hash_at(conn, "mark", kind, begin) != known:
            raise OtherChain.at(kind, begin)
        rows = conn.execute(
            "SELECT kind, position, key, digest, at, origin, hash FROM mark"
            " WHERE kind = ? AND position > ? ORDER BY position",
            (kind, begin),
        )
        for row in rows:
            print(json.dumps({"mark": list(row)}, separators=(",", ":")), file=to)
        for key, digest in _newest(conn, "mark", kind, begin):
            if marks.digest_of(conn, MARKED[kind], key) != digest:
                raise PackRefused(
                    f"{marks.told(kind, key)} is not as it was stored; see `loricate records "
                    "check`. Nothing was carried out."
                )
            rows_of = _rows_of(conn, MARKED[kind], key)
            print(
                json.dumps({"kind": kind, "key": key, "rows": rows_of}, separators=(",", ":")),
                file=to,
            )
            records += 1
            if kind in kept:
                kept[kind] += [str(each["digest"]) for each in rows_of.get(kind, ())]
    return Written(ends, records, tuple(kept["paper"]), tuple(kept["picture"]))


def hash_at(conn: sqlite3.Connection, table: str, kind: str, position: int) -> str:
    """The hash of a mark; of the beginning before the first, empty where there is none."""
    if position == 0:
        return GENESIS
    row = conn.execute(
        f"SELECT hash FROM {table} WHERE kind = ? AND position = ?", (kind, position)
    ).fetchone()
    return "" if row is None else str(row["hash"])


def _newest(
    conn: sqlite3.Connection, table: str, kind: str, after: int
) -> Iterator[tuple[str, str]]:
    """Each record that was marked after a position, with its newest digest."""
    rows = conn.execute(
        f"SELECT key, digest, max(position) FROM {table} WHERE kind = ? AND position > ?"
        " GROUP BY key",
        (kind, after),
    )
    for row in rows:
        yield str(row["key"]), str(row["digest"])


def _rows_of(conn: sqlite3.Connection, marked: Marked, key: str) -> dict[str, list[dict[str, Any]]]:
    """The rows of a record by table; none where it was taken away."""
    where = " AND ".join(f"{name} IS ?" for name in marked.key)
    return {
        table: [
            {name: _packed(row[name]) for name in row.keys()}
            for row in conn.execute(f"SELECT * FROM {table} WHERE {where}", json.loads(key))
        ]
        for table in marked.tables
    }


def _packed(value: Any) -> Any:
    return {"base64": base64.b64encode(value).decode()} if type(value) is bytes else value


def _unpacked(value: Any) -> Any:
    return base64.b64decode(value["base64"]) if isinstance(value, dict) else value


@dataclass(frozen=True, slots=True)
class TakenIn:
    """What a file brought that was not there yet: records, documents, and units in runs."""

    records: int = 0
    documents: int = 0
    units: int = 0


def carried_ends(conn: sqlite3.Connection) -> Ends:
    """How far each chain of a bench has come in."""
    row = conn.execute("SELECT ends FROM carried ORDER BY position DESC LIMIT 1").fetchone()
    return {} if row is None else read_ends(json.loads(row["ends"]))


class TakingIn:
    """Takes in the lines of one file, in one transaction of records that were carried in.

    Everything that came before may come again: each mark is held against the one that is there.
    """

    def __init__(self, conn: sqlite3.Connection, manifest: Manifest) -> None:
        self.conn, self.manifest = conn, manifest
        marked_there = marks.marked_at(manifest.version)
        self.kinds = {kind: marked_there[kind] for kind in KINDS if kind in marked_there}
        self.had = carried_ends(conn)
        self.ends = dict(self.had)
        self._columns = {
            table: {
                str(row["name"]) for row in conn.execute(f"PRAGMA table_info({table})").fetchall()
            }
            for marked in self.kinds.values()
            for table in marked.tables
        }
        for kind, (begin, known) in manifest.begins.items():
            have = self.had.get(kind, (0, GENESIS))[0]
            if begin > have:
                raise PackRefused(
                    f"Something is missing before this file: it begins after mark {begin} of kind "
                    f"{kind}, and {have} have come. Take in the file before it first, or carry "
                    "everything out there (`loricate carry out --all`)."
                )
            if hash_at(conn, "carried_mark", kind, begin) != known:
                raise OtherChain.at(kind, begin)

    def take(self, lines: Iterable[str]) -> TakenIn:
        """Take in all lines; raises PackRefused, and sqlite3.Error for rows that do not fit."""
        self.conn.execute("PRAGMA defer_foreign_keys = ON")
        records = 0
        for line in lines:
            told = json.loads(line)  # as it was signed: who could write it otherwise, could as well
            if "mark" in told:
                self._take_mark(*told["mark"])
            else:
                records += self._take_record(told["kind"], told["key"], told["rows"])
        for kind, end in self.manifest.ends.items():
            if self.ends.get(kind, (0, GENESIS))[0] < end[0]:
                raise PackRefused(f"Marks of kind {kind} are missing in the file.")
            if hash_at(self.conn, "carried_mark", kind, end[0]) != end[1]:
                raise OtherChain.at(kind, end[0])
        self._check()
        return TakenIn(records, self._new("issued document"), self._new("unit in a run"))

    def _new(self, kind: str) -> int:
        begin = self.had.get(kind, (0, GENESIS))[0]
        keys = self.conn.execute(
            "SELECT count(DISTINCT key) FROM carried_mark AS new WHERE kind = ?1 AND position > ?2"
            " AND NOT EXISTS (SELECT 1 FROM carried_mark AS old WHERE old.kind = ?1"
            " AND old.key = new.key AND old.position <= ?2)",
            (kind, begin),
        )
        return int(keys.fetchone()[0])

    def _take_mark(
        self, kind: str, position: int, key: str, digest: str, at: str, origin: str, hashed: str
    ) -> None:
        if kind not in self.kinds:
            raise PackRefused(f"There are no records of kind {kind!r:.40} to be carried.")
        have, last = self.ends.get(kind, (0, GENESIS))
        if position <= have:
            if hash_at(self.conn, "carried_mark", kind, position) != hashed:
                raise OtherChain.at(kind, position)
            return
        wanted = mark_hash((kind, position, key, digest, at, origin), last)
        if position != have + 1 or hashed != wanted:
            raise PackRefused(f"Mark {have + 1} of kind {kind} is missing or was changed.")
        self.conn.execute(
            "INSERT INTO carried_mark (kind, position, key, digest, at, origin, hash)"
            " VALUES (?, ?, ?, ?, ?, ?, ?)",
            (kind, position, key, digest, at, origin, hashed),
        )
        self.ends[kind] = position, hashed

    def _take_record(self, kind: str, key: str, rows: Mapping[str, list[dict[str, Any]]]) -> bool:
        """Whether a record was new, or is another now."""
        marked, values = self.kinds.get(kind), json.loads(key)
        if marked is None or len(values) != len(marked.key):
            raise PackRefused(f"There are no records of kind {kind!r:.40} to be carried.")
        newest = self.conn.execute(
            "SELECT position, digest FROM carried_mark WHERE kind = ? AND key = ?"
            " ORDER BY position DESC LIMIT 1",
            (kind, key),
        ).fetchone()
        if newest is None:
            raise PackRefused(f"{marks.told(kind, key)} came without a mark.")
        if newest["position"] <= self.had.get(kind, (0, GENESIS))[0]:
            return False  # as it came before, or older than that
        # Columns that no digest has may be others nevertheless.
        if not marked.but and marks.digest_of(self.conn, marked, key) == newest["digest"]:
            return False
        for table in marked.tables:
            for row in rows.get(table, ()):
                if row.keys() - self._columns[table] or [row.get(n) for n in marked.key] != values:
                    raise PackRefused(f"{marks.told(kind, key)} came with rows that are not its.")
        where = " AND ".join(f"{name} IS ?" for name in marked.key)
        whole = rows.get(marked.table, [])
        there = self.conn.execute(f"SELECT * FROM {marked.table} WHERE {where}", values).fetchone()
        if there is None and not whole:
            return False  # made and taken away since the last file
        if (
            there is not None
            and kind == "attempt"
            and not (rows.get("reading") or rows.get("curve"))
        ):
            return False  # what its bench has let go stays here; ``_check`` sees that it may
        if there is not None and marked.is_final:
            raise PackRefused(
                f"{marks.told(kind, key)} is another than the one that came before, and it is one "
                "that never changes."
            )
        if there is not None and not whole:
            self.conn.execute(f"DELETE FROM {marked.table} WHERE {where}", values)
        elif there is not None:
            told = {name: _unpacked(value) for name, value in whole[0].items()}
            changed = {name: value for name, value in told.items() if there[name] != value}
            if not changed:
                return False
            sets = ", ".join(f"{name} = ?" for name in changed)
            self.conn.execute(
                f"UPDATE {marked.table} SET {sets} WHERE {where}", (*changed.values(), *values)
            )
        else:
            for table in marked.tables:
                for row in rows.get(table, ()):
                    self.conn.execute(*_insert(table, row))
        return True

    def _check(self) -> None:
        """Hold what came against its marks, and look anew at what is found by it."""
        for kind, marked in self.kinds.items():
            begin = self.had.get(kind, (0, GENESIS))[0]
            for key, digest in _newest(self.conn, "carried_mark", kind, begin):
                found = marks.digest_of(self.conn, marked, key)
                if found != digest and not self._is_from_before(kind, key, found):
                    raise PackRefused(
                        f"{marks.told(kind, key)} is not what its bench has marked: it is missing, "
                        "or was changed on the way."
                    )
        begins = [self.had.get(kind, (0, GENESIS))[0] for kind in ("attempt", "unit in a run")]
        self.conn.execute(
            "INSERT OR REPLACE INTO sought SELECT * FROM to_be_sought WHERE id IN"
            " (SELECT key ->> 0 FROM carried_mark WHERE kind = 'attempt' AND position > ?1"
            " UNION SELECT key ->> 0 FROM carried_mark WHERE kind = 'unit in a run'"
            " AND position > ?2) EXCEPT SELECT * FROM sought",
            begins,
        )

    def _is_from_before(self, kind: str, key: str, digest: str) -> bool:
        """Whether an attempt is as it was marked before its bench let its readings go."""
        if not marks.is_let_go(self.conn, kind, key):
            return False
        before = self.conn.execute(
            "SELECT 1 FROM carried_mark WHERE kind = ? AND key = ? AND digest = ?",
            (kind, key, digest),
        )
        return before.fetchone() is not None


@cache
def _statement(table: str, names: tuple[str, ...]) -> str:
    places = ", ".join("?" * len(names))
    return f"INSERT INTO {table} ({', '.join(names)}) VALUES ({places})"


def _insert(table: str, row: Mapping[str, Any]) -> tuple[str, list[Any]]:
    return _statement(table, tuple(row)), [_unpacked(value) for value in row.values()]


@dataclass(frozen=True, slots=True)
class CameIn:
    """A file that came in: of whom, who signed it, what it brought that was not there yet."""

    file: str  # its SHA-256
    bench: str
    name: str
    kid: str
    made_at: str
    records: int
    documents: int
    units: int
    came_at: str
    account: str


_CAME_IN = "file, bench, name, kid, made_at, records, documents, units, came_at, account"


def keep_file_in(conn: sqlite3.Connection, came: CameIn, manifest: str, ends: Ends) -> None:
    """Keep that a file came in, with what its bench signed."""
    conn.execute(
        f"INSERT INTO carried ({_CAME_IN}, manifest, ends)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            came.file,
            came.bench,
            came.name,
            came.kid,
            came.made_at,
            came.records,
            came.documents,
            came.units,
            came.came_at,
            came.account,
            manifest,
            json.dumps(ends),
        ),
    )


def files_in(conn: sqlite3.Connection) -> list[CameIn]:
    """Every file that came in, the newest first; none in records that nobody carried."""
    rows = conn.execute(f"SELECT {_CAME_IN} FROM carried ORDER BY position DESC")
    return [CameIn(**row) for row in rows]


def mark_faults(conn: sqlite3.Connection) -> Iterator[str]:
    """What is wrong with a bench's own chains of marks, against what it signed for."""
    found: Ends = {}
    for row in conn.execute("SELECT * FROM carried_mark ORDER BY kind, position"):
        kind = row["kind"]
        position, previous = found.get(kind, (0, GENESIS))
        parts = (kind, position + 1, row["key"], row["digest"], row["at"], row["origin"])
        if row["position"] != position + 1 or row["hash"] != mark_hash(parts, previous):
            yield f"Mark {position + 1} of kind {kind}, of the bench itself, was changed."
            return
        found[kind] = position + 1, row["hash"]
    if found != carried_ends(conn):
        yield "The bench's own marks do not end where the last file that came in says."


@dataclass(frozen=True, slots=True)
class Receipt:
    """How far a service has these records."""

    service: str
    name: str
    ends: Ends
    told_at: str


def keep_receipt(conn: sqlite3.Connection, receipt: Receipt, account: str) -> None:
    """Keep what a service has said that it has; raises OtherChain for what these never were."""
    for kind, (position, hashed) in receipt.ends.items():
        if hash_at(conn, "mark", kind, position) != hashed:
            raise OtherChain.at(kind, position)
    conn.execute(
        "INSERT INTO receipt (id, service, name, ends, told_at, account) VALUES (?, ?, ?, ?, ?, ?)",
        (
            new_id(),
            receipt.service,
            receipt.name,
            json.dumps(receipt.ends),
            receipt.told_at,
            account,
        ),
    )


def newest_receipt(conn: sqlite3.Connection) -> Receipt | None:
    """What was said last."""
    row = conn.execute(
        "SELECT service, name, ends, told_at FROM receipt ORDER BY id DESC LIMIT 1"
    ).fetchone()
    if row is None:
        return None
    return Receipt(row["service"], row["name"], read_ends(json.loads(row["ends"])), row["told_at"])


def count_since(conn: sqlite3.Connection, begins: Ends) -> int:
    """How many marks there are after what was carried."""
    return sum(
        position - begins.get(kind, (0, ""))[0] for kind, (position, _) in ends_of(conn).items()
    )
