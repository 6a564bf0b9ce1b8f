"""``loricate lot``."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.lots import LotOut, LotSummary

SHOWN_WAITING = 20


@click.group("lot")
def command() -> None:
    """Open, list, show, print, sum up and close lots."""


@command.command("open")
@click.argument("code")
@click.argument("product")
@click.argument("serials")
@click.option("--quantity", type=int, help="How many units; needed with a pattern.")
@click.option("--order", "order_number", default="", help="The production order's number.")
@service_options
def open_(
    code: str,
    product: str,
    serials: str,
    quantity: int | None,
    order_number: str,
    call: Call,
) -> None:
    """Open a lot of a product for serials.

    They are ranges and single ones with commas between, or a pattern in which # stands for a digit,
    with the quantity: DC40-26-04## --quantity 40.

    Example: loricate lot open L-2611 DC-40 DC40-26-0201..DC40-26-0208 --order PO-7731
    """
    with call.connect() as client:
        lot = client.open_lot(code, product, serials, quantity=quantity, order_number=order_number)
    if not call.printed(lot):
        click.echo(f"Lot {lot.code} is open for {lot.expected} units.")


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List lots with their progress.

    Example: loricate lot list
    """
    with call.connect() as client:
        found = client.lots()
    if call.printed(found):
        return
    rows = [
        (
            lot.code,
            lot.product,
            lot.state,
            f"{lot.tested} of {lot.expected}",
            share(lot.first_pass_yield),
            share(lot.final_yield),
            lot.order_number,
        )
        for lot in found
    ]
    heads = ("LOT", "PRODUCT", "STATE", "TESTED", "FIRST PASS", "FINAL", "ORDER")
    print_table(heads, rows, ("TESTED", "FINAL"))
    if not found:
        click.echo("No lots yet; open one with `loricate lot open`.", err=True)


@command.command("show")
@click.argument("code")
@service_options
def show(code: str, call: Call) -> None:
    """Sum up a lot: yields, units with their latest verdicts, and those that wait.

    Example: loricate lot show L-2611
    """
    with call.connect() as client:
        lot = client.lot(code)
    if not call.printed(lot):
        print_lot(lot)


@command.command("paper")
@click.argument("code")
@click.option(
    "--to",
    "folder",
    type=click.Path(file_okay=False, path_type=Path),
    default=".",
    show_default=True,
    help="Where the PDF goes.",
)
@service_options
def paper(code: str, folder: Path, call: Call) -> None:
    """Save a view of a lot as a PDF, as it stands now; `sum-up` issues a signed one.

    Example: loricate lot paper L-2611 --to out
    """
    with call.connect() as client:
        data = client.lot_pdf(code)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{code}.pdf"
    path.write_bytes(data)
    if not call.printed({"path": str(path)}):
        click.echo(str(path))


@command.command("sum-up")
@click.argument("code")
@service_options
def sum_up(code: str, call: Call) -> None:
    """Issue the summary of a lot as it stands: a signed document, in place of the one before.

    Example: loricate lot sum-up L-2611
    """
    with call.connect() as client:
        number = client.issue_summary(code)
    if not call.printed({"number": number}):
        click.echo(f"Issued {number}; get it with `loricate certificate get {number}`.")


@command.command("close")
@click.argument("code")
@service_options
def close(code: str, call: Call) -> None:
    """Close a lot; no run is made in it any more, and its summary is issued.

    Example: loricate lot close L-2611
    """
    with call.connect() as client:
        lot = client.close_lot(code)
    if not call.printed(lot):
        click.echo(f"Lot {lot.code} is closed. {sentence(lot)}")


def share(part: float | None) -> str:
    """A yield for people."""
    return "" if part is None else f"{part * 100:.1f} %"


def sentence(lot: "LotOut") -> str:
    """A lot's progress in a sentence."""
    if lot.tested == 0:
        return f"None of {lot.expected} units was tested."
    return (
        f"{lot.tested} of {lot.expected} units tested: {lot.passed} passed, {lot.failed} failed; "
        f"first-pass yield {share(lot.first_pass_yield)}, final yield {share(lot.final_yield)}."
    )


def print_lot(lot: "LotSummary") -> None:
    """Print a lot's summary."""
    order = f", order {lot.order_number}" if lot.order_number else ""
    click.secho(f"Lot {lot.code}: {lot.product}, {lot.serials}{order}, {lot.state}", bold=True)
    click.echo(sentence(lot))
    rows = [
        (
            unit.serial,
            verdict_word(unit.verdict),
            unit.cause,
            str(unit.times),
            (unit.certificate or "") + (" (revoked)" if unit.revoked else ""),
        )
        for unit in lot.units
    ]
    print_table(("SERIAL", "VERDICT", "CAUSE", "TIMES", "DOCUMENT"), rows, ("TIMES",))
    if lot.waiting:
        more = len(lot.waiting) - SHOWN_WAITING
        tail = f" and {more} more" if more > 0 else ""
        click.echo(f"Waiting: {', '.join(lot.waiting[:SHOWN_WAITING])}{tail}")
    elif lot.waiting_count:
        click.echo(f"Waiting: {lot.waiting_count} units.")
