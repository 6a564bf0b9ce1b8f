"""``loricate asset``."""

from typing import TYPE_CHECKING

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.assets import AssetOut

STATES = {
    "new": "never tested",
    "in_use": "in use",
    "in_repair": "in repair",
    "undecided": "not decided",
}


@click.group("asset")
def command() -> None:
    """Describe devices by their number; see how they stand, and what is due."""


@command.command("describe")
@click.argument("number")
@click.option("--product", required=True, help="Its product's code.")
@click.option("--serial", required=True, help="The serial on its plate.")
@click.option("--place", default="", help="Where it is used.")
@service_options
def describe(number: str, product: str, serial: str, place: str, call: Call) -> None:
    """Say which device has a number, and where it is used.

    Example: loricate asset describe RB-1041 --product FW-2 --serial FW2-26-0041 --place "Hangar"
    """
    with call.connect() as client:
        made = client.describe_asset(number, product, serial, place)
    if not call.printed(made):
        _print(made)


@command.command("show")
@click.argument("number")
@service_options
def show(number: str, call: Call) -> None:
    """Show a device by its number or serial: what failed last time, when it is next due.

    Example: loricate asset show RB-1041
    """
    with call.connect() as client:
        found = client.asset(number)
    if not call.printed(found):
        _print(found)


@command.command("list")
@click.argument("search", default="*")
@click.option("--due", "only_due", is_flag=True, help="Only those that are due.")
@service_options
def list_(search: str, only_due: bool, call: Call) -> None:
    """List devices by number, serial or place; `*` stands for anything.

    Example: loricate asset list --due
    """
    with call.connect() as client:
        found = [each for each in client.assets(search) if each.is_overdue or not only_due]
    if call.printed(found):
        return
    rows = [
        (
            each.number,
            each.product,
            each.serial,
            each.place,
            STATES[each.state],
            due_text(each),
        )
        for each in found
    ]
    print_table(("NUMBER", "PRODUCT", "SERIAL", "PLACE", "STATE", "DUE"), rows)
    if not found:
        click.echo("No device is due." if only_due else f"No device matches '{search}'.", err=True)


def due_text(asset: "AssetOut") -> str:
    """When a device is next due."""
    if asset.due is None:
        return "now" if asset.is_overdue else ""
    return f"{asset.due}{' (overdue)' if asset.is_overdue else ''}"


def _print(asset: "AssetOut") -> None:
    name = asset.number or "no number"
    click.secho(f"{name}  {asset.product} {asset.serial}, {asset.place or 'no place'}", bold=True)
    click.echo(f"{STATES[asset.state].capitalize()}. Next due: {due_text(asset) or 'not said'}.")
    if asset.last is not None:
        failed = f", failed: {', '.join(asset.last.failed)}" if asset.last.failed else ""
        click.echo(
            f"Last test {asset.last.ended_at[:10]}, {asset.last.occasion or 'production'} by "
            f"{asset.last.sequence}: {verdict_word(asset.last.verdict)}{failed}"
        )
    for each in asset.occasions:
        every = f", every {each.every_months} months" if each.every_months else ""
        click.echo(f"  {each.occasion}: {each.sequence}{every}")
