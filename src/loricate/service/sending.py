"""Sending what waits in the outbox, until it has got there; nothing waits for it.

Papers are made here as well: they go to the folder of papers, and from there further. So are the
summaries of lots that were closed.
"""

import asyncio
import contextlib
import logging
import sqlite3
from collections.abc import Awaitable, Callable, Iterator
from functools import partial

from loricate.records import outbox
from loricate.records.outbox import Outgoing
from loricate.records.papers import PAPER
from loricate.records.store import Store
from loricate.service.exporting import Exporter
from loricate.service.paper_making import EXPORT, paper_as_it_stands

LOOK_S = 1.0  # how often what was put off is looked for
logger = logging.getLogger("loricate.outbox")
Send = Callable[[Outgoing], Awaitable[None]]


class Sender:
    """Sends what is due, of each target the oldest first; what cannot be sent is tried again."""

    def __init__(self, store: Store, exporter: Exporter, make_paper: Send, makers: int) -> None:
        self.store, self.exporter = store, exporter
        self._targets: dict[str, tuple[Send, int]] = {}
        self._wanted: dict[str, asyncio.Event] = {}
        self.add(PAPER, make_paper, makers)
        self.add(EXPORT, self._export)
        self._sending: list[asyncio.Task[None]] = []
        self._is_closed = False

    def add(self, target: str, send: Send, at_once: int = 1) -> None:
        """Send what waits for a target in this way, so many at once; before it is opened."""
        self._targets[target] = send, at_once
        self._wanted[target] = asyncio.Event()

    def open(self) -> None:
        """Begin with what a service before this one left."""
        self._sending = [asyncio.create_task(self._send_all(each)) for each in self._targets]

    def look(self) -> None:
        """Look now for what is to be sent."""
        for wanted in self._wanted.values():
            wanted.set()

    async def close(self) -> None:
        """Leave what waits to the next start."""
        self._is_closed = True
        for each in self._sending:
            each.cancel()
        if self._sending:
            await asyncio.wait(self._sending)

    async def _send_all(self, target: str) -> None:
        send, at_once = self._targets[target]
        wanted = self._wanted[target]
        while not self._is_closed:
            wanted.clear()
            try:
                due = await self.store.read(partial(_due, target))
                waiting = iter(due)
                async with asyncio.TaskGroup() as group:
                    for _ in range(min(at_once, len(due))):
                        group.create_task(self._send_each(waiting, send))
                if due:
                    self.look()  # there may be more, and what follows on these
            except Exception:
                logger.exception("the outbox is looked at again soon")
            # Not ``wait_for``: where what it waits for comes with a cancellation, that one is lost.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(LOOK_S):
                    await wanted.wait()

    async def _send_each(self, waiting: Iterator[Outgoing], send: Send) -> None:
        for outgoing in waiting:
            await self._send(outgoing, send)

    async def _send(self, outgoing: Outgoing, send: Send) -> None:
        try:
            await send(outgoing)
        except Exception as error:  # whatever is wrong with one holds up no other
            problem = str(error) or type(error).__name__
            if problem != outgoing.problem:
                told = {"subject": outgoing.subject, "reason": problem}
                logger.warning("not sent yet", extra=told)
            await self.store.write(partial(_put_off, outgoing, problem))

    async def _export(self, outgoing: Outgoing) -> None:
        sealed, pdf = await paper_as_it_stands(self.store, outgoing.subject)
        contents = {"pdf": pdf, "json": sealed.encode()}
        await asyncio.to_thread(self.exporter.write, outgoing.facts, contents)
        await self.store.write(partial(_sent, outgoing))


def _due(target: str, conn: sqlite3.Connection) -> list[Outgoing]:
    return outbox.due_outgoing(conn, target)


def _put_off(outgoing: Outgoing, problem: str, conn: sqlite3.Connection) -> None:
    outbox.set_problem(conn, outgoing, problem)


def _sent(outgoing: Outgoing, conn: sqlite3.Connection) -> None:
    outbox.set_sent(conn, outgoing.id)
