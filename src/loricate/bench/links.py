"""Links to instruments: one asynchronous interface over plain TCP and over VISA.

A query that times out leaves a late answer on the wire, which would answer the next query; so a
link that fails is closed and has to be opened again.
"""

import asyncio
import contextlib
import socket
from typing import Protocol
from urllib.parse import urlsplit

from loricate.bench.errors import LinkFailed

TIMEOUT_S = 5.0
LONGEST_LINE = 2**22  # a record of many samples is one line
LONGEST_BLOCK = 2**26


class Link(Protocol):
    """A line to one instrument. All raise LinkFailed."""

    async def open(self) -> None:
        """Connect."""

    async def query(self, text: str) -> str:
        """Send a line and give the answer without its line end."""

    async def query_block(self, text: str) -> bytes:
        """Send a line and give the bytes of the block that answers it (IEEE 488.2, 8.7.9)."""

    async def write(self, text: str) -> None:
        """Send a line that has no answer."""

    def send_now(self, text: str) -> None:
        """Send a line past any query under way, without waiting: for beats and stops."""

    def close(self) -> None:
        """Hang up; never raises."""

    @property
    def is_open(self) -> bool:
        """Whether the link is believed to be up."""


class TcpLink:
    """Lines over a plain TCP socket."""

    def __init__(self, instrument: str, address: str, timeout_s: float = TIMEOUT_S) -> None:
        self.instrument, self.address, self.timeout_s = instrument, address, timeout_s
        parts = urlsplit(address)
        self._host, self._port = parts.hostname or "", parts.port or 0
        self._lock = asyncio.Lock()
        self._reader: asyncio.StreamReader | None = None
        self._writer: asyncio.StreamWriter | None = None

    @property
    def is_open(self) -> bool:
        return self._writer is not None and not self._writer.is_closing()

    def _failed(self, reason: str) -> LinkFailed:
        self.close()
        return LinkFailed(self.instrument, self.address, reason)

    async def open(self) -> None:
        self.close()
        try:
            async with asyncio.timeout(self.timeout_s):
                self._reader, self._writer = await asyncio.open_connection(
                    self._host, self._port, limit=LONGEST_LINE
                )
        except TimeoutError:
            raise self._failed(f"did not connect within {self.timeout_s:g} s") from None
        except OSError as error:
            raise self._failed(f"refused the connection ({error.strerror or error})") from error
        wire = self._writer.get_extra_info("socket")
        wire.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    async def query(self, text: str) -> str:
        async with self._lock:
            if self._reader is None or self._writer is None:
                raise self._failed("is not connected")
            try:
                self._writer.write(text.encode() + b"\n")
                async with asyncio.timeout(self.timeout_s):
                    answer = await self._reader.readline()
            except TimeoutError:
                raise self._failed(f"did not answer within {self.timeout_s:g} s") from None
            except asyncio.CancelledError:
                self.close()  # the answer that is still to come must not meet the next query
                raise
            except (OSError, ValueError) as error:
                raise self._failed(f"lost its link ({error})") from error
            if not answer.endswith(b"\n"):
                raise self._failed("closed its link")
            return answer.decode("utf-8", "replace").strip()

    async def query_block(self, text: str) -> bytes:
        async with self._lock:
            if self._reader is None or self._writer is None:
                raise self._failed("is not connected")
            try:
                self._writer.write(text.encode() + b"\n")
                async with asyncio.timeout(self.timeout_s):
                    return await self._read_block(self._reader)
            except TimeoutError:
                raise self._failed(f"gave no whole block within {self.timeout_s:g} s") from None
            except asyncio.CancelledError:
                self.close()
                raise
            except asyncio.IncompleteReadError as error:
                raise self._failed("closed its link in the middle of a block") from error
            except (OSError, ValueError) as error:
                raise self._failed(f"lost its link ({error})") from error

    async def _read_block(self, reader: asyncio.StreamReader) -> bytes:
        """A definite block: how many digits its length has, the length, so many bytes, an end."""
        sign, digits = await reader.readexactly(1), await reader.readexactly(1)
        if sign != b"#" or not digits.isdigit() or digits == b"0":
            raise self._failed(f"began a block with {(sign + digits)!r}")
        length = await reader.readexactly(int(digits))
        if not length.isdigit() or int(length) > LONGEST_BLOCK:
            raise self._failed(f"gave a block the length {length!r}")
        data = await reader.readexactly(int(length))
        if (end := await reader.readline()) not in (b"\n", b"\r\n"):
            raise self._failed(f"ended a block with {end[:20]!r}")
        return data

    async def write(self, text: str) -> None:
        async with self._lock:
            if self._writer is None:
                raise self._failed("is not connected")
            try:
                self._writer.write(text.encode() + b"\n")
                async with asyncio.timeout(self.timeout_s):
                    await self._writer.drain()
            except TimeoutError:
                raise self._failed("takes no more commands") from None
            except OSError as error:
                raise self._failed(f"lost its link ({error})") from error

    def send_now(self, text: str) -> None:
        if self._writer is not None and not self._writer.is_closing():
            self._writer.write(text.encode() + b"\n")

    def close(self) -> None:
        if self._writer is not None:
            with contextlib.suppress(Exception):
                self._writer.close()
        self._reader = self._writer = None


def make_link(instrument: str, address: str, timeout_s: float = TIMEOUT_S) -> Link:
    """Give the link for an address: ``tcp://host:port``, or ``visa:RESOURCE``.

    Raises LinkFailed for any other address.
    """
    if address.startswith("tcp://"):
        return TcpLink(instrument, address, timeout_s)
    if address.startswith("visa:"):
        from loricate.bench.visa import VisaLink  # pyvisa takes 0.3 s to import

        return VisaLink(instrument, address, timeout_s)
    raise LinkFailed(instrument, address, "has an address that is neither tcp://… nor visa:…")
