"""A wire that lies: a TCP proxy between the service and one stand-in, which spoils what passes.

Answers are delayed, dropped, repeated, truncated, swapped with the next, given again from before,
or have their numbers changed; the end of an output is told before it began; commands change on
their way to the instrument, are heard as another word or number, or not at all. Each lie has a
rate, so that some things get through.
"""

import asyncio
import contextlib
import random
import re
from collections.abc import Callable
from dataclasses import dataclass, field

OTHERS = (
    "0.025,0.025,22",
    "FINISHED,22,0.55",
    ",".join(["0.2345"] * 22),
    "DWELL,0.5,0.5,2.1,25,NORMAL",
    "FINISHED,1.96,25,NORMAL,2",
    "DWELL,0.5,0.5,1030,0.0014,NORMAL,1e-06",
    "FINISHED,1030,0.0014,NORMAL,0.0014,NORMAL,1e-06,1",
    "FINISHED,230,0.00025,NORMAL,8.2,0.00035,NORMAL,1890,1",
    '0,"No error"',
    "1",
    "LORICATE,SOMETHING-ELSE,X-1,1",
)
_NUMBER = re.compile(r"(?<![A-Za-z0-9.])-?[0-9][0-9.]*(?:[eE][+-]?[0-9]+)?(?![A-Za-z0-9.])")
JOINT = ";:"  # between the commands of one message
_DIGIT = re.compile(r"[0-9]")


def _some(pattern: re.Pattern[str], text: str, chance: random.Random) -> re.Match[str] | None:
    found = list(pattern.finditer(text))
    return chance.choice(found) if found else None


def _with_number(text: str, chance: random.Random, make: Callable[[str], str]) -> str:
    found = _some(_NUMBER, text, chance)
    if found is None:
        return text
    return text[: found.start()] + make(found.group()) + text[found.end() :]


def flipped(text: str, chance: random.Random) -> str:
    """One digit changed."""
    found = _some(_DIGIT, text, chance)
    if found is None:
        return text
    other = chance.choice("0123456789".replace(found.group(), ""))
    return text[: found.start()] + other + text[found.end() :]


def _misheard(text: str, chance: random.Random) -> str:
    """Another word for the one that is set, or a number near the one that is."""
    header, _, value = text.rpartition(" ")
    others = [word for words in WORDS if value in words for word in words if word != value]
    if others:
        return f"{header} {chance.choice(others)}"
    return _with_number(
        text, chance, lambda number: f"{float(number) * chance.choice((0.9, 1.2)):g}"
    )


# What each lie makes of an answer.
SPOILS: dict[str, Callable[[str, random.Random], str]] = {
    "flip": flipped,
    "truncate": lambda text, chance: text[: chance.randrange(len(text))] if text else text,
    "not_a_number": lambda text, chance: _with_number(text, chance, lambda _: "9.91E37"),
    "word": lambda text, chance: _with_number(text, chance, lambda _: "nan"),
    "infinite": lambda text, chance: _with_number(text, chance, lambda _: "9.9E37"),
    "huge": lambda text, chance: _with_number(text, chance, lambda number: f"{number}e9"),
    "tiny": lambda text, chance: _with_number(text, chance, lambda number: f"{number}e-9"),
    "negative": lambda text, chance: _with_number(
        text, chance, lambda number: number[1:] if number.startswith("-") else f"-{number}"
    ),
    "zero": lambda text, chance: _with_number(text, chance, lambda _: "0"),
    "done": lambda text, chance: re.sub(r"^(IDLE|RAMP|DWELL|FALL)", "DONE", text),
    "running": lambda text, chance: re.sub(r"^DONE", "DWELL", text),
    "passed": lambda text, chance: re.sub(r"^(BREAKDOWN|OVERCURRENT|ARC)", "FINISHED", text),
    "other": lambda text, chance: chance.choice(OTHERS),
}
# What each lie makes of a command on its way; of several joined in one message it spoils one.
MISHEARD: dict[str, Callable[[str, random.Random], str]] = {
    "command": flipped,
    "misheard": _misheard,
    "unheard": lambda text, chance: "",
}
WORDS = (
    ("AC", "DC"), ("earth", "touch", "none"), ("iec60601", "iec60990", "none"),
    ("direct", "differential", "alternative"), ("closed", "open"), ("normal", "reversed"),
    ("RESISTANCE", "CAPACITANCE", "DIODE", "WATCH"),
)  # fmt: skip
LIES = (*SPOILS, "delay", "drop", "repeat", "stale", "reorder", *MISHEARD)


BYTES = "latin-1"  # each byte as a sign, of a block as well


async def _line(source: asyncio.StreamReader) -> bytes:
    """One line, or one block with whatever bytes are in it."""
    line = await source.readline()
    if not re.match(rb"#[1-9][0-9]", line):
        return line
    digits = int(line[1:2])
    whole = 2 + digits + int(line[2 : 2 + digits]) + 1
    return line + await source.readexactly(max(0, whole - len(line)))


@dataclass
class LyingWire:
    """A proxy to ``port`` that listens on ``own_port``; tells the truth until it is given a lie."""

    port: int
    chance: random.Random
    lie: str = ""
    rate: float = 0.0
    delay_s: float = 0.3
    own_port: int = 0
    told: int = 0
    _last: str = ""
    _held: str | None = None
    _server: asyncio.Server | None = None
    _talks: set[asyncio.Task[None]] = field(default_factory=set)

    async def serve(self) -> int:
        """Listen; gives the port to be used in place of the instrument's."""
        self._server = await asyncio.start_server(self._talk, "127.0.0.1", 0)
        self.own_port = self._server.sockets[0].getsockname()[1]
        return self.own_port

    async def close(self) -> None:
        """Cut every link."""
        if self._server is not None:
            self._server.close()
        talks = list(self._talks)
        for talk in talks:
            talk.cancel()
        await asyncio.gather(*talks, return_exceptions=True)

    def be(self, lie: str, rate: float) -> None:
        """Tell this lie from now on; an empty one is the truth."""
        self.lie, self.rate, self._held = lie, rate, None

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        talk = asyncio.current_task()
        assert talk is not None
        self._talks.add(talk)
        ends, pair = [writer], list[asyncio.Task[None]]()
        with contextlib.suppress(OSError, asyncio.CancelledError):
            back, forth = await asyncio.open_connection("127.0.0.1", self.port)
            ends.append(forth)
            pair = [
                asyncio.create_task(self._pass(reader, forth, self._asked)),
                asyncio.create_task(self._pass(back, writer, self._answered)),
            ]
            await asyncio.wait(pair, return_when=asyncio.FIRST_COMPLETED)
        for task in pair:
            task.cancel()
        for end in ends:
            end.close()
        self._talks.discard(talk)

    async def _pass(
        self,
        source: asyncio.StreamReader,
        sink: asyncio.StreamWriter,
        spoil: Callable[[str], "list[str] | float"],
    ) -> None:
        with contextlib.suppress(ConnectionError):
            while line := await _line(source):
                told = line.decode(BYTES).rstrip("\n")
                made = spoil(told)
                if isinstance(made, float):
                    await asyncio.sleep(made)
                    made = [told]
                for each in made:
                    sink.write(each.encode(BYTES) + b"\n")
                await sink.drain()

    def _asked(self, line: str) -> list[str]:
        is_command = "?" not in line and "BEAT" not in line
        if self.lie not in MISHEARD or not is_command or self.chance.random() >= self.rate:
            return [line]
        self.told += 1
        commands = line.split(JOINT)
        place = self.chance.randrange(len(commands))
        commands[place] = MISHEARD[self.lie](commands[place], self.chance)
        heard = JOINT.join(each for each in commands if each)
        return [heard] if heard else []

    def _answered(self, line: str) -> "list[str] | float":
        before, self._last = self._last, line
        if self._held is not None:
            held, self._held = self._held, None
            return [line, held]
        if not self.lie or self.lie in MISHEARD or self.chance.random() >= self.rate:
            return [line]
        self.told += 1
        match self.lie:
            case "delay":
                return self.chance.uniform(0.0, 2 * self.delay_s)
            case "drop":
                return []
            case "repeat":
                return [line, line]
            case "stale":
                return [before]
            case "reorder":
                self._held = line
                return []
            case lie:
                return [SPOILS[lie](line, self.chance)]
