"""What the commands for documents share: reading files, showing revisions and differences."""

import tomllib
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
