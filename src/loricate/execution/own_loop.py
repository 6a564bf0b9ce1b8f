"""A loop of its own in a thread of its own, for what nothing else may hold up.

A thread, not a process: what is done there and what is asked of it share records, questions and
events as they are, and a beat proves that this very engine lives. The interpreter's lock is all
that both loops share. It changes hands every ``SWITCH_S`` at the latest, but for single calls into
compiled code; so whatever may take long in one of those is done in a process of its own, and sizes
are bounded before anything is read.
"""

import asyncio
import sys
import threading
from collections.abc import Awaitable, Callable
from typing import TypeVar

import uvloop

R = TypeVar("R")
SWITCH_S = 0.001


class OwnLoop:
    """An event loop in a thread. What it is given to do goes on even if nobody waits any more."""

    def __init__(self, name: str) -> None:
        self._loop = uvloop.new_event_loop()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        """Begin to turn."""
        sys.setswitchinterval(SWITCH_S)
        self._thread.start()

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_forever()

    def call(self, work: Callable[[], object]) -> None:
        """Have something short done there as soon as may be; waits for nothing."""
        self._loop.call_soon_threadsafe(work)

    async def do(self, work: Callable[[], Awaitable[R]]) -> R:
        """Do work there and give what comes of it; for a caller on another loop."""

        async def working() -> R:
            return await work()

        going = asyncio.run_coroutine_threadsafe(working(), self._loop)
        return await asyncio.shield(asyncio.wrap_future(going))

    async def look(self, work: Callable[[], R]) -> R:
        """Give what is there to be seen at one moment, between two things that are done there."""

        async def looking() -> R:
            return work()

        return await self.do(looking)

    async def close(self) -> None:
        """Cancel what still goes on there, and end the thread."""
        if not self._thread.is_alive():
            self._loop.close()
            return

        async def cancel() -> None:
            own = asyncio.current_task()
            others = [task for task in asyncio.all_tasks() if task is not own]
            for task in others:
                task.cancel()
            await asyncio.gather(*others, return_exceptions=True)
            await self._loop.shutdown_asyncgens()

        await self.do(cancel)
        self._loop.call_soon_threadsafe(self._loop.stop)
        await asyncio.to_thread(self._thread.join)
        self._loop.close()
