"""JSON (RFC 8259) from outside: read strictly, and no larger or deeper than anybody needs.

What other readers may understand in another way is refused: a name given twice in one object,
numbers that are none or that no double holds, text that is not UTF-8, characters that nobody sees.
"""

import json
import math
import re
from collections import Counter
from collections.abc import Iterator
from typing import Any

from loricate.core.errors import CoreError

# Controls but for tab and line ends, what changes the direction of text or breaks its lines unseen,
# and halves of characters: on a screen or paper they make a text read as another.
HIDDEN = re.compile(
    "[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069"
    "\ufeff\ufff9-\ufffb\ud800-\udfff]"
)
MOST_DEPTH = 64
MOST_NAMES = 100_000  # of all objects together
MOST_DIGITS = 40
MOST_WHOLE = 2**63 - 1  # what a column of the records holds


class JsonRefused(CoreError, ValueError):
    """A text is no JSON, or JSON of a form that is not taken."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return f"The JSON {self.reason}."


def read_json(data: bytes, most_names: int = MOST_NAMES) -> Any:
    """Give what JSON text says; raises JsonRefused."""
    names = 0

    def read_object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        nonlocal names
        names += len(pairs)
        if names > most_names:
            raise JsonRefused(f"has more than {most_names} names; send less of it")
        found = dict(pairs)
        if len(found) < len(pairs):
            (twice, _), *_ = Counter(key for key, _ in pairs).most_common(1)
            raise JsonRefused(f"has the name '{twice[:40]}' twice in one object; send it once")
        return found

    try:
        found = json.loads(
            data.decode(),
            object_pairs_hook=read_object,
            parse_int=_whole,
            parse_float=_real,
            parse_constant=_refuse_constant,
        )
        _check_within(found)
    except UnicodeDecodeError:
        raise JsonRefused("is not UTF-8 text; encode it as that") from None
    except RecursionError:
        raise JsonRefused(f"is nested deeper than {MOST_DEPTH} levels") from None
    except json.JSONDecodeError as error:
        raise JsonRefused(f"is not JSON: {error.msg} at character {error.pos}") from error
    return found


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise JsonRefused(f"has a number of {len(text)} digits; write it shorter")
    value = int(text)
    if abs(value) > MOST_WHOLE:
        raise JsonRefused(f"has the number {text}; at most {MOST_WHOLE} is taken")
    return value


def _real(text: str) -> float:
    if len(text) > MOST_DIGITS:
        raise JsonRefused(f"has a number of {len(text)} signs; write it shorter")
    value = float(text)
    if not math.isfinite(value):
        raise JsonRefused(f"has the number {text}, which is too large")
    return value


def _refuse_constant(text: str) -> float:
    raise JsonRefused(f"has {text}, which is no number")


def _check_within(found: Any) -> None:
    """Depth and characters, level by level, so that depth costs no stack."""
    level: list[Any] = [found]
    for _ in range(MOST_DEPTH + 1):
        below = []
        for each in level:
            if isinstance(each, str):
                if hidden := HIDDEN.search(each):
                    raise JsonRefused(_told_hidden(found, hidden.group()))
            elif isinstance(each, dict):
                below += [*each, *each.values()]
            elif isinstance(each, list):
                below += each
        if not below:
            return
        level = below
    raise JsonRefused(f"is nested deeper than {MOST_DEPTH} levels")


def _told_hidden(found: Any, sign: str) -> str:
    place = next(_places(found, sign, ""))
    where = f"in {place}" if place else "in it"
    return f"has a character that nobody sees (U+{ord(sign):04X}) {where}; take it out"


def _places(found: Any, sign: str, path: str) -> Iterator[str]:
    if isinstance(found, str):
        if sign in found:
            yield path
    elif isinstance(found, dict):
        for key, each in found.items():
            place = f"{path}.{key}" if path else key
            if sign in key:
                yield f"a name of {path or 'the document'}"
            yield from _places(each, sign, place)
    elif isinstance(found, list):
        for index, each in enumerate(found):
            yield from _places(each, sign, f"{path}[{index}]")
