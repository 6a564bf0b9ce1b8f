"""What the commands for documents share: reading files, showing revisions and differences."""

import tomllib
from pathlib import Path
from typing import Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_table

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
FOLDER = click.Path(exists=True, file_okay=False, path_type=Path)


def read_toml(path: Path) -> dict[str, Any]:
    """Read a TOML file; a fault in it is a usage error that names the line."""
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise click.UsageError(f"{path} is not TOML: {error}.") from error


def revisions_command(kind: str, noun: str, code: str) -> click.Command:
    """The command that lists a document's revisions; ``kind`` is its word in the API."""

    @click.command(
        "revisions",
        help=f"List the revisions of a {noun}.\n\nExample: loricate {_word(noun)} revisions {code}",
    )
    @click.argument("code")
    @service_options
    def revisions(code: str, call: Call) -> None:
        with call.connect() as client:
            found = client.revisions(kind, code)
        if call.printed(found):
            return
        rows = [
            (str(each.revision), each.status, moment(each.created_at), each.created_by)
            for each in found
        ]
        print_table(("REV", "STATUS", "STORED (UTC)", "BY"), rows, ("REV",))

    return revisions


def differences_command(kind: str, noun: str, code: str) -> click.Command:
    """The command that compares two revisions of a document; ``kind`` is its word in the API."""

    @click.command(
        "differences",
        help=f"Show what differs between two revisions of a {noun}.\n\n"
        f"Example: loricate {_word(noun)} differences {code} 1 2",
    )
    @click.argument("code")
    @click.argument("old", type=int)
    @click.argument("new", type=int)
    @service_options
    def differences(code: str, old: int, new: int, call: Call) -> None:
        with call.connect() as client:
            found = client.differences(kind, code, old, new)
        if call.printed(found):
            return
        for each in found:
            sides = (
                "nothing" if each_side in (None, "") else str(each_side)
                for each_side in (each.old, each.new)
            )
            click.echo(f"{each.path}: {' -> '.join(sides)}")
        if not found:
            click.echo("No differences.", err=True)

    return differences


def _word(noun: str) -> str:
    """A noun as the command line has it."""
    return noun.replace(" ", "-")
