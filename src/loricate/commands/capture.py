"""``loricate capture``."""

import sys
from typing import TYPE_CHECKING

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import NOT_PASSED, moment, print_table
from loricate.commands.upkeep_view import follow_to_end

if TYPE_CHECKING:
    from loricate.api.captures import CaptureOut
    from loricate.client import Client

NEWEST = "newest"
CAPTURE = click.argument("capture", default=NEWEST)


@click.group("capture")
def command() -> None:
    """Describe a cable or transformer by units that are known to be good."""


@command.command("unit")
@click.argument("fixture")
@click.argument("serial")
@click.option("--nest", default="", help="The fixture's first by default.")
@click.option("--position", "positions", multiple=True, help="Of its switch; one option each.")
@click.option("--temperature", default="", help="Of a unit with windings; °C or °F.")
@click.option("--beside", default="", help="A capture to add it to, to see what differs.")
@service_options
def unit(
    fixture: str,
    serial: str,
    nest: str,
    positions: tuple[str, ...],
    temperature: str,
    beside: str,
    call: Call,
) -> None:
    """Measure a known-good unit: a cable's nets and components, or a transformer's windings.

    Where the fixture names contacts by connector it is a cable. Exits 3 when it could not be
    captured.

    Example: loricate capture unit FX-C CL7-GOOD-1 --position SLOW --position FAST
    """
    with call.connect() as client:
        capture = _id_of(client, beside) if beside else ""
        begun = client.begin_capture(fixture, serial, nest, positions, capture, temperature)
        act = follow_to_end(client, begun)
        found = client.capture(act.made) if act.made else None
    if not call.printed(found or act):
        for finding in act.findings:
            click.echo(finding)
        if found is not None:
            _print_capture(found)
    if found is None:
        sys.exit(NOT_PASSED)


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List captures, newest first.

    Example: loricate capture list
    """
    with call.connect() as client:
        found = client.captures()
    if call.printed(found):
        return
    rows = [
        (each.id, each.fixture, ", ".join(each.serials), each.account, moment(each.measured_at))
        for each in found
    ]
    print_table(("CAPTURE", "FIXTURE", "UNITS", "BY", "MEASURED"), rows)
    if not found:
        click.echo("No captures yet; begin with `loricate capture unit`.", err=True)


@command.command("show")
@CAPTURE
@service_options
def show(capture: str, call: Call) -> None:
    """Show a capture, the newest by default: each thing found, and how units differ.

    Example: loricate capture show
    """
    with call.connect() as client:
        found = client.capture(_id_of(client, capture))
    if not call.printed(found):
        _print_capture(found)


@command.command("decide")
@CAPTURE
@click.option(
    "--accept", multiple=True, help="A net, component, winding or pin to take as proposed."
)
@click.option("--refuse", multiple=True, help="One to leave out.")
@click.option("--change", multiple=True, help='What one is instead: "N1 name=+48V colour=red".')
@click.option("--accept-others", is_flag=True, help="Take all others in which no units differ.")
@service_options
def decide(
    capture: str,
    accept: tuple[str, ...],
    refuse: tuple[str, ...],
    change: tuple[str, ...],
    accept_others: bool,
    call: Call,
) -> None:
    """Decide on each thing that a capture found; nothing is made of it before all are.

    Example: loricate capture decide --change "N1 name=+48V colour=red" --accept-others
    """
    from loricate.api.captures import ItemDecision

    decisions = [ItemDecision(item=each, choice="accepted") for each in accept]
    decisions += [ItemDecision(item=each, choice="refused") for each in refuse]
    decisions += [
        ItemDecision(item=item, choice="changed", changes=changes)
        for item, changes in map(_read_change, change)
    ]
    if not decisions and not accept_others:
        raise click.UsageError("Say what to --accept, --refuse or --change, or --accept-others.")
    with call.connect() as client:
        found = client.decide_capture(_id_of(client, capture), decisions, accept_others)
    if not call.printed(found):
        _print_capture(found)


def _read_change(text: str) -> tuple[str, dict[str, str]]:
    """``N1 name=+48V maximum=150 mΩ`` as the item and what it is to be; a value may have blanks."""
    item, _, rest = text.strip().partition(" ")
    changes: dict[str, str] = {}
    name = ""
    for word in rest.split():
        field, equals, value = word.partition("=")
        if equals and field.isidentifier():
            name = field
            changes[name] = value
        elif name:
            changes[name] = f"{changes[name]} {word}".strip()
        else:
            changes = {}
            break
    if not changes:
        raise click.UsageError(
            f"'{text}' says nothing that is changed; write \"N1 name=+48V colour=red\"."
        )
    return item, changes


@command.command("product")
@click.argument("code")
@click.option("--title", required=True, help="What it is called.")
@click.option("--of", "capture", default=NEWEST, help="The capture; the newest by default.")
@service_options
def product(code: str, title: str, capture: str, call: Call) -> None:
    """Make a product of a capture in which all is decided.

    Example: loricate capture product CL-8 --title "Winch control lead CL-8"
    """
    with call.connect() as client:
        if any(each["code"] == code for each in client.products()):
            raise click.ClickException(f"There is a product {code} already; choose another code.")
        draft = client.draft_from_capture(_id_of(client, capture), code, title)
        stored = client.add_product(draft)
    check = "from-to" if draft["family"] == "cable" else "show"
    if not call.printed(stored):
        click.echo(
            f"{stored.code} is stored as revision {stored.revision}. Check it with "
            f"`loricate product {check} {stored.code}`; no sequence tests it yet."
        )


def _id_of(client: "Client", told: str) -> str:
    """The id of a capture, of the newest one by that word."""
    if told != NEWEST:
        return told
    found = client.captures()
    if not found:
        raise click.ClickException("There is no capture yet; begin with `loricate capture unit`.")
    return found[0].id


def _print_capture(found: "CaptureOut") -> None:
    serials = [each.serial for each in found.units]
    click.echo(f"Capture {found.id} of {' and '.join(serials)}")
    rows = []
    for each in found.items:
        now = each.proposed | each.changes
        nominal = now.get("value") or now.get("resistance")
        limits = f"{nominal} ± {now['tolerance']}" if nominal else ""
        if each.sort == "net":
            limits = f"{now.get('minimum', '')} to {now.get('maximum', '')}"
        rows.append(
            (
                each.name,
                now["name"] if now["name"] != each.name else "",
                each.sort,
                " - ".join(each.contacts),
                each.position or "",
                *(text or "-" for text in each.measured),
                limits,
                f"{each.standing}{', DIFFERS' if each.differs else ''}",
            )
        )
    heads = ("ITEM", "CALLED", "SORT", "CONTACTS", "POSITION", *serials, "MAY HAVE", "STANDS")
    print_table(heads, rows, tuple(serials))
    if found.columns:
        pins = ", ".join(f"{pin} at {column}" for pin, column in found.columns.items())
        nowhere = f"; nothing at {', '.join(map(str, found.skipped))}" if found.skipped else ""
        click.echo(f"Pins by matrix column: {pins}{nowhere}.")
    for sentence in (*found.differences, *found.remarks):
        click.echo(sentence)
    click.echo(f"{found.open} open" if found.open else "All decided.")
