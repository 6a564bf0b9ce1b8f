"""A link over VISA (serial, USB-TMC and the like) with the pure Python back end.

VISA calls block, so each instrument has one thread of its own; a resource is never shared. A stop
must not wait behind a query in that thread: ``send_now`` queues the line and asks the thread to
cut its current wait short by closing the resource if the line is not out in time.
"""

import asyncio
import contextlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import pyvisa

from loricate.bench.errors import LinkFailed

R = TypeVar("R")


class VisaLink:
    """Lines over a VISA resource."""

    def __init__(self, instrument: str, address: str, timeout_s: float) -> None:
        self.instrument, self.address, self.timeout_s = instrument, address, timeout_s
        self._thread = ThreadPoolExecutor(1, thread_name_prefix=f"visa-{instrument}")
        self._lock = asyncio.Lock()
        self._resource: Any = None

    @property
    def is_open(self) -> bool:
        return self._resource is not None

    async def _call(self, work: Callable[[], R]) -> R:
        loop = asyncio.get_running_loop()
        try:
            async with asyncio.timeout(self.timeout_s + 1):
                return await loop.run_in_executor(self._thread, work)
        except TimeoutError:
            self._abandon()
            reason = f"did not answer within {self.timeout_s:g} s"
            raise LinkFailed(self.instrument, self.address, reason) from None
        except Exception as error:
            # The back end leaks errors of many kinds: BrokenPipeError, SerialException and more.
            self.close()
            reason = f"failed ({error})"
            raise LinkFailed(self.instrument, self.address, reason) from error

    def _abandon(self) -> None:
        """Leave a stuck thread to its fate and start a fresh one."""
        self._resource = None
        self._thread.shutdown(wait=False, cancel_futures=True)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix=f"visa-{self.instrument}")

    async def open(self) -> None:
        self.close()

        def connect() -> Any:
            resource = pyvisa.ResourceManager("@py").open_resource(
                self.address.removeprefix("visa:"),
                open_timeout=int(self.timeout_s * 1000),
                read_termination="\n",
                write_termination="\n",
            )
            resource.timeout = int(self.timeout_s * 1000)
            return resource

        self._resource = await self._call(connect)

    def _connected(self) -> Any:
        if self._resource is None:
            raise LinkFailed(self.instrument, self.address, "is not connected")
        return self._resource

    async def query(self, text: str) -> str:
        async with self._lock:
            resource = self._connected()
            return str(await self._call(lambda: resource.query(text))).strip()

    async def query_block(self, text: str) -> bytes:
        async with self._lock:
            resource = self._connected()

            def ask() -> bytes:
                found = resource.query_binary_values(text, datatype="B", container=bytes)
                return bytes(found)

            return await self._call(ask)

    async def write(self, text: str) -> None:
        async with self._lock:
            resource = self._connected()
            await self._call(lambda: resource.write(text))

    def send_now(self, text: str) -> None:
        if self._resource is not None:
            resource = self._resource
            self._thread.submit(_quietly, lambda: resource.write(text))

    def close(self) -> None:
        if self._resource is not None:
            self._thread.submit(_quietly, self._resource.close)
        self._resource = None


def _quietly(work: Callable[[], object]) -> None:
    with contextlib.suppress(Exception):
        work()
