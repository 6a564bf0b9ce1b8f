"""The events of a run: numbered, kept in order, followed by any number of watchers."""

import asyncio
import contextlib
import datetime as dt
import math
import threading
from bisect import bisect_right
from collections import defaultdict
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass
from typing import Any

MOST_SAMPLES, NEWEST_SAMPLES = 400, 50  # of a nest, of the step under way
SAMPLE, STEP_FINISHED = "sample", "step_finished"


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


class _Course:
    """The samples of a nest in the step under way: the newest, and evenly some of those before."""

    def __init__(self) -> None:
        self.kept: list[Event] = []
        self._places: list[int] = []  # of each among all that came
        self._count = 0

    def add(self, event: Event) -> list[Event]:
        """Take one in; gives those that are not kept any more."""
        self.kept.append(event)
        self._places.append(self._count)
        self._count += 1
        if len(self.kept) <= MOST_SAMPLES:
            return []
        every = 2 ** math.ceil(math.log2(2 * self._count / MOST_SAMPLES))
        newest = self._count - NEWEST_SAMPLES
        stay = [place >= newest or place % every == 0 for place in self._places]
        gone = [each for each, stays in zip(self.kept, stay, strict=True) if not stays]
        self.kept = [each for each, stays in zip(self.kept, stay, strict=True) if stays]
        self._places = [each for each, stays in zip(self._places, stay, strict=True) if stays]
        return gone


class EventLog:
    """What happened in a run so far. Watchers read at their own speed; publishing never waits.

    It is published on one loop and may be followed on any other. Of samples, which come without
    end, each nest's course of the step under way is kept, thinned to ``MOST_SAMPLES``, and the last
    one of every step before.
    """

    def __init__(self) -> None:
        self._events: list[Event] = []
        self._courses: defaultdict[str, _Course] = defaultdict(_Course)  # by nest
        self.last_number = 0
        self.closed = False
        self._watchers: dict[asyncio.Event, asyncio.AbstractEventLoop] = {}
        self._lock = threading.Lock()

    def publish(self, name: str, **data: Any) -> None:
        """Add an event, with its moment, and wake the watchers."""
        with self._lock:
            self.last_number += 1
            event = Event(self.last_number, name, {**data, "at": now()})
            self._events.append(event)
            if name == SAMPLE:
                self._forget(self._courses[str(data["nest"])].add(event))
            elif name == STEP_FINISHED:
                self._forget(self._courses.pop(str(data["nest"]), _Course()).kept[:-1])
        self._wake()

    def _forget(self, events: Sequence[Event]) -> None:
        gone = {event.number for event in events}
        if gone:
            self._events = [event for event in self._events if event.number not in gone]

    @property
    def events(self) -> tuple[Event, ...]:
        """What is kept so far, in order."""
        with self._lock:
            return tuple(self._events)

    @property
    def watched_by(self) -> int:
        """How many follow it now."""
        return len(self._watchers)

    def close(self) -> None:
        """Say that nothing more will come."""
        self.closed = True
        self._wake()

    def _wake(self) -> None:
        with self._lock:
            for changed, loop in self._watchers.items():
                with contextlib.suppress(RuntimeError):  # its loop has ended, and so has it
                    loop.call_soon_threadsafe(changed.set)

    def _after(self, number: int) -> list[Event]:
        with self._lock:
            begin = bisect_right(self._events, number, key=lambda event: event.number)
            return self._events[begin:]

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
                for event in self._after(position):
                    position = event.number
                    yield event
                if is_closed:
                    return
                await changed.wait()
        finally:
            with self._lock:
                del self._watchers[changed]
