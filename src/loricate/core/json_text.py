"""JSON (RFC 8259) from outside: read strictly, and no larger or deeper than anybody needs.

What other readers may understand in another way is refused: a name given twice in one object,
numbers that are none or that no double holds, text that is not UTF-8.
"""

import json
import math
from collections import Counter
from typing import Any

from loricate.core.errors import CoreError

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


def read_json(data: bytes) -> Any:
    """Give what JSON text says; raises JsonRefused."""
    names = 0

    def read_object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        nonlocal names
        names += len(pairs)
        if names > MOST_NAMES:
            raise JsonRefused(f"has more than {MOST_NAMES} names; send less of it")
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
        _check_depth(found)
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


def _check_depth(found: Any) -> None:
    """Level by level, so that depth costs no stack."""
    level: list[Any] = [found]
    for _ in range(MOST_DEPTH + 1):
        level = [
            inner
            for each in level
            if isinstance(each, dict | list)
            for inner in (each.values() if isinstance(each, dict) else each)
        ]
        if not level:
            return
    raise JsonRefused(f"is nested deeper than {MOST_DEPTH} levels")
