"""Work on the bench that goes on by itself: started, waited for, and called off with a reason."""

import asyncio
import contextlib
from abc import ABC, abstractmethod
from collections.abc import Coroutine
from typing import Any

from loricate.bench.bench import Bench


class Background(ABC):
    """One piece of work in a task of its own. Calling it off takes outputs off before all else.

    While one that may be hazardous has the bench, high voltage may come on at any moment.
    """

    def __init__(self, bench: Bench, may_be_hazardous: bool = True) -> None:
        self.bench, self.may_be_hazardous = bench, may_be_hazardous
        self.abort_reason = ""
        self._task: asyncio.Task[None] | None = None
        self._token = f"{type(self).__name__} {id(self)}"
        self._has_begun = self._has_let_go = False

    @abstractmethod
    async def _run(self) -> None:
        """Do the work; it must leave the bench safe however it ends, and say so at once."""

    @property
    def is_running(self) -> bool:
        """Whether it was started and has not ended."""
        return self._task is not None and not self._task.done()

    @property
    def has_bench(self) -> bool:
        """Whether it may still put something on the bench; after that it only keeps records."""
        return self.is_running and not self._has_let_go

    def start(self) -> None:
        """Begin; returns at once."""
        if self.may_be_hazardous:
            self.bench.armed_by.add(self._token)
        self._task = asyncio.get_running_loop().create_task(self._begin())
        self._task.add_done_callback(lambda _: self._let_go())

    async def _begin(self) -> None:
        """Do the work from its beginning, even if it was called off before that.

        A task that is cancelled before its first step does nothing at all: nobody would make the
        bench safe, and nobody say that it has ended.
        """
        self._has_begun = True
        own = asyncio.current_task()
        if self.abort_reason and own is not None:
            own.cancel()
        await self._run()

    def _let_go(self) -> None:
        """The bench is safe, and free for others."""
        self._has_let_go = True
        self.bench.armed_by.discard(self._token)

    @staticmethod
    async def _to_its_end(work: Coroutine[Any, Any, None]) -> None:
        """Do work that must be done whole: whoever cancels it meanwhile waits for its end."""
        going = asyncio.ensure_future(work)
        while not going.done():
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.shield(going)
        going.result()

    async def wait(self) -> None:
        """Return when it has ended and its end is recorded."""
        if self._task is not None:
            await asyncio.wait([self._task])

    def abort(self, reason: str) -> None:
        """Outputs fall first; everything else comes after."""
        if not self.has_bench:
            return  # what is on now is somebody else's
        self.bench.stop_now()
        if not self.abort_reason and self._task is not None:
            self.abort_reason = reason
            if self._has_begun:
                self._task.cancel()
