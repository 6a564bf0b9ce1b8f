"""What allows a run to start: its own arming, a series, or that nothing of it is hazardous."""

import asyncio
import sqlite3
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass

from loricate.records import series
from loricate.service.errors import WrongState

ARM_LASTS_S = 300.0
WATCH_S = 0.1


@dataclass(frozen=True, slots=True)
class Arming:
    """The permission to start one run: it ends at a moment, and with whoever watches over it."""

    until: float  # on the monotonic clock
    watch: asyncio.Task[None]

    @property
    def holds(self) -> bool:
        """Whether the run may be started by it still."""
        is_watched = not self.watch.done() or self.watch is asyncio.current_task()
        return is_watched and time.monotonic() < self.until


@dataclass(frozen=True, slots=True)
class Permission:
    """What allows a run to start: checked twice, the second time right before it does.

    ``check`` raises WrongState; ``holding`` is what the bench is held for meanwhile, in words.
    ``doubt`` is asked at the end of all steps: why they may not have been of the units of the run.
    """

    check: Callable[[], Awaitable[None]]
    holding: str = ""
    doubt: Callable[[], Awaitable[str]] | None = None


async def unchecked() -> None:
    """Nothing hazardous is put on."""


@dataclass(frozen=True, slots=True)
class InSeries:
    """What a run of a series goes by: the series, its revision, what it holds the bench for."""

    id: str
    revision: int
    holding: str
    is_again: bool = False  # of the units that were tested last: their serials are taken

    def take(self, conn: sqlite3.Connection, run_id: str, serials: list[str]) -> None:
        """Take the serials for a run; raises WrongState where they are not the next any more."""
        series.add_run(conn, self.id, run_id)
        if not self.is_again and not series.take_serials(conn, self.id, run_id, serials):
            raise WrongState("The serials to come have changed; plug the units in again.")
