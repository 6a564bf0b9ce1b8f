"""Documents as TOML text: written in the order that people write, read, changed in place."""

import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, get_args, get_origin

import tomlkit
from pydantic import BaseModel
from tomlkit.exceptions import TOMLKitError

from loricate.core.errors import DocumentError, Finding
from loricate.core.kinds import find_kind
from loricate.core.sequences.steps import Sequence as SequenceDocument
from loricate.core.sequences.steps import Step

MOST_CHARACTERS = 2**20
MOST_PARTS = 16  # of one dotted name
MOST_NAMES = 20_000
_PART = r"""(?:[A-Za-z0-9_-]+|"[^"\n]*"|'[^'\n]*')"""
_LONG_NAME = re.compile(rf"(?<![^\s\[{{,]){_PART}(?:[ \t]*\.[ \t]*{_PART}){{{MOST_PARTS},}}")


def read_toml(text: str) -> dict[str, Any]:
    """TOML from outside, no larger than anybody writes: raises DocumentError.

    The time that reading takes grows with the square of a dotted name's parts, so they are bounded
    before.
    """

    def refuse(reason: str) -> DocumentError:
        return DocumentError("file", (Finding("file", reason),))

    if len(text) > MOST_CHARACTERS:
        raise refuse(f"has more than {MOST_CHARACTERS // 2**20} MiB; send less of it.")
    if text.count("=") + text.count("[") > MOST_NAMES:
        raise refuse(f"has more than {MOST_NAMES} names and tables; send less of it.")
    if long := _LONG_NAME.search(text):
        raise refuse(
            f"has a dotted name of more than {MOST_PARTS} parts ({long.group()[:24]}…); write "
            "tables instead."
        )
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise refuse(f"is not TOML: {error}.") from error
    except RecursionError:
        raise refuse("is nested too deeply; write it flatter.") from None
    except ValueError as error:  # of digits without end
        raise refuse(f"has a number that cannot be read ({error}).") from error


def read_sequence_text(text: str) -> dict[str, Any]:
    """A sequence file as a document, whatever is still wrong with its steps.

    Raises DocumentError when it is not TOML, or no sequence that could be opened and put right.
    """
    document = read_toml(text)
    found = []
    if not isinstance(document.get("code"), str):
        found.append(Finding("code", "is missing", "a sequence file has a code."))
    if not isinstance(document.get("product"), str):
        found.append(Finding("product", "is missing", "a sequence file names its product."))
    steps = document.get("steps")
    if not isinstance(steps, list) or not all(isinstance(each, dict) for each in steps):
        found.append(Finding("steps", "are missing", "write each as a [[steps]] table."))
    else:
        for index, step in enumerate(steps):
            found += [
                Finding(f"steps[{index}].{key}", "is missing", "each step has an id and a kind.")
                for key in ("id", "kind")
                if not isinstance(step.get(key), str)
            ]
    if found:
        raise DocumentError("file", tuple(found))
    return SequenceDocument.in_current_form(document)


def in_written_order(document: Mapping[str, Any], model: type[BaseModel]) -> dict[str, Any]:
    """A document with its keys as people write them: as its model has them, all the way down."""
    fields: dict[str, Any] = {
        name: field.annotation for name, field in model.model_fields.items() if name in document
    }
    fields |= dict.fromkeys(name for name in document if name not in fields)
    if model is Step and "settings" in fields:
        fields["settings"] = find_kind(str(document.get("kind")))
    found = {name: _ordered(document[name], annotation) for name, annotation in fields.items()}
    # Tables come after plain values, as TOML wants it.
    return dict(sorted(found.items(), key=lambda pair: _is_table(pair[1])))


def _ordered(value: Any, annotation: Any) -> Any:
    """A value of a field, each document in it in its own order."""
    models = tuple(_models_in(annotation))
    if isinstance(value, list):
        return [_ordered(each, annotation) for each in value]
    if not models or not isinstance(value, Mapping):
        return value
    if any(get_origin(each) in (dict, Mapping) for each in (annotation, *get_args(annotation))):
        return {name: _ordered(each, models[0]) for name, each in value.items()}
    return in_written_order(value, models[0])


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for each in get_args(annotation):
        yield from _models_in(each)


def _is_table(value: Any) -> bool:
    if isinstance(value, list):
        return bool(value) and all(isinstance(each, dict) for each in value)
    return isinstance(value, dict)


def written(document: Mapping[str, Any], model: type[BaseModel]) -> str:
    """A document as the TOML file that a person would have written; what is empty is left out."""
    return tomlkit.dumps(_tidy(in_written_order(document, model)))


def change_toml(text: str, path: Sequence[str | int], value: str | None) -> str:
    """A TOML document with one value changed, or taken out; comments and layout are kept.

    ``path`` goes by keys; a list's entry is named by its id or its place. ``value`` is TOML
    (``5``, ``true``, ``["L", "N"]``) or else taken as text. Raises LookupError for a path that is
    not there.
    """
    document = tomlkit.parse(text)
    *way, last = path
    place: Any = document
    for key in way:
        if isinstance(key, int):
            place = place[key]
        elif isinstance(place, list):
            place = next((each for each in place if each.get("id") == key), None)
        else:
            if key not in place and value is not None:
                place[key] = tomlkit.table()
            place = place.get(key)
        if place is None:
            raise LookupError(key)
    if value is None:
        if last not in place:
            raise LookupError(last)
        del place[last]
    else:
        try:
            place[last] = tomlkit.value(value)
        except (TOMLKitError, ValueError):
            place[last] = value
    return tomlkit.dumps(document)


def _tidy(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _tidy(each) for key, each in value.items() if each is not None}
    if isinstance(value, list):
        return [_tidy(each) for each in value]
    return value
