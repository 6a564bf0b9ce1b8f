"""Work that takes a processor for long, in processes of their own: nothing here waits for it.

Each piece of work has a limit on its time and memory, and only so many wait at once; who comes when
too many wait is told so at once.
"""

import asyncio
import multiprocessing
import os
import pickle
import resource
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import TimeoutError as TookTooLong
from typing import TypeVar

from pebble import ProcessExpired, ProcessFuture, ProcessPool

from loricate.core.errors import Finding
from loricate.core.kinds.loading import load_kinds
from loricate.service.errors import Busy, NotReady

R = TypeVar("R")
WITHIN_S, STARTS_WITHIN_S = 10.0, 30.0
MOST_BYTES = 2 * 2**30  # of address space: what libraries reserve is a third of it
PRELOADED = [
    "loricate.service.workroom",
    "loricate.service.studying",
    "loricate.certificates.verifying",
    "loricate.certificates.paper_checking",
    "loricate.certificates.paper_signing",
]


LOW_PRIORITY = 10  # the bench's loop comes first


def _enter(most_bytes: int, kinds: Sequence[str]) -> None:
    os.nice(LOW_PRIORITY)
    load_kinds(kinds)
    resource.setrlimit(resource.RLIMIT_AS, (most_bytes, most_bytes))


def _perform(asked: bytes) -> bytes:
    """Do what was asked, in the worker. Whatever cannot be sent back is told, not lost."""
    try:
        work, given = pickle.loads(asked)
        return pickle.dumps((True, work(*given)))
    except MemoryError:
        raise
    except Exception as error:
        try:
            told = pickle.dumps((False, error))
            pickle.loads(told)
            return told
        except Exception:
            return pickle.dumps((False, RuntimeError(f"{type(error).__name__}: {error}")))


class Workroom:
    """Some workers, each doing one thing at a time. They come when they are first needed."""

    def __init__(
        self,
        name: str,
        workers: int = 1,
        most_waiting: int = 16,
        within_s: float = WITHIN_S,
        most_bytes: int = MOST_BYTES,
        kinds: Sequence[str] = (),
    ) -> None:
        self.name, self.within_s = name, within_s
        self._room = workers + most_waiting
        self._inside = 0
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(PRELOADED)
        self._pool = ProcessPool(workers, 0, _enter, [most_bytes, tuple(kinds)], context)
        self._door = threading.Lock()  # a pool that is stopped while it begins goes on

    @property
    def inside(self) -> int:
        """How much is under way or waits."""
        return self._inside

    async def do(self, work: Callable[..., R], *given: object, field: str = "body") -> R:
        """Do work, a function of a module, on what can be sent to another process.

        Raises what the work raises, Busy when too many wait, and NotReady, naming ``field``, when
        it takes too long or too much memory.
        """
        if self._inside >= self._room:
            raise Busy("Too much is asked for at once; ask again in a moment.")
        asked = pickle.dumps((work, given))
        self._inside += 1
        try:
            # A pool that does not come back itself is a defect, and must not hold anybody for ever.
            async with asyncio.timeout(self.within_s * (self._inside + 1) + STARTS_WITHIN_S):
                # Before the first worker comes its libraries are read: no loop waits for that.
                going = await asyncio.to_thread(self._schedule, asked)
                told: bytes = await asyncio.wrap_future(going)
            is_done, came = pickle.loads(told)
        except TookTooLong:
            message = f"takes more than {self.within_s:g} s to work through", "send less of it."
            raise NotReady.because([Finding(field, *message)]) from None
        except (MemoryError, ProcessExpired):
            message = "takes more memory than there is for it", "send less of it."
            raise NotReady.because([Finding(field, *message)]) from None
        finally:
            self._inside -= 1
        if not is_done:
            raise came
        done: R = came
        return done

    def _schedule(self, asked: bytes) -> ProcessFuture[bytes]:
        with self._door:
            return self._pool.schedule(_perform, args=[asked], timeout=self.within_s)

    def close(self) -> None:
        """Stop at once, whatever is under way."""
        with self._door:
            self._pool.stop()  # type: ignore[no-untyped-call]
        self._pool.join()
