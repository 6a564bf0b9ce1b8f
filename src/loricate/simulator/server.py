"""An SCPI instrument on a TCP port: common commands, status, error queue, dead-man."""

import asyncio
import contextlib
import inspect
import re
import socket
from collections import deque
from dataclasses import dataclass

from loricate.simulator import scpi
from loricate.simulator.scpi import Handler, ScpiError

ERROR_QUEUE_LENGTH = 20
LONGEST_LINE = 2**20  # paths to hundreds of contacts are one line
OPERATION_COMPLETE, QUERY_ERROR, DEVICE_ERROR, EXECUTION_ERROR, COMMAND_ERROR = 1, 4, 8, 16, 32
POWER_ON = 128
MISCHIEF = ("SILENT", "NONSENSE", "ERROR", "HOT", "LINK")


@dataclass(frozen=True, slots=True)
class Command:
    """A header that an instrument knows, and how many parameters it takes."""

    pattern: re.Pattern[str]
    handler: Handler
    takes: range


class Instrument:
    """What every stand-in instrument shares. ``drop(reason)`` takes its outputs off at once."""

    model = "STANDIN"
    own_mischief: tuple[str, ...] = ()  # beside MISCHIEF

    def __init__(self, serial: str) -> None:
        self.serial = serial
        self.errors: deque[tuple[int, str]] = deque()
        self.event_status = POWER_ON
        self.event_enable = 0
        self.request_enable = 0
        self.deadman_s = 0.0
        self.silence_s = 0.0
        self.mischief = ""
        self.owner: object | None = None
        self.locked_by: object | None = None  # the link that alone may change anything
        self._commands: list[Command] = []
        self._server: asyncio.Server | None = None
        self._writers: set[asyncio.StreamWriter] = set()
        self.port = 0
        self._marking: set[asyncio.Task[None]] = set()
        self._add_common()

    def command(self, spelling: str, handler: Handler) -> None:
        """Make a header known; of two that are the same the later counts."""
        known = inspect.signature(handler).parameters.values()
        wanted = sum(each.default is each.empty for each in known)
        made = Command(scpi.header_pattern(spelling), handler, range(wanted, len(known) + 1))
        self._commands.insert(0, made)

    def _add_common(self) -> None:
        self.command("*IDN?", lambda: f"LORICATE,{self.model},{self.serial},1")
        self.command("*RST", self.reset)
        self.command("*CLS", self._clear)
        self.command("*ESR?", self._read_event_status)
        self.command("*ESE?", lambda: str(self.event_enable))
        self.command("*ESE", self._set_event_enable)
        self.command("*SRE?", lambda: str(self.request_enable))
        self.command("*SRE", self._set_request_enable)
        self.command("*STB?", lambda: str(self.status_byte()))
        self.command("*OPC?", self._operation_complete)
        self.command("*OPC", self._mark_complete)
        self.command("*WAI", self.wait_idle)
        self.command("*TST?", lambda: "0")
        self.command("SYSTem:ERRor[:NEXT]?", self._next_error)
        self.command("SYSTem:ERRor:COUNt?", lambda: str(len(self.errors)))
        self.command("SYSTem:VERSion?", lambda: "1999.0")
        self.command("SYSTem:DEADman:TIMeout", self._set_deadman)
        self.command("SYSTem:DEADman:TIMeout?", lambda: f"{self.deadman_s:g}")
        self.command("SYSTem:DEADman:BEAT", self._beat)
        self.command("SYSTem:LOCK:REQuest?", self._request_lock)
        self.command("SYSTem:LOCK:OWNer?", self._lock_owner)
        self.command("SYSTem:LOCK:RELease", self._release_lock)
        self.command("OUTPut[:STATe]?", lambda: str(int(self.output_on)))

    @property
    def output_on(self) -> bool:
        """Whether a hazardous output is on."""
        return False

    def reset(self) -> None:
        """Back to the state after power-on; outputs off, nothing pending."""
        self.drop("reset")
        self._forget_marking()
        self.deadman_s = 0.0

    def drop(self, reason: str) -> None:
        """Take the output off at once."""

    async def wait_idle(self) -> None:
        """Return once pending operations are done."""

    def _clear(self) -> None:
        self.errors.clear()
        self.event_status = 0
        self._forget_marking()

    def _read_event_status(self) -> str:
        value, self.event_status = self.event_status, 0
        return str(value)

    def _set_event_enable(self, text: str) -> None:
        self.event_enable = int(scpi.number(text, 0, 255))

    def _set_request_enable(self, text: str) -> None:
        self.request_enable = int(scpi.number(text, 0, 255))

    def status_byte(self) -> int:
        """IEEE 488.2 status byte: error queue (4), event summary (32), request (64)."""
        byte = (4 if self.errors else 0) | (32 if self.event_status & self.event_enable else 0)
        return byte | (64 if byte & self.request_enable else 0)

    async def _operation_complete(self) -> str:
        await self.wait_idle()
        await asyncio.gather(*self._marking, return_exceptions=True)
        return "1"

    def _mark_complete(self) -> None:
        """Note in the event status once what is pending is done; nothing waits for it meanwhile."""

        async def mark() -> None:
            await self.wait_idle()
            self.event_status |= OPERATION_COMPLETE

        marking = asyncio.get_running_loop().create_task(mark())
        self._marking.add(marking)
        marking.add_done_callback(self._marking.discard)

    def _forget_marking(self) -> None:
        for marking in list(self._marking):
            marking.cancel()

    def _next_error(self) -> str:
        number, text = self.errors.popleft() if self.errors else (0, "No error")
        return f'{number},"{text}"'

    def _set_deadman(self, text: str) -> None:
        self.deadman_s = scpi.number(text, 0, 10)
        self._beat()

    def _beat(self) -> None:
        self.silence_s = 0.0

    def _request_lock(self) -> str:
        if self.locked_by is None:
            self.locked_by = self.owner
        return str(int(self.locked_by is self.owner))

    def _lock_owner(self) -> str:
        if not isinstance(self.locked_by, asyncio.StreamWriter):
            return "NONE"
        host, port, *_ = self.locked_by.get_extra_info("peername")
        return f"{host}:{port}"

    def _release_lock(self) -> None:
        if self.locked_by is self.owner:
            self.locked_by = None

    def _may(self, header: str, owner: object | None) -> bool:
        """Whether a link may give a command: while another has the lock, it may only ask."""
        is_locked_out = self.locked_by is not None and owner is not None
        return not is_locked_out or owner is self.locked_by or header.endswith("?")

    def fail(self, error: ScpiError) -> None:
        """Put an error in the queue and its class in the event status."""
        if len(self.errors) >= ERROR_QUEUE_LENGTH:
            self.errors[-1] = scpi.QUEUE_OVERFLOW
        else:
            self.errors.append((error.number, error.text))
        kind = {1: COMMAND_ERROR, 2: EXECUTION_ERROR, 3: DEVICE_ERROR, 4: QUERY_ERROR}
        self.event_status |= kind.get(-error.number // 100, DEVICE_ERROR)

    async def perform(self, line: str, owner: object | None = None) -> str | None:
        """Do the commands of one line; gives the joined answers, or None when nothing was asked."""
        answers = []
        self.owner = owner
        for header, parameters in scpi.messages(line):
            try:
                if not self._may(header, owner):
                    raise ScpiError(*scpi.COMMAND_PROTECTED)
                answer = await self._perform_one(header, parameters)
            except ScpiError as error:
                self.fail(error)
                break
            if answer is not None:
                answers.append(answer)
        return ";".join(answers) if answers else None

    async def _perform_one(self, header: str, parameters: list[str]) -> str | None:
        for command in self._commands:
            if command.pattern.match(header):
                if len(parameters) < command.takes.start:
                    raise ScpiError(*scpi.MISSING_PARAMETER)
                if len(parameters) >= command.takes.stop:
                    raise ScpiError(*scpi.NOT_ALLOWED)
                answer = command.handler(*parameters)
                return await answer if inspect.isawaitable(answer) else answer
        raise ScpiError(*scpi.UNDEFINED_HEADER)

    async def serve(self, host: str, port: int) -> int:
        """Listen; gives the port, which is kept over power off and on."""
        self._server = await asyncio.start_server(self._talk, host, port, limit=LONGEST_LINE)
        self.port = self._server.sockets[0].getsockname()[1]
        return self.port

    async def power(self, on: bool, host: str) -> None:
        """Switch the instrument off (output down, links cut) or on again."""
        if on and self._server is None:
            await self.serve(host, self.port)
        elif not on and self._server is not None:
            self.drop("power")
            self._forget_marking()
            self._server.close()
            self._server = None
            for writer in list(self._writers):
                writer.transport.abort()

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        link = writer.get_extra_info("socket")
        link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._writers.add(writer)
        with contextlib.suppress(ConnectionError, asyncio.CancelledError):
            while line := await reader.readline():
                answer = await self.perform(line.decode("utf-8", "replace"), writer)
                if answer is not None and self.mischief == "NONSENSE":
                    answer = "\x15?#,,"
                if answer is not None and self.mischief != "SILENT":
                    # A block's bytes stand in its answer as they are (``scpi.block``).
                    form = "latin-1" if answer.startswith("#") else "utf-8"
                    writer.write(answer.encode(form) + b"\n")
                    await writer.drain()
        self._writers.discard(writer)
        if self.locked_by is writer:
            self.locked_by = None
        self.link_lost(writer)
        writer.close()

    def misbehave(self, how: str) -> None:
        """Have a fault of its own: one of MISCHIEF, or NONE to behave again."""
        self.mischief = "" if how == "NONE" else how
        if how == "ERROR":
            self.fail(ScpiError(-310, "System error"))
        elif how == "HOT":
            self.fail(ScpiError(-340, "Over temperature"))
            self.drop("HOT")
        elif how == "LINK":
            for writer in list(self._writers):
                writer.transport.abort()

    def link_lost(self, owner: object) -> None:
        """Called when a link ends; the output that it started goes off."""
