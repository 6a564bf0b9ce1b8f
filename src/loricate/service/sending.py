"""Sending what waits in the outbox, until it has got there; nothing waits for it."""

import asyncio
import logging
import sqlite3
from collections.abc import Callable, Mapping
from functools import partial

from loricate.records import certificates, outbox
from loricate.records.kept_files import read_file
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.exporting import Exporter

EXPORT = "export"
LOOK_S = 1.0  # how often what was put off is looked for
logger = logging.getLogger("loricate.outbox")


class Sender:
    """Sends entry after entry, the oldest first; what cannot be sent is tried again later."""

    def __init__(self, store: Store, exporter: Exporter) -> None:
        self.store, self.exporter = store, exporter
        self._targets: Mapping[str, Callable[[Outgoing], None]] = {EXPORT: self._export}
        self._wanted = asyncio.Event()
        self._sending: asyncio.Task[None] | None = None

    def open(self) -> None:
        """Begin with what a service before this one left."""
        self._sending = asyncio.create_task(self._send_all())

    def look(self) -> None:
        """Look now for what is to be sent."""
        self._wanted.set()

    async def close(self) -> None:
        """Leave what waits to the next start."""
        if self._sending is not None:
            self._sending.cancel()
            await asyncio.wait([self._sending])

    async def _send_all(self) -> None:
        while True:
            try:
                for outgoing in await self.store.read(outbox.due_outgoing):
                    await self._send(outgoing)
            except Exception:
                logger.exception("the outbox is looked at again soon")
            self._wanted.clear()
            try:
                await asyncio.wait_for(self._wanted.wait(), LOOK_S)
            except TimeoutError:
                pass

    async def _send(self, outgoing: Outgoing) -> None:
        try:
            await asyncio.to_thread(self._targets[outgoing.target], outgoing)
        except (OSError, LookupError) as error:
            problem = str(error) or type(error).__name__
            if problem != outgoing.problem:
                told = {"subject": outgoing.subject, "reason": problem}
                logger.warning("not sent yet", extra=told)
            await self.store.write(partial(self._put_off, outgoing, problem))
        else:
            await self.store.write(partial(self._sent, outgoing))

    @staticmethod
    def _put_off(outgoing: Outgoing, problem: str, conn: sqlite3.Connection) -> None:
        outbox.set_problem(conn, outgoing, problem)

    @staticmethod
    def _sent(outgoing: Outgoing, conn: sqlite3.Connection) -> None:
        outbox.set_sent(conn, outgoing.id)

    def _export(self, outgoing: Outgoing) -> None:
        entry = self.store.read_now(partial(self._entry, outgoing.subject))
        pdf = read_file(self.store.papers, entry.paper)
        if pdf is None:
            raise FileNotFoundError(f"The paper of {entry.number} is gone or was changed.")
        self.exporter.write(outgoing.facts, {"pdf": pdf, "json": entry.sealed.encode()})

    @staticmethod
    def _entry(number: str, conn: sqlite3.Connection) -> certificates.LedgerEntry:
        return certificates.get_numbered(conn, number)
