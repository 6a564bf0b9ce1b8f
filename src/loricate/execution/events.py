"""The events of a run: numbered, kept in order, followed by any number of watchers."""

import asyncio
import datetime as dt
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
    """What happened in a run so far. Watchers read at their own speed; publishing never waits."""

    def __init__(self) -> None:
        self.events: list[Event] = []
        self.closed = False
        self._changed = asyncio.Event()

    def publish(self, name: str, **data: Any) -> None:
        """Add an event, with its moment, and wake the watchers."""
        self.events.append(Event(len(self.events) + 1, name, {**data, "at": now()}))
        self._wake()

    def close(self) -> None:
        """Say that nothing more will come."""
        self.closed = True
        self._wake()

    def _wake(self) -> None:
        changed, self._changed = self._changed, asyncio.Event()
        changed.set()

    async def follow(self, after: int = 0) -> AsyncIterator[Event]:
        """Give every event with a number above ``after``, then those to come, until closed."""
        position = max(0, after)
        while True:
            changed = self._changed
            while position < len(self.events):
                event = self.events[position]
                position += 1
                yield event
            if self.closed:
                return
            await changed.wait()
