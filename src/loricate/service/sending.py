"""Sending what waits in the outbox, until it has got there; nothing waits for it.

Whoever has something to send says how. What is made of something else (papers, the summaries of
lots that were closed) goes the same way.
"""

import asyncio
import contextlib
import logging
import sqlite3
from collections.abc import Awaitable, Callable, Iterator
from dataclasses import dataclass
from functools import partial

from loricate.records import outbox
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.targets import Down

FAILURES_TO_HOLD = 3  # that a target takes nothing, in a row
LOOK_S = 1.0  # how often what was put off is looked for
logger = logging.getLogger("loricate.outbox")
Send = Callable[[Outgoing], Awaitable[None]]


@dataclass(slots=True)
class _Health:
    """Whether a target takes anything: one lost answer says nothing of it, several in a row do.

    Then whatever waits for it is held up, longer each time, until one gets there.
    """

    holds: int = 0
    failures: int = 0  # in a row
    is_held: bool = False

    def fails(self) -> bool:
        """Take in that it took nothing; gives whether all that waits for it is to be held up."""
        self.failures += 1
        if self.failures < FAILURES_TO_HOLD or self.is_held:
            return False
        self.is_held = True
        self.holds += 1
        return True

    def succeeds(self) -> bool:
        """Take in that it took one; gives whether what was held up is to go now."""
        was_held, self.holds, self.failures = self.holds > 0, 0, 0
        return was_held


class Sender:
    """Sends what is due, of each target the oldest first; what cannot be sent is tried again."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self._targets: dict[str, tuple[Send, int]] = {}
        self._wanted: dict[str, asyncio.Event] = {}
        self._sending: list[asyncio.Task[None]] = []
        self._is_closed = False

    def add(self, target: str, send: Send, at_once: int = 1) -> None:
        """Send what waits for a target in this way, so many at once; before it is opened."""
        self._targets[target] = send, at_once
        self._wanted[target] = asyncio.Event()

    def open(self) -> None:
        """Begin with what a service before this one left."""
        self.store.write_now(partial(_say_of_strangers, tuple(self._targets)))
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
        health = _Health(holds=1)  # it may have been down as another service ended
        while not self._is_closed:
            wanted.clear()
            try:
                due = await self.store.read(partial(_due, target))
                waiting, health.is_held = iter(due), False
                async with asyncio.TaskGroup() as group:
                    for _ in range(min(at_once, len(due))):
                        group.create_task(self._send_each(waiting, send, health))
                if due:
                    self.look()  # there may be more, and what follows on these
            except Exception:
                logger.exception("the outbox is looked at again soon")
            # Not ``wait_for``: where what it waits for comes with a cancellation, that one is lost.
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(LOOK_S):
                    await wanted.wait()

    async def _send_each(self, waiting: Iterator[Outgoing], send: Send, health: "_Health") -> None:
        for outgoing in waiting:
            if not health.is_held:  # else nor would any other get there now
                await self._send(outgoing, send, health)

    async def _send(self, outgoing: Outgoing, send: Send, health: "_Health") -> None:
        try:
            await send(outgoing)
        except Exception as error:  # whatever is wrong with one holds up no other target
            problem = str(error) or type(error).__name__
            if problem != outgoing.problem:
                told = {"subject": outgoing.subject, "reason": problem}
                logger.warning("not sent yet", extra=told)
            if isinstance(error, Down) and health.fails():
                await self.store.write(partial(_hold_up, outgoing, problem, health.holds))
            else:
                await self.store.write(partial(_put_off, outgoing, problem))
        else:
            if health.succeeds():
                await self.store.write(partial(_try_now, outgoing.target))


def _say_of_strangers(known: tuple[str, ...], conn: sqlite3.Connection) -> None:
    """Say of what waits for a target that the site file names no more why it waits."""
    for target in outbox.waiting_targets(conn) - set(known):
        outbox.say_of_all(
            conn,
            target,
            f"The site file names no '{target}' any more; name it again, or leave this out.",
        )


def _due(target: str, conn: sqlite3.Connection) -> list[Outgoing]:
    return outbox.due_outgoing(conn, target)


def _put_off(outgoing: Outgoing, problem: str, conn: sqlite3.Connection) -> None:
    outbox.set_problem(conn, outgoing, problem)


def _hold_up(outgoing: Outgoing, problem: str, failures: int, conn: sqlite3.Connection) -> None:
    outbox.hold_up(conn, outgoing, problem, failures)


def _try_now(target: str, conn: sqlite3.Connection) -> None:
    outbox.try_now(conn, target)
