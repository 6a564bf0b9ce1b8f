"""``loricate run``."""

import sys
import time
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, chosen_fixture, fixture_option, service_options
from loricate.commands.line import line_options
from loricate.commands.output import NOT_PASSED, print_table, printed, verdict_word
from loricate.commands.unit import print_readings

if TYPE_CHECKING:
    from loricate.api.records import RunOut
    from loricate.client import Client


@click.group("run")
def command() -> None:
    """Start, watch, show, repeat, remark on and abort runs."""


def read_pairs(pairs: tuple[str, ...]) -> dict[str, str]:
    """Read nest=serial pairs; a wrong one is a usage error."""
    load: dict[str, str] = {}
    for pair in pairs:
        nest, sign, serial = pair.partition("=")
        if not sign or not nest or not serial:
            raise click.UsageError(
                f"'{pair}' is not nest=serial; write for example 1=DC40-26-0117."
            )
        if nest in load:
            raise click.UsageError(f"Nest {nest} is given twice; keep one.")
        load[nest] = serial
    return load


@command.command("start")
@click.argument("sequence")
@click.argument("load", nargs=-1, metavar="NEST=SERIAL...")
@fixture_option
@click.option(
    "--occasion",
    type=click.Choice(["production", "acceptance", "recurrent", "after_repair"]),
    help="Why they are tested; without a sequence it chooses the one that the product names.",
)
@click.option("--lot", default="", help="The lot that these units belong to.")
@click.option("--retest", default="", help="Why serials with a verdict are tested again.")
@click.option(
    "--start-by",
    type=click.Choice(["key", "foot", "presence"]),
    default="key",
    show_default=True,
    help="What starts the armed run: this command, the foot switch, or a unit in every nest.",
)
@line_options("start_delay", "stop_after_fails", "sounds", "verdict_stays", "send", "print")
@click.option("--pass-visual", is_flag=True, help="Answer every visual check with pass.")
@service_options
def start(
    sequence: str,
    load: tuple[str, ...],
    fixture: str,
    occasion: str | None,
    lot: str,
    retest: str,
    start_by: str,
    line: dict[str, Any],
    pass_visual: bool,
    call: Call,
) -> None:
    """Create, arm and start a run, watch it, and print its table; Ctrl-C aborts it.

    Exits 3 when a unit did not pass.

    Example: loricate run start DC40-FINAL --fixture FX-A 1=DC40-26-0117

    Example: loricate run start --occasion recurrent --fixture FX-W 1=RB-1041

    Example: loricate run start --fixture FX-W 1=WO-2611-031
    """
    if "=" in sequence:  # then the occasion, or an open order, chooses it
        sequence, load = "", (sequence, *load)
    if not load:
        raise click.UsageError("No unit is given; write for example 1=DC40-26-0117.")
    places = read_pairs(load)
    with call.connect() as client:
        run = client.create_run(
            sequence,
            chosen_fixture(client, fixture),
            places,
            lot=lot,
            retest=retest,
            start_by=start_by,
            line=line,
            occasion=occasion or "",
        )
        ended = perform(client, run, pass_visual)
    report(ended, call.as_json)


@command.command("resume")
@click.argument("run_id", default="")
@click.option("--pass-visual", is_flag=True, help="Answer every visual check with pass.")
@service_options
def resume(run_id: str, pass_visual: bool, call: Call) -> None:
    """Go on with an interrupted run, by default the newest; finished steps keep their readings.

    Example: loricate run resume
    """
    with call.connect() as client:
        if not run_id:
            run_id = next((run.id for run in client.runs() if run.state == "interrupted"), "")
            if not run_id:
                raise click.ClickException("No run was interrupted.")
        ended = perform(client, client.run(run_id), pass_visual)
    report(ended, call.as_json)


def perform(client: "Client", run: "RunOut", pass_visual: bool) -> "RunOut":
    """Arm, start and watch a run to its end; Ctrl-C aborts it.

    What puts nothing hazardous on needs no arming, unless something else is to start it.
    """
    for notice in run.notices:
        click.echo(f"No certificates: {notice}", err=True)
    if run.needs_arming or run.start_by != "key":
        client.arm_run(run.id)
    try:
        if run.start_by == "key":
            client.start_run(run.id)
        else:
            wait_for_start(client, run)
        _watch(client, run, pass_visual)
    except (KeyboardInterrupt, click.Abort):
        click.echo("Aborting: outputs fall now; this waits until every unit is safe.", err=True)
        client.abort_run(run.id)
    return client.wait_for_papers(run.id)


def wait_for_start(client: "Client", run: "RunOut") -> None:
    """Return when the foot switch, or the units themselves, have started an armed run."""
    what = "the foot switch" if run.start_by == "foot" else "a unit in every nest"
    click.echo(f"Armed; waiting for {what}.", err=True)
    while (state := client.run(run.id).state) == "armed":
        time.sleep(0.1)
    if state == "created":
        raise click.ClickException("The arming was dropped; close the guard and arm again.")


def _watch(client: "Client", run: "RunOut", pass_visual: bool) -> None:
    """Follow a run to its end, asking what is asked."""
    from loricate.commands.run_view import watch

    load = {unit.nest: unit.serial for unit in run.units}
    answer = partial(client.answer, run.id)
    watch(client.events(run.id), answer, load, len(run.steps), pass_visual)


def report(run: "RunOut", as_json: bool) -> None:
    """Print a run that has ended, and leave with 3 when a unit did not pass."""
    if not printed(as_json, run):
        print_run(run)
    if any(unit.verdict != "pass" for unit in run.units):
        sys.exit(NOT_PASSED)


def print_run(run: "RunOut") -> None:
    """Print a run's table: a unit a row, a step a column."""
    click.echo(f"Run {run.id}  {run.sequence_code} revision {run.sequence_revision}, {run.state}")
    if run.note:
        click.echo(run.note)
    rows = []
    for unit in run.units:
        latest = {attempt.step_id: attempt for attempt in unit.attempts}
        steps = []
        for step in run.steps:
            attempt = latest.get(step.id)
            steps.append(verdict_word(attempt.verdict) if attempt else "")
        cause = f" ({unit.cause})" if unit.cause else ""
        rows.append(
            (
                unit.nest,
                unit.serial,
                *steps,
                verdict_word(unit.verdict) + cause,
                unit.certificate or "",
            )
        )
    heads = ("NEST", "SERIAL", *(step.id.upper() for step in run.steps), "VERDICT", "DOCUMENT")
    print_table(heads, rows)


@command.command("show")
@click.argument("run_id", default="last")
@click.option("--readings", is_flag=True, help="Every reading of every unit.")
@service_options
def show(run_id: str, readings: bool, call: Call) -> None:
    """Show a run, the newest by default.

    Example: loricate run show --readings
    """
    with call.connect() as client:
        run = client.run(_run_id(client, run_id))
    if call.printed(run):
        return
    print_run(run)
    for unit in run.units if readings else ():
        click.secho(f"\nNest {unit.nest}  {unit.serial}", bold=True)
        print_readings(unit, with_points=True)


@command.command("repeat")
@click.argument("run_id")
@click.argument("nest")
@click.argument("step", default="")
@click.option("--reason", required=True, help="Why it is done again; it is kept.")
@click.option("--pass-visual", is_flag=True, help="Answer every visual check with pass.")
@service_options
def repeat(
    run_id: str,
    nest: str,
    step: str,
    reason: str,
    pass_visual: bool,
    call: Call,
) -> None:
    """Do a failed unit, or one failed step of it, again in its run; every attempt is kept.

    RUN_ID may be `last`. Exits 3 when a unit did not pass.

    Example: loricate run repeat last 3 earth --reason "earth pin cleaned"
    """
    with call.connect() as client:
        run = client.repeat(_run_id(client, run_id), nest, reason, step)
        ended = perform(client, run, pass_visual)
    report(ended, call.as_json)


@command.command("remark")
@click.argument("run_id")
@click.argument("nest")
@click.argument("text")
@click.option("--step", default="", help="The step that it is about; by default the unit.")
@click.option(
    "--picture",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="A PNG, JPEG or WebP to keep with it.",
)
@service_options
def remark(
    run_id: str,
    nest: str,
    text: str,
    step: str,
    picture: Path | None,
    call: Call,
) -> None:
    """Remark on a unit in a run, or on one of its steps. RUN_ID may be `last`.

    Example: loricate run remark last 3 "insulator cracked at the edge" --step withstand
    """
    data = None if picture is None else picture.read_bytes()
    with call.connect() as client:
        run = client.remark(_run_id(client, run_id), nest, text, step=step, picture=data)
    unit = next(each for each in run.units if each.nest == nest)
    if not call.printed(unit):
        click.echo(f"Kept with {unit.serial}: {unit.remarks[-1].text}")


def _run_id(client: "Client", name: str) -> str:
    """A run's id; ``last`` is the newest."""
    if name != "last":
        return name
    newest = client.runs(1)
    if not newest:
        raise click.ClickException("There are no runs yet; start one with `loricate run start`.")
    return newest[0].id


@command.command("abort")
@click.argument("run_id", default="")
@service_options
def abort(run_id: str, call: Call) -> None:
    """Abort a run, by default the one under way: outputs fall first.

    Example: loricate run abort
    """
    with call.connect() as client:
        if not run_id:
            run_id = client.health().running
            if not run_id:
                raise click.ClickException("No run is under way.")
        run = client.abort_run(run_id)
    if not call.printed(run):
        click.echo(f"Run {run.id} is {run.state}. {run.note}")
