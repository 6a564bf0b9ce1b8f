"""``loricate item``."""

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_table


@click.group("item")
def command() -> None:
    """See what is to be looked into: raise, give, end."""


@command.command("list")
@click.option(
    "--state",
    default="open",
    show_default=True,
    type=click.Choice(["open", "ended", "all"]),
)
@click.option("--owner", default="", help="Those of this account.")
@service_options
def list_(state: str, owner: str, call: Call) -> None:
    """List items, the newest first.

    Example: loricate item list --owner ines
    """
    with call.connect() as client:
        found = client.items("" if state == "all" else state, owner)
    if call.printed(found):
        return
    rows = [
        (
            each.id,
            each.owner,
            each.about,
            each.text,
            moment(each.raised_at),
            each.state.replace("_", " "),
            f"{each.ended_by}: {each.note}" if each.ended_by else "",
        )
        for each in found
    ]
    print_table(("ITEM", "OWNER", "ABOUT", "WHAT", "RAISED (UTC)", "STATE", "END"), rows)
    if not found:
        click.echo("There is no such item.", err=True)


@command.command("raise")
@click.argument("about")
@click.argument("text")
@click.option("--owner", default=None, help="Account that is to look into it; else your own.")
@service_options
def raise_(about: str, text: str, owner: str | None, call: Call) -> None:
    """Raise an item for what you have seen.

    Example: loricate item raise "FX-B nest 7" "Reads a tenth of the others" --owner ines
    """
    with call.connect() as client:
        made = client.raise_item(about, text, owner=owner)
    if not call.printed(made):
        click.echo(f"Item {made.id} is {made.owner}'s.")


@command.command("give")
@click.argument("item")
@click.argument("owner")
@service_options
def give(item: str, owner: str, call: Call) -> None:
    """Give an open item to another owner.

    Example: loricate item give 019ac3f2-6c1e-7d04-8a35-0c5f2d7e9b11 ines
    """
    with call.connect() as client:
        made = client.give_item(item, owner)
    if not call.printed(made):
        click.echo(f"Item {made.id} is {made.owner}'s.")


@command.command("end")
@click.argument("item")
@click.argument("how", type=click.Choice(["accepted", "acted-on"]))
@click.argument("note")
@service_options
def end(item: str, how: str, note: str, call: Call) -> None:
    """End an item: accepted as it is, or acted on, with why or what was done.

    Example: loricate item end 019ac3f2-6c1e-7d04-8a35-0c5f2d7e9b11 acted-on "Contacts renewed"
    """
    with call.connect() as client:
        made = client.end_item(item, how.replace("-", "_"), note)
    if not call.printed(made):
        click.echo(f"Item {made.id} was {made.state.replace('_', ' ')}.")
