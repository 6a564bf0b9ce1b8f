"""The database file: one function opens connections, one writer owns the write connection.

Whatever is written is marked in the same transaction (see ``marks``).
"""

import asyncio
import os
import re
import sqlite3
import threading
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import resources
from itertools import islice
from pathlib import Path
from typing import TypeVar

from loricate.records import audit, marks, migrating
from loricate.records.errors import NewerDatabase, StorageFull
from loricate.records.kept_files import PAPERS
from loricate.records.stamps import begin_after, new_id, now

R = TypeVar("R")
READERS = 4
CHANGED = "found changed from outside"
FIRST_RESOLVED = 12  # the migration since which a release keeps what it was resolved to


# Tables whose ids are given in the order of time.
WITH_IDS = (
    "run",
    "unit",
    "zeroing",
    "impedance_zero",
    "daily_check",
    "fixture_service",
    "remark",
    "ambient",
    "captured_unit",
    "capture_decision",
    "column_map",
    "series",
    "kept_reading",
    "item",
    "receipt",
)


def _newest_id(conn: sqlite3.Connection) -> str | None:
    found = [conn.execute(f"SELECT max(id) FROM {table}").fetchone()[0] for table in WITH_IDS]
    return max((each for each in found if each), default=None)


def _make_private(path: Path) -> None:
    """Make a file, if need be, that only its owner reads; what SQLite puts beside it follows."""
    os.close(os.open(path, os.O_RDWR | os.O_CREAT, 0o600))
    path.chmod(0o600)


def open_connection(path: Path, read_only: bool = False) -> sqlite3.Connection:
    """Open the database with every pragma set; the caller closes it."""
    mode = "ro" if read_only else "rwc"
    if not read_only:
        _make_private(path)
    conn = sqlite3.connect(
        f"file:{path}?mode={mode}", uri=True, isolation_level=None, check_same_thread=False
    )
    conn.row_factory = sqlite3.Row
    conn.execute("PRAGMA foreign_keys = ON")
    conn.execute("PRAGMA busy_timeout = 5000")
    if not read_only:
        conn.execute("PRAGMA journal_mode = WAL")
        # A graded attempt that was acknowledged must survive a power cut.
        conn.execute("PRAGMA synchronous = FULL")
        # Copying the log into the database less often costs disk, not durability.
        conn.execute("PRAGMA wal_autocheckpoint = 8000")
    return conn


@contextmanager
def atomic(conn: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """A transaction; any exception rolls it back. A full disk becomes StorageFull."""
    try:
        conn.execute("BEGIN IMMEDIATE")
        yield conn
        conn.execute("COMMIT")
    except BaseException as error:
        if conn.in_transaction:
            conn.execute("ROLLBACK")
        if isinstance(error, sqlite3.OperationalError) and "full" in str(error):
            raise StorageFull from error
        raise


def migrations() -> dict[int, str]:
    """The numbered SQL files that ship, by number."""
    found: dict[int, str] = {}
    for file in (resources.files("loricate.records") / "migrations").iterdir():
        matched = re.fullmatch(r"(\d{4})_\w+\.sql", file.name)
        if matched:
            number = int(matched.group(1))
            if number in found:
                raise ValueError(f"Two migrations have the number {number}.")
            found[number] = file.read_text(encoding="utf-8")
    return found


@dataclass(frozen=True, slots=True)
class SiteOf:
    """The site that records are of, where they were carried in from another one."""

    id: str
    since: str


def migrate(
    path: Path, scripts: dict[int, str] | None = None, site: SiteOf | None = None
) -> list[int]:
    """Bring the database up to date; gives the numbers applied.

    A database that holds anything is copied to ``NAME.before-NNNN`` first. One that was carried in
    is given its ``site``: its own audit trail stays as it came. Raises NewerDatabase when a later
    version wrote it.
    """
    scripts = migrations() if scripts is None else scripts
    conn = open_connection(path)
    migrating.add_functions(conn, path.parent / PAPERS)
    # A table that others refer to may be made anew: what is left alone is looked for after each.
    conn.execute("PRAGMA foreign_keys = OFF")
    try:
        version = int(conn.execute("PRAGMA user_version").fetchone()[0])
        known = max(scripts, default=0)
        if version > known:
            raise NewerDatabase(str(path), version, known)
        pending = sorted(number for number in scripts if number > version)
        # A new version of the records is marked anew: what was changed before is told before that.
        changed = (
            list(islice(marks.faults(conn), marks.MOST_FAULTS))
            if pending and _is_marked(conn)
            else []
        )
        if pending and version > 0:
            kept = path.with_name(f"{path.name}.before-{pending[0]:04}")
            _make_private(kept)
            backup = sqlite3.connect(kept)
            with backup:
                conn.backup(backup)
            backup.close()
        for number in pending:
            _apply(conn, number, scripts[number], site)
        if FIRST_RESOLVED in pending:
            with atomic(conn):
                for each in migrating.resolve_released(conn):
                    audit.note(conn, "service", "left unresolved", "sequence", each)
        if _is_marked(conn) and (pending or not marks.count(conn)):
            with atomic(conn):
                for each in changed:
                    note = audit.note if site is None else audit.note_before_all
                    note(conn, "service", CHANGED, path.name, each)
                marks.mark_all(conn)
        return pending
    finally:
        conn.close()


def _apply(conn: sqlite3.Connection, number: int, script: str, site: SiteOf | None = None) -> None:
    """Apply one migration whole; raises sqlite3.Error and leaves nothing of it where it cannot."""
    before = _alone(conn)
    try:
        own = site or SiteOf(_site_of(conn), now())
        script = script.replace("$site", own.id).replace("$now", own.since)
        conn.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};")
        if lost := sorted((_alone(conn) - before).keys()):
            raise sqlite3.IntegrityError(f"Migration {number} leaves rows of {lost} alone.")
        conn.execute("COMMIT")
    except sqlite3.Error:
        if conn.in_transaction:
            conn.execute("ROLLBACK")
        raise


def _site_of(conn: sqlite3.Connection) -> str:
    """The id of the site that the records are of; a fresh one for records that have none yet."""
    if conn.execute("SELECT 1 FROM sqlite_master WHERE name = 'site'").fetchone() is None:
        return new_id()
    return str(conn.execute("SELECT id FROM site").fetchone()[0])


def _alone(conn: sqlite3.Connection) -> Counter[str]:
    """How many rows of each table refer to something that is not there."""
    return Counter(str(row["table"]) for row in conn.execute("PRAGMA foreign_key_check"))


def _is_marked(conn: sqlite3.Connection) -> bool:
    return conn.execute("SELECT 1 FROM sqlite_master WHERE name = 'mark'").fetchone() is not None


class Readers:
    """Records that are read; ``read`` keeps SQLite off the event loop."""

    def __init__(self, path: Path, readers: int = READERS) -> None:
        self.path, self.papers = path, path.parent / PAPERS
        self._readers = ThreadPoolExecutor(readers, thread_name_prefix="records-reader")
        # Who wants to abort waits behind no list and no search.
        self._urgent = ThreadPoolExecutor(1, thread_name_prefix="records-urgent")
        self._local = threading.local()
        self._reading: list[sqlite3.Connection] = []

    def read_now(self, work: Callable[[sqlite3.Connection], R]) -> R:
        """Run ``work`` on a read-only connection; for code that is not asynchronous."""
        return self._readers.submit(self._reading_with, work).result()

    async def read(self, work: Callable[[sqlite3.Connection], R]) -> R:
        """Run ``work`` on a read-only connection."""
        return await asyncio.wrap_future(self._readers.submit(self._reading_with, work))

    async def read_urgent(self, work: Callable[[sqlite3.Connection], R]) -> R:
        """As ``read``, past whatever others have asked for; for what is over in a moment."""
        return await asyncio.wrap_future(self._urgent.submit(self._reading_with, work))

    def _reading_with(self, work: Callable[[sqlite3.Connection], R]) -> R:
        conn: sqlite3.Connection | None = getattr(self._local, "conn", None)
        if conn is None:
            conn = self._local.conn = open_connection(self.path, read_only=True)
            self._reading.append(conn)
        return work(conn)

    def close(self) -> None:
        """Finish what is queued and close every connection."""
        self._readers.shutdown()
        self._urgent.shutdown()
        for conn in self._reading:
            conn.close()


class Store(Readers):
    """The records of one service. ``write`` keeps SQLite off the event loop as well."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        migrate(path)
        super().__init__(path)
        self._write_conn = open_connection(path)
        marks.watch(self._write_conn)
        if newest := _newest_id(self._write_conn):
            begin_after(newest)
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="records-writer")

    def write_now(self, work: Callable[[sqlite3.Connection], R]) -> R:
        """Run ``work`` in one transaction on the writer; for code that is not asynchronous."""
        return self._writer.submit(self._in_transaction, work).result()

    async def write(self, work: Callable[[sqlite3.Connection], R]) -> R:
        """Run ``work`` in one transaction on the writer; durable when it returns."""
        return await asyncio.wrap_future(self._writer.submit(self._in_transaction, work))

    def _in_transaction(self, work: Callable[[sqlite3.Connection], R]) -> R:
        with atomic(self._write_conn) as conn:
            result = work(conn)
            for each in marks.mark_touched(conn):
                audit.note(conn, "service", CHANGED, self.path.name, each)
            marks.mark_touched(conn)
            return result

    def close(self) -> None:
        """Finish what is queued and close every connection."""
        self._writer.shutdown()
        super().close()
        self._write_conn.close()
