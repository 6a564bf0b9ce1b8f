"""What the commands for documents share: reading files, showing revisions and differences."""

import tomllib
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.output import print_table

if TYPE_CHECKING:
    from loricate.api.definitions import DifferenceOut, RevisionOut

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
FOLDER = click.Path(exists=True, file_okay=False, path_type=Path)


def read_toml(path: Path) -> dict[str, Any]:
    """Read a TOML file; a fault in it is a usage error that names the line."""
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise click.UsageError(f"{path} is not TOML: {error}.") from error


def write_toml(document: dict[str, Any]) -> str:
    """A document as TOML; what is empty is left out, for TOML has no null."""
    import tomlkit

    return tomlkit.dumps(_tidy(document))


def in_written_order(document: dict[str, Any]) -> dict[str, Any]:
    """A sequence document with its keys as people write them, steps and what is in them as well."""
    from loricate.core.kinds import find_kind
    from loricate.core.sequences import Sequence, Step

    def ordered(value: dict[str, Any], names: Iterable[str]) -> dict[str, Any]:
        known = [name for name in names if name in value]
        return {
            name: value[name] for name in (*known, *(each for each in value if each not in known))
        }

    steps = []
    for step in document.get("steps", []):
        kind = find_kind(str(step.get("kind")))
        own = dict(step)
        if kind is not None and "settings" in own:
            own["settings"] = ordered(own["settings"], kind.settings.model_fields)
        # Tables come after plain values, as TOML wants it.
        plain = [name for name in Step.model_fields if name not in ("cues", "settings", "limits")]
        steps.append(ordered(own, (*plain, "cues", "settings", "limits")))
    return {**ordered(document, Sequence.model_fields), "steps": steps}


def change_toml(text: str, path: Sequence[str | int], value: str | None) -> str:
    """A TOML document with one value changed, or taken out; comments and layout are kept.

    ``path`` goes by keys; a list's entry is named by its id or its place. ``value`` is TOML
    (``5``, ``true``, ``["L", "N"]``) or else taken as text. Raises LookupError for a path that is
    not there.
    """
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

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


def print_revisions(found: "list[RevisionOut]") -> None:
    """Print revisions, newest first."""
    rows = [
        (str(each.revision), each.status, each.created_at[:19].replace("T", " "), each.created_by)
        for each in found
    ]
    print_table(("REV", "STATUS", "STORED (UTC)", "BY"), rows, ("REV",))


def print_differences(found: "list[DifferenceOut]") -> None:
    """Print differences, one a line."""
    for each in found:
        old, new = ("nothing" if side in (None, "") else str(side) for side in (each.old, each.new))
        click.echo(f"{each.path}: {old} -> {new}")
    if not found:
        click.echo("No differences.", err=True)
