"""``loricate order``."""

from typing import TYPE_CHECKING

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.orders import OrderOut


@click.group("order")
def command() -> None:
    """See what other systems want tested: give, list, show, withdraw."""


@command.command("put")
@click.argument("number")
@click.option("--asset", default="", help="The device's asset number.")
@click.option("--product", default="", help="Or its product's code,")
@click.option("--serial", default="", help="and the serial on its plate.")
@click.option("--occasion", required=True, help="Why it is tested, such as after_repair.")
@click.option("--due", default="", metavar="DATE", help="By when it is wanted.")
@click.option("--say", "said", default="", help="For whoever tests it.")
@service_options
def put(
    number: str,
    asset: str,
    product: str,
    serial: str,
    occasion: str,
    due: str,
    said: str,
    call: Call,
) -> None:
    """Give an order, as a maintenance system does; said anew while it is open, it is changed.

    Example: loricate order put WO-2026-0417 --asset RB-1041 --occasion after_repair
    """
    with call.connect() as client:
        made = client.put_order(
            number,
            occasion,
            asset=asset,
            product=product,
            serial=serial,
            due=due,
            said=said,
        )
    if not call.printed(made):
        _print(made)


@command.command("list")
@click.option("--all", "show_all", is_flag=True, help="Also those that have ended.")
@service_options
def list_(show_all: bool, call: Call) -> None:
    """List what is still to be tested for other systems.

    Example: loricate order list
    """
    with call.connect() as client:
        found = client.orders("" if show_all else "open")
    if call.printed(found):
        return
    print_table(
        ["ORDER", "DEVICE", "OCCASION", "SEQUENCE", "DUE", "STATE"],
        [
            [
                each.number,
                f"{each.product} {each.serial}" + (f" ({each.asset})" if each.asset else ""),
                each.occasion.replace("_", " "),
                each.sequence or "none",
                _due(each),
                _state(each),
            ]
            for each in found
        ],
    )
    if not found:
        click.echo("No order." if show_all else "No order is open.")


@command.command("show")
@click.argument("number")
@service_options
def show(number: str, call: Call) -> None:
    """Show an order: what it is for, and which run did it.

    Example: loricate order show WO-2026-0417
    """
    with call.connect() as client:
        found = client.order(number)
    if not call.printed(found):
        _print(found)


@command.command("withdraw")
@click.argument("number")
@click.option("--reason", required=True, help="Why nobody wants it any more.")
@service_options
def withdraw(number: str, reason: str, call: Call) -> None:
    """Withdraw an order that nobody wants any more.

    Example: loricate order withdraw WO-2026-0417 --reason "Device was scrapped"
    """
    with call.connect() as client:
        found = client.withdraw_order(number, reason)
    if not call.printed(found):
        _print(found)


def _due(order: "OrderOut") -> str:
    if order.due is None:
        return ""
    return f"{order.due}{' overdue' if order.is_overdue else ''}"


def _state(order: "OrderOut") -> str:
    if order.state == "done":
        return f"done: {verdict_word(order.verdict)}"
    return order.state


def _print(order: "OrderOut") -> None:
    click.secho(f"{order.number}  {_state(order)}", bold=True)
    place = f", {order.place}" if order.place else ""
    asset = f"{order.asset}, " if order.asset else ""
    click.echo(f"  {asset}{order.product} {order.serial}{place}")
    click.echo(f"  {order.occasion.replace('_', ' ')} by {order.sequence or 'no sequence'}")
    if order.due:
        click.echo(f"  wanted by {_due(order)}")
    if order.said:
        click.echo(f"  {order.said}")
    click.echo(f"  given {moment(order.came_at)} by {order.by}")
    if order.run:
        click.echo(f"  done {moment(order.ended_at or '')} by run {order.run}")
    if order.reason:
        click.echo(f"  withdrawn by {order.reason}")
