"""``loricate search``."""

from typing import Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_table
from loricate.commands.searching import search_options, told


@click.group("search")
def command() -> None:
    """Keep searches for units by name, for the whole site."""


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the searches that the site has; `loricate unit find --kept NAME` does one.

    Example: loricate search list
    """
    with call.connect() as client:
        found = client.searches()
    if call.printed(found):
        return
    rows = [
        (each.name, told(each.search.asked()), each.account, moment(each.kept_at)) for each in found
    ]
    print_table(("NAME", "LOOKS FOR", "BY", "KEPT (UTC)"), rows)
    if not found:
        click.echo("No search is kept; `loricate search keep NAME` keeps one.", err=True)


@command.command("keep")
@click.argument("name")
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@search_options
@service_options
def keep(name: str, serial: str, asked: dict[str, Any], call: Call) -> None:
    """Keep a search under a name, in the place of one that had it.

    Example: loricate search keep "Failed this week" --verdict fail --since 7d
    """
    if serial:
        asked["serial"] = serial
    with call.connect() as client:
        made = client.keep_search(name, **asked)
    if not call.printed(made):
        click.echo(f"'{made.name}' looks for {told(made.search.asked()) or 'everything'}.")


@command.command("drop")
@click.argument("name")
@service_options
def drop(name: str, call: Call) -> None:
    """Keep a search no longer.

    Example: loricate search drop "Failed this week"
    """
    with call.connect() as client:
        client.drop_search(name)
    if not call.printed({"name": name}):
        click.echo(f"'{name}' is kept no longer.")
