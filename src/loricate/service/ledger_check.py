"""Checking everything that was issued and stored, in a process of its own; who asks shares it."""

import asyncio
import sqlite3
from collections.abc import Callable, Sequence
from contextlib import closing
from dataclasses import dataclass
from functools import wraps
from itertools import islice
from pathlib import Path

from loricate.certificates.agreeing import check_ledger
from loricate.certificates.heads import Found, ledger_faults, read_heads
from loricate.records import (
    carrying,
    ledger,
    marks,
    regrading,
    restorings,
    retention,
    searching,
    site_keys,
)
from loricate.records.kept_files import PAPERS
from loricate.records.store import open_connection
from loricate.service.head_keeping import texts_in
from loricate.service.kept_papers import AllPapers
from loricate.service.places import carried_databases
from loricate.service.workroom import Workroom

WITHIN_S = 600.0


@dataclass(frozen=True, slots=True)
class Checked:
    """How much was looked at, and everything that is wrong."""

    entries: int
    faults: tuple[str, ...]
    heads: int = 0
    notes: tuple[str, ...] = ()


def _readable(work: Callable[..., Checked]) -> Callable[..., Checked]:
    """Have records that cannot be read at all be a fault like others, not a defect."""

    @wraps(work)
    def told(database: Path, folders: Sequence[Path], benches: frozenset[str]) -> Checked:
        try:
            return work(database, folders, benches)
        except sqlite3.Error as error:
            hint = "they are damaged, or of an older version until the service was started once"
            return Checked(0, (f"The records cannot be read ({error}): {hint}.",))

    return told


def _everywhere(work: Callable[..., Checked]) -> Callable[..., Checked]:
    """Check what was carried in as well; whatever is wrong there names its bench."""

    @wraps(work)
    def told(database: Path, folders: Sequence[Path], benches: frozenset[str]) -> Checked:
        found = work(database, folders, benches)
        for carried in carried_databases(database.parent):
            name, own = _name_of(carried), work(carried, (), frozenset())
            found = Checked(
                found.entries + own.entries,
                (*found.faults, *(f"{name}: {each}" for each in own.faults)),
                found.heads,
                (*found.notes, *(f"{name}: {each}" for each in own.notes)),
            )
        return found

    return told


def _name_of(carried: Path) -> str:
    """The bench whose records were carried in; its site's id where they cannot be read."""
    try:
        with closing(open_connection(carried, read_only=True)) as conn:
            return carrying.files_in(conn)[0].bench
    except (sqlite3.Error, IndexError):
        return carried.parent.name


@_everywhere
@_readable
def ledger_state(database: Path, folders: Sequence[Path], benches: frozenset[str]) -> Checked:
    """Hold every document of the ledger against its row, seal, chain and paper, and the heads."""
    conn = open_connection(database, read_only=True)
    try:
        outside = _heads(conn, folders, benches)
        heads = outside.heads
        papers = AllPapers(database.parent / PAPERS, conn)
        found = check_ledger(ledger.whole_ledger(conn), site_keys.key_set(conn), papers)
        faults = (*found.faults, *outside.faults, *ledger_faults(heads, found.hashes))
        return Checked(found.entries, faults, len(heads), _notes(conn))
    finally:
        conn.close()


@_everywhere
@_readable
def records_state(database: Path, folders: Sequence[Path], benches: frozenset[str]) -> Checked:
    """Hold every record against its mark, and the marks against the heads.

    What refers to others is followed, what is searched is held against what it was taken from, and
    everything is graded again.
    """
    conn = open_connection(database, read_only=True)
    try:
        outside = _heads(conn, folders, benches)
        heads = outside.heads
        conn.execute("BEGIN")  # one moment of the records, after the heads', however long it takes
        faults = list(islice(marks.faults(conn), marks.MOST_FAULTS))
        faults += outside.faults
        for head in heads:
            faults += marks.head_faults(conn, head.at, head.chains)
        sound = conn.execute("PRAGMA quick_check").fetchall()
        faults += [f"The file is damaged: {row[0]}" for row in sound if row[0] != "ok"]
        faults += [
            f"A row of {row['table']} refers to one of {row['parent']} that is not there."
            for row in conn.execute("PRAGMA foreign_key_check")
        ]
        for others in (
            searching.strays(conn),
            retention.strays(conn),
            regrading.disagreeing(conn),
            carrying.mark_faults(conn),
        ):
            faults += islice(others, marks.MOST_FAULTS)
        told = tuple(dict.fromkeys(faults))[: marks.MOST_FAULTS]
        return Checked(marks.count(conn), told, len(heads), _notes(conn))
    finally:
        conn.close()


def _heads(conn: sqlite3.Connection, folders: Sequence[Path], benches: frozenset[str]) -> Found:
    """The heads that the records must agree with: all but those of a time that is known as lost."""
    lost = restorings.restorings(conn)
    found = read_heads(texts_in(folders, benches), site_keys.key_set(conn))
    standing = [head for head in found.heads if not any(each.covers(head.at) for each in lost)]
    return Found(standing, found.strange)


def _notes(conn: sqlite3.Connection) -> tuple[str, ...]:
    return tuple(
        f"On {each.restored_at[:16]}Z {each.restored_by} restored the records from the backup of "
        f"{each.backup_at[:16]}Z: what was stored between is lost."
        for each in restorings.restorings(conn)
    )


class LedgerCheck:
    """One check of each sort at a time."""

    def __init__(self, database: Path, folders: Sequence[Path], benches: frozenset[str]) -> None:
        self._given = database, tuple(folders), benches
        self.room = Workroom("ledger", within_s=WITHIN_S)
        self._going: dict[str, asyncio.Task[Checked]] = {}

    async def ledger(self) -> Checked:
        """The state of the ledger, checked since this was asked or at the same time."""
        return await self._shared("ledger")

    async def records(self) -> Checked:
        """The state of the records, likewise."""
        return await self._shared("records")

    async def _shared(self, sort: str) -> Checked:
        going = self._going.get(sort)
        if going is None or going.done():
            work = ledger_state if sort == "ledger" else records_state
            going = asyncio.create_task(self.room.do(work, *self._given))
            self._going[sort] = going
        return await asyncio.shield(going)

    def close(self) -> None:
        """Stop."""
        for going in self._going.values():
            going.cancel()
        self.room.close()
