"""The events of a run: numbered, kept in order, followed by any number of watchers."""

import asyncio
import contextlib
import datetime as dt
import threading
from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import Any


def now() -> str:
    """The present moment in UTC, RFC 3339, in milliseconds."""
    moment = dt.datetime.now(dt.UTC).isoformat(timespec="milliseconds")
    return moment.replace("+00:00", "Z")


@dataclass(frozen=True, slots=True)
class Event:
    """One thing that happened: ``number`` counts from 1 within its run."""

    number: int
    name: str
    data: dict[str, Any]


class EventLog:
    """What happened in a run so far. Watchers read at their own speed; publishing never waits.

    It is published on one loop and may be followed on any other.
    """

    def __init__(self) -> None:
        self.events: list[Event] = []
        self.closed = False
        self._watchers: dict[asyncio.Event, asyncio.AbstractEventLoop] = {}
        self._lock = threading.Lock()

    def publish(self, name: str, **data: Any) -> None:
        """Add an event, with its moment, and wake the watchers."""
        self.events.append(Event(len(self.events) + 1, name, {**data, "at": now()}))
        self._wake()

    def close(self) -> None:
        """Say that nothing more will come."""
        self.closed = True
        self._wake()

    def _wake(self) -> None:
        with self._lock:
            for changed, loop in self._watchers.items():
                with contextlib.suppress(RuntimeError):  # its loop has ended, and so has it
                    loop.call_soon_threadsafe(changed.set)

    async def follow(self, after: int = 0) -> AsyncIterator[Event]:
        """Give every event with a number above ``after``, then those to come, until closed."""
        position = max(0, after)
        changed = asyncio.Event()
        with self._lock:
            self._watchers[changed] = asyncio.get_running_loop()
        try:
            while True:
                changed.clear()
                is_closed = self.closed  # asked before the events: what came with the end is given
                while position < len(self.events):
                    event = self.events[position]
                    position += 1
                    yield event
                if is_closed:
                    return
                await changed.wait()
        finally:
            with self._lock:
                del self._watchers[changed]
