"""Work on the bench that goes on by itself: started, waited for, and called off with a reason."""

import asyncio
from abc import ABC, abstractmethod

from loricate.bench.bench import Bench


class Background(ABC):
    """One piece of work in a task of its own. Calling it off takes outputs off before all else."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.abort_reason = ""
        self._task: asyncio.Task[None] | None = None

    @abstractmethod
    async def _run(self) -> None:
        """Do the work; it must leave the bench safe however it ends."""

    @property
    def is_running(self) -> bool:
        """Whether it was started and has not ended."""
        return self._task is not None and not self._task.done()

    def start(self) -> None:
        """Begin; returns at once. While it goes on, high voltage may come on at any moment."""
        token = f"{type(self).__name__} {id(self)}"
        self.bench.armed_by.add(token)
        self._task = asyncio.get_running_loop().create_task(self._run())
        self._task.add_done_callback(lambda _: self.bench.armed_by.discard(token))

    async def wait(self) -> None:
        """Return when it has ended and its end is recorded."""
        if self._task is not None:
            await asyncio.wait([self._task])

    def abort(self, reason: str) -> None:
        """Outputs fall first; everything else comes after."""
        self.bench.stop_now()
        if self.is_running and not self.abort_reason and self._task is not None:
            self.abort_reason = reason
            self._task.cancel()
