"""``loricate limit-set``."""

from pathlib import Path

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.definitions import FILE, differences_command, read_toml, revisions_command
from loricate.commands.output import print_table


@click.group("limit-set")
def command() -> None:
    """List, show, add, release and compare the limit sets of standards."""


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the newest revision of every limit set.

    Example: loricate limit-set list
    """
    with call.connect() as client:
        found = client.limit_sets()
    if call.printed(found):
        return
    rows = [
        (
            each["code"],
            str(each["revision"]),
            each["status"],
            f"{each['standard']} {each['edition']}".strip(),
            str(len(each["items"])),
            each["checked"] or "nobody yet",
            each["title"],
        )
        for each in found
    ]
    heads = ("CODE", "REV", "STATUS", "STANDARD", "ITEMS", "CHECKED BY", "TITLE")
    print_table(heads, rows, ("REV", "ITEMS"))


@command.command("show")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@service_options
def show(code: str, revision: int | None, call: Call) -> None:
    """Show the items of a limit set.

    Example: loricate limit-set show IEC-60335-1-A
    """
    with call.connect() as client:
        found = client.limit_set(code, revision)
    if call.printed(found):
        return
    checked = found["checked"] or "nobody has compared it with a bought copy yet"
    click.echo(
        f"{found['code']} revision {found['revision']} ({found['status']}): {found['title']}, "
        f"{found['standard']} {found['edition']}; {checked}"
    )
    rows = [
        (item["id"], item["clause"], item.get("kind") or "-", _figure(item), item["applies"])
        for item in found["items"]
    ]
    print_table(("ITEM", "CLAUSE", "KIND", "LIMIT", "APPLIES TO"), rows)


def _figure(item: dict[str, object]) -> str:
    low, high = item.get("minimum"), item.get("maximum")
    if item.get("minimum_by") or item.get("maximum_by"):
        return "by formula"
    if low and high:
        return f"{low} to {high}"
    return f"≥ {low}" if low else f"≤ {high}" if high else "test only"


@command.command("add")
@click.argument("file", type=FILE)
@service_options
def add(file: Path, call: Call) -> None:
    """Add a limit set file, or a revision of one.

    Example: loricate limit-set add demo/limit-sets/en-50699.toml
    """
    with call.connect() as client:
        stored = client.add_limit_set(read_toml(file))
    if not call.printed(stored):
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("release")
@click.argument("code")
@click.option("--checked", required=True, help="Who compared its figures with what, and when.")
@service_options
def release(code: str, checked: str, call: Call) -> None:
    """Release a limit set's newest revision.

    Example: loricate limit-set release EN-50699 --checked "M. Rowe, 2026-11-20, copy 4411"
    """
    with call.connect() as client:
        stored = client.release_limit_set(code, checked)
    if not call.printed(stored):
        click.echo(f"{stored.code} is released as revision {stored.revision}.")


command.add_command(revisions_command("limit-sets", "limit set", "EN-50699"))
command.add_command(differences_command("limit-sets", "limit set", "EN-50699"))
