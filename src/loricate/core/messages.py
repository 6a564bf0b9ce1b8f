"""Messages to other systems, in the words that their receivers take."""

from collections.abc import Mapping
from typing import Any


def shaped(
    message: Mapping[str, Any], fields: Mapping[str, str], words: Mapping[str, str]
) -> dict[str, Any]:
    """A message as a receiver takes it.

    ``fields`` names what it takes, each with the path of it in the message (``test.verdict``);
    without any it takes the message as it is. What the message does not have is null: a document
    has no test. ``words`` are what it says for our own, wherever a text is exactly that.
    """
    taken = {name: _at(message, path) for name, path in fields.items()} if fields else dict(message)
    return {name: _said(value, words) for name, value in taken.items()} if words else taken


def _at(message: Mapping[str, Any], path: str) -> Any:
    found: Any = message
    for name in path.split("."):
        if not isinstance(found, Mapping):
            return None
        found = found.get(name)
    return found


def _said(value: Any, words: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return words.get(value, value)
    if isinstance(value, Mapping):
        return {name: _said(each, words) for name, each in value.items()}
    if isinstance(value, list):
        return [_said(each, words) for each in value]
    return value
