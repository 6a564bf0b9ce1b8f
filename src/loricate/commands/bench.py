"""``loricate bench``."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

import click

from loricate.commands.arguments import TakesQuantities
from loricate.commands.connection import Call, service_options
from loricate.commands.definitions import FILE
from loricate.commands.output import NOT_PASSED, moment, print_table
from loricate.commands.upkeep_view import follow_to_end

if TYPE_CHECKING:
    from loricate.api.bench import DangerOut, FixtureOut


@click.group("bench")
def command() -> None:
    """See which instruments answer; zero, check and renew fixtures."""


@command.command("ambient", cls=TakesQuantities)
@click.argument("temperature", default="")
@click.argument("humidity", default="")
@service_options
def ambient(temperature: str, humidity: str, call: Call) -> None:
    """Say what the air about the units is like, once a shift; without arguments show it.

    It goes onto the certificates of runs that are started after it.

    Example: loricate bench ambient "21.5 °C" "45 %"
    """
    with call.connect() as client:
        found = client.note_ambient(temperature, humidity) if temperature else client.ambient()
    if call.printed(found):
        return
    if not found.at:
        click.echo("Nothing is known of the air; certificates say so.")
        return
    said = ", ".join(text for text in (found.temperature, found.humidity) if text)
    old = "" if found.holds else "; too old for certificates, say it again"
    click.echo(f"{said} ({found.by}, {moment(found.at)}{old})")


@command.command("show")
@service_options
def show(call: Call) -> None:
    """Show who answers, calibration, guard and fixtures.

    Example: loricate bench show
    """
    with call.connect() as client:
        bench, site = client.bench(), client.site()
    if call.printed(bench):
        return
    guard = {True: "closed", False: "OPEN", None: "does not answer"}[bench.guard_closed]
    click.echo(f"{bench.code}  {bench.title}, {bench.site}. Guard {guard}.")
    click.echo(danger_line(bench.danger))
    if site.exports:
        click.echo(f"Documents go to {site.exports}")
    if site.printer:
        click.echo(f"Printer {site.printer}")
    rows = [
        (
            each.id,
            each.title,
            each.serial,
            str(each.due or ""),
            "" if each.days_left is None else str(each.days_left),
            "PROBLEM" if each.problem else "NOT BELIEVED" if each.doubt else "answers",
        )
        for each in bench.instruments
    ]
    print_table(("ID", "INSTRUMENT", "SERIAL", "CALIBRATION DUE", "DAYS", "STATE"), rows, ("DAYS",))
    for each in bench.instruments:
        if each.problem:
            click.echo(each.problem)
        if each.doubt:
            click.echo(
                f"{each.id} {each.doubt}. No unit is certified with it until its next daily check."
            )
        if each.unseen:
            click.echo(f"{each.id} cannot say: {', '.join(each.unseen)}. It is taken on trust.")
    if bench.relay_wear:
        click.echo(f"Relay closed most: {bench.relay_wear}.")
    for fixture in bench.fixtures:
        _print_fixture(fixture)


def danger_line(danger: "DangerOut") -> str:
    """The danger in one line: its word first."""
    word = danger.state.replace("_", " ").upper()
    where = f", nest {', '.join(danger.nests)}" if danger.nests else ""
    volts = "" if danger.volts is None else f", {danger.volts:.0f} V"
    return f"{word}{where}{volts}. {' '.join(danger.reasons)}".strip()


@command.command("earthed")
@click.argument("note")
@service_options
def earthed(note: str, call: Call) -> None:
    """Confirm that the unit was earthed by hand; NOTE says what was done.

    Asked for where nothing could measure what is left at a unit.

    Example: loricate bench earthed "earthed nest 2 with the earthing stick"
    """
    with call.connect() as client:
        danger = client.confirm_earthed(note)
    if call.printed(danger):
        return
    click.echo(danger_line(danger))


def _print_fixture(fixture: "FixtureOut") -> None:
    click.secho(f"\nFixture {fixture.code}  {fixture.title}", bold=True)
    for found in fixture.maps:
        how = f"by {found.part}" if found.part else "with the probe"
        told = " ".join(found.differences) or "as the bench file says."
        when = f"{found.account}, {moment(found.measured_at)}"
        click.echo(f"columns of nest {found.nest}, measured {how} ({when}): {told}")
    for requirement in fixture.requirements:
        mark = "yes" if requirement.met else "NO"
        click.echo(f"{requirement.name}: {mark}. {requirement.reason}")
    zeroes = {(each.nest, each.contact): each.text for each in fixture.zeroes}
    contacts = list(dict.fromkeys(name for nest in fixture.nests.values() for name in nest))
    rows = [
        (
            nest,
            f"{fixture.matings[nest]} of {fixture.mating_limit}",
            *(f"{columns.get(name, '')}" for name in contacts),
            *(zeroes.get((nest, name), "") for name in contacts),
        )
        for nest, columns in fixture.nests.items()
    ]
    heads = ("NEST", "MATINGS", *contacts, *(f"{name} ZERO" for name in contacts))
    print_table(heads, rows, heads[1:])
    paths = [
        (z.nest, f"{z.high} to {z.low}", z.frequency, z.open, z.short)
        for z in fixture.impedance_zeroes
    ]
    print_table(("NEST", "PATH", "FREQUENCY", "OPEN", "SHORTED"), paths, ("OPEN", "SHORTED"))


@command.command("zero")
@click.argument("fixture")
@click.option("--nest", "nests", multiple=True, help="Only this nest; may be repeated.")
@service_options
def zero(fixture: str, nests: tuple[str, ...], call: Call) -> None:
    """Measure the leads of a fixture with its contacts shorted; later readings have them taken off.

    Exits 3 when a nest could not be zeroed.

    Example: loricate bench zero FX-A --nest 1
    """
    _perform("zero", fixture, nests, call)


@command.command("check")
@click.argument("fixture")
@click.option("--nest", default="", help="Where the reference boxes go; the first by default.")
@service_options
def check(fixture: str, nest: str, call: Call) -> None:
    """Do the daily check: the scanner with the fixture empty, then both reference boxes.

    Exits 3 when it fails; until one passes, no unit is certified.

    Example: loricate bench check FX-A
    """
    _perform("daily_check", fixture, (nest,) if nest else (), call)


@command.command("map")
@click.argument("fixture")
@click.option("--nest", default="", help="The fixture's first by default.")
@click.option("--part", default="", help="A product whose nets are plugged in; else the probe.")
@service_options
def map_(fixture: str, nest: str, part: str, call: Call) -> None:
    """Find which matrix column each contact of a nest is wired to, and compare with the file.

    With the probe each contact is touched in turn; by a part what hangs together is compared.
    Exits 3 when the file differs, or nothing was measured.

    Example: loricate bench map FX-C --nest 2 --part REF-CABLE
    """
    with call.connect() as client:
        act = client.begin_map(fixture, nest, part)
        ended = follow_to_end(client, act, waits=("touch",))
    if not call.printed(ended):
        for finding in ended.findings:
            click.echo(finding)
        if ended.state == "passed":
            click.echo("As the bench file says.")
    if ended.state != "passed":
        sys.exit(NOT_PASSED)


@command.command("touch")
@click.argument("fixture")
@click.option("--nest", default="", help="The fixture's first by default.")
@click.option("--product", default="", help="Whose nets name what is touched.")
@click.option("--list", "listed", type=FILE, help="Contacts to be led through, one a line.")
@click.option("--any-order", is_flag=True, help="Of the list.")
@click.option("--record", type=click.File("w"), help="Where to write what was touched, as a list.")
@service_options
def touch(
    fixture: str,
    nest: str,
    product: str,
    listed: Path | None,
    any_order: bool,
    record: TextIO | None,
    call: Call,
) -> None:
    """Name each contact that the probe touches, or lead through a list; Ctrl-C ends it.

    Exits 3 when a contact of the list was not touched.

    Example: loricate bench touch FX-C --product CL-7 --record winch-plug.txt
    """
    wanted = [] if listed is None else listed.read_text(encoding="utf-8").split()
    with call.connect() as client:
        act = client.begin_touch(fixture, nest, product, wanted, any_order)
        ended = follow_to_end(client, act, waits=("touch",))
    if record is not None:
        record.write("".join(f"{contact}\n" for contact in ended.touched))
    if not call.printed(ended):
        for finding in ended.findings:
            click.echo(finding)
        click.echo(f"{len(ended.touched)} contacts: {' '.join(ended.touched)}")
    if wanted and ended.state != "passed":
        sys.exit(NOT_PASSED)


def _perform(
    kind: str,
    fixture: str,
    nests: tuple[str, ...],
    call: Call,
) -> None:
    """Begin an act of upkeep, put its questions to the terminal, and print how it ended."""
    with call.connect() as client:
        ended = follow_to_end(client, client.begin_upkeep(kind, fixture, nests))
        shown = next(each for each in client.bench().fixtures if each.code == fixture)
    if not call.printed(ended):
        click.echo(f"{ended.kind.replace('_', ' ')} of {fixture}: {ended.state}")
        for finding in ended.findings:
            click.echo(finding)
        _print_fixture(shown)
    if ended.state != "passed":
        sys.exit(NOT_PASSED)


@command.command("checks")
@click.argument("fixture")
@service_options
def checks(fixture: str, call: Call) -> None:
    """List the daily checks of a fixture, newest first, with what was found wrong.

    Example: loricate bench checks FX-A
    """
    with call.connect() as client:
        found = client.daily_checks(fixture)
    if call.printed(found):
        return
    rows = [
        (
            each.ended_at[:19],
            "passed" if each.passed else "FAILED",
            each.valid_until[:19],
            each.account,
            " ".join(each.findings),
        )
        for each in found
    ]
    print_table(("CHECKED (UTC)", "RESULT", "COUNTS UNTIL", "BY", "FOUND"), rows)
    if not found:
        click.echo(f"{fixture} was never checked; run `loricate bench check {fixture}`.", err=True)


@command.command("renew")
@click.argument("fixture")
@click.option("--note", required=True, help="What was done; it is kept.")
@service_options
def renew(fixture: str, note: str, call: Call) -> None:
    """Enter that the contacts of a fixture were renewed; its matings are counted from now.

    Example: loricate bench renew FX-A --note "spring contacts changed"
    """
    with call.connect() as client:
        client.renew_contacts(fixture, note)
        shown = next(each for each in client.bench().fixtures if each.code == fixture)
    if not call.printed(shown):
        _print_fixture(shown)
