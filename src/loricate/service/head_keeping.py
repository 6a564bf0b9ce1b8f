"""Signed heads of the ledger, kept outside of it: with every document issued, and every day.

They lie in ``ledger-heads/BENCH/`` in the data folder, in the folder of the exports and wherever
else the site wants them, a file a day and start. A service that starts on records which have lost
their end, or were restored from an older backup, finds that out from them, says so, and gives no
number twice. No service writes over the heads of another, nor over one that what is there now
contradicts.
"""

import asyncio
import logging
import os
import sqlite3
from collections.abc import Collection, Iterator, Sequence
from pathlib import Path
from typing import Any

from loricate.certificates.heads import Head, last_numbers, read_heads
from loricate.records import ledger, marks, site_keys
from loricate.records.stamps import now
from loricate.records.store import Store
from loricate.service.keyring import Keyring

FOLDER = "ledger-heads"
LOOK_AGAIN_S = 600.0
MOST_BYTES = 16 * 2**10  # of a head's file
logger = logging.getLogger("loricate.certificates")


def texts_in(folders: Sequence[Path], benches: Collection[str]) -> Iterator[str]:
    """What the files of some benches' heads in some folders hold, whoever wrote them."""
    for path in (
        path
        for folder in folders
        for bench in sorted(benches)
        for path in sorted((folder / FOLDER / bench).glob("*.jws"))
    ):
        try:
            with path.open("rb") as file:
                yield file.read(MOST_BYTES).decode("ascii", "replace")
        except OSError as error:
            logger.warning("head not read", extra={"reason": str(error)})


def benches_of(data_folder: Path) -> frozenset[str]:
    """The codes that the bench of a data folder has had: others keep heads elsewhere as well."""
    return frozenset(path.name for path in (data_folder / FOLDER).glob("*") if path.is_dir())


def present_head(conn: sqlite3.Connection, site: str, bench: str) -> Head:
    """The head of the records as they are."""
    last = ledger.last_entry(conn)
    position, hashed = (0, "") if last is None else (last.position, last.hash)
    numbers = ledger.last_numbers(conn)
    return Head(site, bench, now(), position, hashed, numbers, marks.ends(conn))


class HeadKeeper:
    """Writes and reads the heads of one site; what cannot be written is logged, and named."""

    def __init__(
        self, store: Store, keys: Keyring, site: str, bench: str, folders: Sequence[Path]
    ) -> None:
        self.store, self.keys, self.folders = store, keys, tuple(folders)
        self.site, self.bench = site, bench
        self.benches = benches_of(store.path.parent) | {bench}
        self.unwritten: dict[Path, str] = {}
        self._last: Head | None = None
        self._life = now()[11:19].replace(":", "")

    async def open(self) -> None:
        """Learn from the heads which numbers were given, whatever the records say."""
        known = await self.known()
        taken = last_numbers(known)
        given = await self.store.read(ledger.last_numbers)
        lost = {each: last for each, last in taken.items() if last > given.get(each, 0)}
        if lost:
            logger.error("numbers were given that the ledger does not have", extra={"last": lost})
            await self.store.write(lambda conn: ledger.take_numbers(conn, lost))

    async def known(self) -> list[Head]:
        """Every head that is kept, signed with a key of this site."""
        keys = await self.store.read(site_keys.key_set)
        return await asyncio.to_thread(self._read, keys)

    def _read(self, keys: dict[str, Any]) -> list[Head]:
        return read_heads(texts_in(self.folders, self.benches), keys).heads

    async def last_number(self, series: str) -> int:
        """The last number of a series that was ever given."""
        given = await self.store.read(ledger.last_numbers)
        return given.get(series, 0)

    async def keep(self) -> None:
        """Sign what there is and put it outside."""
        head, goes_on = await self.store.read(self._look)
        if not goes_on:
            # What the last one says is evidence; it is not written over.
            logger.error("the records are not those of a moment ago; see `records check`")
            self._life = now()[11:19].replace(":", "")
        self._last = head
        name = f"{head.at[:10]}-{self._life}.jws"
        await asyncio.to_thread(self._write, name, head.sign(self.keys.documents))

    def _look(self, conn: sqlite3.Connection) -> tuple[Head, bool]:
        """The head of now, and whether the last one is a part of it."""
        head, last = present_head(conn, self.site, self.bench), self._last
        if last is None:
            return head, True
        at_last = ledger.hash_at(conn, last.position)
        changed = list(marks.head_faults(conn, last.at, last.chains))
        return head, not changed and (not last.position or at_last == last.hash)

    def _write(self, name: str, compact: str) -> None:
        for folder in self.folders:
            target = folder / FOLDER / self.bench / name
            try:
                target.parent.mkdir(parents=True, exist_ok=True)
                beside = target.with_suffix(".new")
                with beside.open("w", encoding="ascii") as file:
                    file.write(f"{compact}\n")
                    file.flush()
                    os.fsync(file.fileno())
                beside.replace(target)
                self.unwritten.pop(folder, None)
            except OSError as error:
                self.unwritten[folder] = str(error)
                logger.exception("head of the ledger not kept", extra={"folder": str(folder)})

    async def keep_daily(self) -> None:
        """Keep one each day, until cancelled."""
        while True:
            if self._last is None or now()[:10] != self._last.at[:10]:
                try:
                    await self.keep()
                except Exception:
                    logger.exception("head of the ledger not kept; tried again soon")
            await asyncio.sleep(LOOK_AGAIN_S)
