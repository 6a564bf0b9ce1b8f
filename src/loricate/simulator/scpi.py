"""SCPI-1999 program messages: headers in long and short form, compound commands, parameters."""

import re
from collections.abc import Awaitable, Callable, Iterator
from dataclasses import dataclass

Handler = Callable[..., "str | Awaitable[str | None] | None"]

_MNEMONIC = re.compile(r"([A-Z*]+)([a-z]*)")


@dataclass(frozen=True, slots=True)
class ScpiError(Exception):
    """An entry for the error queue: an SCPI number and its text."""

    number: int
    text: str


UNDEFINED_HEADER = (-113, "Undefined header")
MISSING_PARAMETER = (-109, "Missing parameter")
NOT_ALLOWED = (-108, "Parameter not allowed")
NUMERIC_ERROR = (-120, "Numeric data error")
INVALID_SUFFIX = (-131, "Invalid suffix")
COMMAND_PROTECTED = (-203, "Command protected")
OUT_OF_RANGE = (-222, "Data out of range")
SETTINGS_CONFLICT = (-221, "Settings conflict")
ILLEGAL_VALUE = (-224, "Illegal parameter value")
QUEUE_OVERFLOW = (-350, "Queue overflow")


def header_pattern(spelling: str) -> re.Pattern[str]:
    """Compile ``SOURce:VOLTage[:LEVel]`` so that long, short and optional forms match."""
    text = ""
    query = r"\?" if spelling.endswith("?") else ""
    for part in re.findall(r"\[:[^\]]+\]|:?[^:\[\]]+", spelling.removesuffix("?")):
        optional = part.startswith("[")
        body = part.strip("[]")
        colon = ":" if body.startswith(":") else ""
        matched = _MNEMONIC.fullmatch(body.lstrip(":"))
        if matched is None:
            raise ValueError(f"'{spelling}' is not an SCPI spelling.")
        short, rest = matched.groups()
        piece = colon + re.escape(short) + (f"(?:{rest.upper()})?" if rest else "")
        text += f"(?:{piece})?" if optional else piece
    return re.compile(text + query + r"\Z", re.IGNORECASE)


def split_outside(text: str, separator: str) -> list[str]:
    """Split at a separator that stands outside quotes and parentheses; parts come stripped."""
    parts, start, quote, depth = [], 0, "", 0
    for place, mark in enumerate(text):
        if quote:
            quote = "" if mark == quote else quote
        elif mark in "\"'":
            quote = mark
        elif mark in "()":
            depth += 1 if mark == "(" else -1
        elif mark == separator and depth == 0:
            parts.append(text[start:place].strip())
            start = place + 1
    return [*parts, text[start:].strip()]


def messages(line: str) -> Iterator[tuple[str, list[str]]]:
    """Give each command of a line as its full header and its parameters.

    After a semicolon a header without a leading colon continues on the branch of the one before
    (IEEE 488.2 A.1.1, SCPI-1999 vol. 1 6.2.4); common commands leave the branch alone.
    """
    branch = ""
    for command in split_outside(line, ";"):
        if not command:
            continue
        header, *tail = command.split(maxsplit=1)
        rest = tail[0] if tail else ""
        if header.startswith("*"):
            full = header
        elif header.startswith(":"):
            full = header[1:]
        else:
            full = branch + header
        if not header.startswith("*"):
            branch = full.rpartition(":")[0] + ":" if ":" in full else ""
        yield full, split_outside(rest, ",") if rest.strip() else []


_NUMERIC = re.compile(r"([+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:E[+-]?\d{1,3})?)\s*([A-Z]*)", re.ASCII)
_MULTIPLIERS = {
    "": 1.0,
    "T": 1e12,
    "G": 1e9,
    "MA": 1e6,
    "K": 1e3,
    "M": 1e-3,
    "U": 1e-6,
    "N": 1e-9,
    "P": 1e-12,
}
_MEGA_BY_M = ("HZ", "OHM")  # IEEE 488.2 7.7.3: for these M is mega


def _multiplier(suffix: str, unit: str) -> float:
    """What a suffix multiplies by; raises ScpiError for one of another unit."""
    if not suffix:
        return 1.0
    prefix = suffix.removesuffix(unit)
    if not unit or not suffix.endswith(unit) or prefix not in _MULTIPLIERS:
        raise ScpiError(*INVALID_SUFFIX)
    return 1e6 if prefix == "M" and unit in _MEGA_BY_M else _MULTIPLIERS[prefix]


def number(text: str, low: float, high: float, unit: str = "") -> float:
    """Read a numeric parameter within a span, MIN and MAX too; raises ScpiError.

    ``unit`` (``V``, ``A``, ``S``, ``HZ``) is the one that a suffix may have, with its multiplier.
    """
    word = text.strip().upper()
    if word in ("MIN", "MINIMUM"):
        return low
    if word in ("MAX", "MAXIMUM"):
        return high
    if word in ("INF", "INFINITY", "NINF", "-INF", "NAN"):
        raise ScpiError(*OUT_OF_RANGE)
    matched = _NUMERIC.fullmatch(word)
    if matched is None:
        raise ScpiError(*NUMERIC_ERROR)
    value = float(matched.group(1)) * _multiplier(matched.group(2), unit)
    if not low <= value <= high:
        raise ScpiError(*OUT_OF_RANGE)
    return value


def choice(text: str, *spellings: str) -> str:
    """Read a character parameter; gives the long form in capitals; raises ScpiError."""
    for spelling in spellings:
        plain = spelling.isupper()  # the names of standards have digits, and no short form
        if text.upper() == spelling or (not plain and header_pattern(spelling).match(text)):
            return spelling.upper()
    raise ScpiError(*ILLEGAL_VALUE)


def boolean(text: str) -> bool:
    """Read a boolean parameter: 0, 1, ON, OFF; raises ScpiError."""
    known = {"0": False, "1": True, "OFF": False, "ON": True}
    if text.upper() not in known:
        raise ScpiError(*ILLEGAL_VALUE)
    return known[text.upper()]


def unquoted(text: str) -> str:
    """Read a string parameter with either kind of quote."""
    return text.strip("\"'")


def channels(text: str, most: int) -> str:
    """Read a list of channels of up to ``most``, ``(@1,2)``, as ``1,2``; raises ScpiError."""
    matched = re.fullmatch(r"\(@\s*(\d+(?:\s*,\s*\d+)*)\s*\)", text)
    numbers = [int(each) for each in matched[1].split(",")] if matched else []
    if not numbers or max(numbers) > most or len(set(numbers)) < len(numbers):
        raise ScpiError(*ILLEGAL_VALUE)
    return ",".join(map(str, numbers))


def crosspoints(text: str) -> list[tuple[int, int]]:
    """Read a list of matrix crosspoints, ``(@1!3,2!4)``: row, column; raises ScpiError."""
    matched = re.fullmatch(r"\(@\s*(\d+!\d+(?:\s*,\s*\d+!\d+)*)\s*\)", text)
    if matched is None:
        raise ScpiError(*ILLEGAL_VALUE)
    pairs = (each.split("!") for each in matched.group(1).split(","))
    return [(int(row), int(column)) for row, column in pairs]


def block(data: bytes) -> str:
    """Bytes as a definite block (IEEE 488.2, 8.7.9), each of them as the sign of its number."""
    length = str(len(data))
    return f"#{len(length)}{length}{data.decode('latin-1')}"
