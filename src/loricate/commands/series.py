"""``loricate series``."""

import sys
import time
from functools import partial
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, chosen_fixture, fixture_option, service_options
from loricate.commands.line import line_options
from loricate.commands.output import NOT_PASSED, moment, print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.series import SeriesOut, SeriesUnit
    from loricate.client import Client

LOOK_S = 0.2
IN_THE_RUN = ("created", "armed", "running")

which = click.option("--series", "series_id", default="", help="Its id; the newest by default.")
pass_visual_option = click.option(
    "--pass-visual", is_flag=True, help="Answer every visual check with pass."
)


@click.group("series")
def command() -> None:
    """Test consecutive units on one arming, as they are plugged in."""


@command.command("begin")
@click.argument("sequence")
@fixture_option
@click.option("--nest", "nests", multiple=True, help="The fixture's first by default.")
@click.option("--lot", default="", help="The lot that the units belong to.")
@click.option(
    "--count-from", default="", help="The first serial, or a pattern like CL7-26-####; else scan."
)
@line_options()
@pass_visual_option
@service_options
def begin(
    sequence: str,
    fixture: str,
    nests: tuple[str, ...],
    lot: str,
    count_from: str,
    line: dict[str, Any],
    pass_visual: bool,
    call: Call,
) -> None:
    """Begin a series, arm it, and follow it until it is stopped; Ctrl-C stops it.

    Exits 3 when a unit did not pass, or when an engineer is asked for.

    Example: loricate series begin LEAD-FINAL --fixture FX-C --count-from "CL7-26-####"
    """
    with call.connect() as client:
        begun = client.begin_series(
            sequence,
            chosen_fixture(client, fixture),
            nests,
            lot=lot,
            count_from=count_from,
            line=line,
        )
        ended = _perform(client, begun, pass_visual)
    _report(ended, call)


@command.command("arm")
@which
@pass_visual_option
@service_options
def arm(series_id: str, pass_visual: bool, call: Call) -> None:
    """Let a paused series go on, and follow it until it is stopped; Ctrl-C stops it.

    Example: loricate series arm
    """
    with call.connect() as client:
        ended = _perform(client, client.series(_id_of(client, series_id)), pass_visual)
    _report(ended, call)


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List series, newest first.

    Example: loricate series list
    """
    with call.connect() as client:
        found = client.list_series()
    if call.printed(found):
        return
    rows = [
        (
            each.id,
            each.sequence_code,
            f"{each.fixture}/{', '.join(each.nests)}",
            each.lot,
            each.state,
            each.created_by,
            moment(each.created_at),
        )
        for each in found
    ]
    print_table(("SERIES", "SEQUENCE", "NESTS", "LOT", "STATE", "BY", "BEGUN"), rows)
    if not found:
        click.echo("No series yet; begin one with `loricate series begin`.", err=True)


@command.command("show")
@which
@service_options
def show(series_id: str, call: Call) -> None:
    """Show how a series goes: what to do now, its last units, count, yield and cadence.

    Example: loricate series show
    """
    with call.connect() as client:
        found = client.series(_id_of(client, series_id))
    if not call.printed(found):
        _print(found)


@command.command("scan")
@click.argument("serials", nargs=-1, required=True, metavar="SERIAL...")
@which
@service_options
def scan(serials: tuple[str, ...], series_id: str, call: Call) -> None:
    """Give the serials of units to come, in their order.

    Example: loricate series scan CL7-26-0301 CL7-26-0302
    """
    with call.connect() as client:
        chosen = _id_of(client, series_id)
        for serial in serials:
            found = client.give_serial(chosen, serial)
    if not call.printed(found):
        click.echo(f"{', '.join(found.serials)} to come. {found.now}")


@command.command("withdraw")
@click.argument("serial")
@which
@service_options
def withdraw(serial: str, series_id: str, call: Call) -> None:
    """Take back the serial of a unit to come.

    Example: loricate series withdraw CL7-26-0302
    """
    with call.connect() as client:
        found = client.withdraw_serial(_id_of(client, series_id), serial)
    if not call.printed(found):
        click.echo(f"{', '.join(found.serials) or 'No serials'} to come. {found.now}")


@command.command("stop")
@which
@service_options
def stop(series_id: str, call: Call) -> None:
    """End a series now: outputs fall first, and the unit under test keeps its serial.

    Example: loricate series stop
    """
    with call.connect() as client:
        found = client.stop_series(_id_of(client, series_id))
    if not call.printed(found):
        _print(found)


@command.command("release")
@click.option("--reason", required=True, help="What it was; it is kept.")
@which
@service_options
def release(reason: str, series_id: str, call: Call) -> None:
    """Let a held series go on, as an engineer who has seen why its units failed.

    Example: loricate series release --reason "contact 7 of the fixture was bent; renewed"
    """
    with call.connect() as client:
        found = client.let_series_go_on(_id_of(client, series_id), reason)
    if not call.printed(found):
        _print(found)


def _id_of(client: "Client", series_id: str) -> str:
    """The id that was given, else the newest series'."""
    if series_id:
        return series_id
    newest = client.list_series(1)
    if not newest:
        raise click.ClickException("There is no series yet; begin with `loricate series begin`.")
    return newest[0].id


def _perform(client: "Client", series: "SeriesOut", pass_visual: bool) -> "SeriesOut":
    """Arm a series and follow it to its end; Ctrl-C stops it."""
    for notice in series.notices:
        click.echo(f"No certificates: {notice}", err=True)
    client.arm_series(series.id)
    told = {each.run for each in series.units}
    try:
        return _follow(client, series.id, pass_visual, told)
    except (KeyboardInterrupt, click.Abort):
        return client.stop_series(series.id)


def _follow(client: "Client", series_id: str, pass_visual: bool, told: set[str]) -> "SeriesOut":
    """Say what to do and how each unit came out, until the series is not on any more.

    ``told`` are the runs that were told of already.
    """
    said = ""
    while True:
        found = client.series(series_id)
        for unit in reversed(found.units):
            if unit.run not in told and unit.state not in IN_THE_RUN:
                click.echo(_line(unit), err=True)
        told |= {each.run for each in found.units if each.state not in IN_THE_RUN}
        if found.state == "paused" and sys.stdin.isatty():
            click.echo(f"Paused. {found.note}", err=True)
            click.confirm("Go on?", default=True, abort=True, err=True)
            client.arm_series(series_id)
        elif found.state != "on":
            return found
        elif found.run and found.run not in told:
            _watch(client, found.run, pass_visual)
        elif found.now != said:
            said = found.now
            click.echo(said, err=True)
            if not found.count_from and len(found.serials) < len(found.nests):
                client.give_serial(series_id, click.prompt("Serial", err=True))
        else:
            time.sleep(LOOK_S)


def _watch(client: "Client", run_id: str, pass_visual: bool) -> None:
    from loricate.commands.run_view import watch

    run = client.run(run_id)
    load = {unit.nest: unit.serial for unit in run.units}
    watch(client.events(run_id), partial(client.answer, run_id), load, len(run.steps), pass_visual)


def _line(unit: "SeriesUnit") -> str:
    cause = f" ({unit.cause})" if unit.cause else ""
    return f"{unit.serial}  nest {unit.nest}  {verdict_word(unit.verdict)}{cause}"


def _report(series: "SeriesOut", call: Call) -> None:
    """Print a series that is not on any more, and leave with 3 when not all is well."""
    if not call.printed(series):
        _print(series)
    if series.failed or series.state != "ended":
        sys.exit(NOT_PASSED)


def _print(series: "SeriesOut") -> None:
    click.echo(
        f"Series {series.id}  {series.sequence_code} revision {series.sequence_revision}, "
        f"{series.fixture}/{', '.join(series.nests)}, {series.state}"
    )
    for sentence in (series.note, series.now):
        if sentence:
            click.echo(sentence)
    rows = [
        (
            each.serial,
            each.nest,
            verdict_word(each.verdict) + (f" ({each.cause})" if each.cause else ""),
            moment(each.ended_at or ""),
            each.certificate or "",
        )
        for each in series.units
    ]
    print_table(("SERIAL", "NEST", "VERDICT", "ENDED", "DOCUMENT"), rows)
    told = [f"{series.tested} tested, {series.passed} passed, {series.failed} failed"]
    if series.first_pass_yield is not None:
        told.append(f"first-pass yield {series.first_pass_yield:.1%}")
    if series.cadence_s is not None:
        told.append(f"a unit every {series.cadence_s:.1f} s")
    click.echo("; ".join(told))
