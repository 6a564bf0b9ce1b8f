"""Differences between two revisions of a document, entry by entry."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

MISSING = object()


@dataclass(frozen=True, slots=True)
class Difference:
    """One place where two revisions differ; what a side lacks is None.

    Entries of a list that have an ``id`` are known by it, so that one moved or put in does not make
    all after it differ; a path reads ``steps[earth].limits.resistance.maximum``.
    """

    path: str
    old: Any
    new: Any


def differences(old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[Difference, ...]:
    """Every difference in the order of the new document, what is gone after it."""
    return tuple(_compare("", old, new))


def _compare(path: str, old: Any, new: Any) -> Iterator[Difference]:
    if old == new:
        return
    if isinstance(old, Mapping) and isinstance(new, Mapping):
        for key in [*new, *(key for key in old if key not in new)]:
            place = f"{path}.{key}" if path else str(key)
            yield from _compare(place, old.get(key, MISSING), new.get(key, MISSING))
        return
    if _has_ids(old) and _has_ids(new):
        before = {each["id"]: each for each in old}
        after = {each["id"]: each for each in new}
        kept = [each for each in after if each in before]
        if kept != [each for each in before if each in after]:
            yield Difference(f"{path} order", list(before), list(after))
        for key in [*after, *(key for key in before if key not in after)]:
            place = f"{path}[{key}]"
            yield from _compare(place, before.get(key, MISSING), after.get(key, MISSING))
        return
    yield Difference(path, _shown(old), _shown(new))


def _has_ids(value: Any) -> bool:
    return isinstance(value, list) and all(
        isinstance(each, Mapping) and isinstance(each.get("id"), str) for each in value
    )


def _shown(value: Any) -> Any:
    return None if value is MISSING else value
