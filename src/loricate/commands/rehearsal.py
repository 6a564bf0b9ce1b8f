"""``loricate rehearsal``."""

import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, chosen_fixture, fixture_option, service_options
from loricate.commands.cue_pictures import send_pictures
from loricate.commands.definitions import FILE, read_toml
from loricate.commands.output import NOT_PASSED, printed, verdict_word
from loricate.commands.unit import print_attempts

if TYPE_CHECKING:
    from loricate.api.rehearsals import RehearsalOut
    from loricate.client import Client


@click.group("rehearsal")
def command() -> None:
    """Try steps on one nest with live meters; nothing is recorded."""


@command.command("start")
@click.argument("sequence")
@click.argument("steps", nargs=-1, metavar="[STEP]...")
@fixture_option
@click.option("--nest", default="1", show_default=True)
@click.option("--pass-visual", is_flag=True, help="Answer every visual check with pass.")
@click.option("--yes", is_flag=True, help="Start without asking.")
@service_options
def start(
    sequence: str,
    steps: tuple[str, ...],
    fixture: str,
    nest: str,
    pass_visual: bool,
    yes: bool,
    call: Call,
) -> None:
    """Rehearse a sequence, by file or by code, or only some of its steps; Ctrl-C aborts.

    Exits 3 when it did not pass.

    Example: loricate rehearsal start dc40-final.toml withstand --fixture FX-A --nest 2
    """
    from loricate.commands.run_view import watch

    with call.connect() as client:
        document = _document(client, sequence)
        found = client.prepare_rehearsal(document, chosen_fixture(client, fixture), nest, steps)
        click.echo(f"REHEARSAL of {found.sequence}: nothing is recorded.", err=True)
        if not yes:
            _confirm(client, found)
        client.start_rehearsal(found.id)
        try:
            answer = partial(client.answer_rehearsal, found.id)
            load = {nest: "rehearsal"}
            events = client.rehearsal_events(found.id)
            watch(events, answer, load, len(found.steps), pass_visual)
        except (KeyboardInterrupt, click.Abort):
            client.abort_rehearsal(found.id)
        ended = client.rehearsal(found.id)
    _report(ended, call.as_json)
    if ended.verdict != "pass":
        sys.exit(NOT_PASSED)


def _document(client: "Client", name: str) -> dict[str, Any]:
    """The document of a file, else of the newest revision stored under the code."""
    path = Path(name)
    if path.is_file():
        return send_pictures(client, read_toml(path), path.parent)
    return client.sequence(name).document


def _confirm(client: "Client", found: "RehearsalOut") -> None:
    from loricate.core.quantities import VOLTAGE, display

    volts = f" at up to {display(found.highest_v, VOLTAGE)}" if found.highest_v else ""
    place = f"Nest {found.nest} of {found.fixture} will be energised{volts}"
    try:
        click.confirm(f"{place}. Is the guard closed? Start", abort=True, err=True)
    except click.Abort:
        client.abort_rehearsal(found.id)
        raise


@command.command("show")
@click.argument("rehearsal", default="last")
@service_options
def show(rehearsal: str, call: Call) -> None:
    """Show what a rehearsal measured, by default the last; it is gone when the service stops.

    Example: loricate rehearsal show
    """
    with call.connect() as client:
        found = client.rehearsal(_rehearsal_id(client, rehearsal))
    _report(found, call.as_json)


@command.command("take")
@click.argument("file", type=FILE)
@click.argument("step")
@click.argument("quantity")
@click.argument("use", type=click.Choice(["minimum", "maximum", "nominal"]))
@click.option(
    "--allow",
    default="",
    help="How far the limit stands off the reading; by default 20 %, or a tolerance is proposed.",
)
@click.option("--point", default="", help="Of a step that measures several: `A to B`; * for each.")
@click.option("--rehearsal", default="last", show_default=True, help="Whose reading.")
@click.option("--repetition", default=1, show_default=True, help="Where the step is repeated.")
@service_options
def take(
    file: Path,
    step: str,
    quantity: str,
    use: str,
    allow: str,
    point: str,
    rehearsal: str,
    repetition: int,
    call: Call,
) -> None:
    """Write readings of a rehearsal into a sequence file as limits; comments are kept.

    Example: loricate rehearsal take dc40-final.toml earth resistance maximum --allow "20 %"
    """
    from loricate.core.toml_text import change_toml

    with call.connect() as client:
        taken = client.take_reading(
            _rehearsal_id(client, rehearsal),
            step,
            quantity,
            use,
            point=point,
            allowance=allow,
            repetition=repetition,
        )
    text = file.read_text(encoding="utf-8")
    try:
        for each in taken:
            text = change_toml(text, ["steps", step, *each.path], each.value)
    except LookupError as error:
        raise click.UsageError(f"{file} has no '{error.args[0]}' for this reading.") from error
    file.write_text(text, encoding="utf-8")
    if call.printed(taken):
        return
    for each in taken:
        click.echo(f"{step} {'.'.join(map(str, each.path))} is {each.value}.")


@command.command("abort")
@service_options
def abort(call: Call) -> None:
    """Abort the rehearsal under way: outputs fall first.

    Example: loricate rehearsal abort
    """
    with call.connect() as client:
        running = next((each.id for each in client.rehearsals() if each.state == "running"), "")
        if not running:
            raise click.ClickException("No rehearsal is under way.")
        found = client.abort_rehearsal(running)
    if not call.printed(found):
        click.echo(f"The rehearsal of {found.sequence} is {found.state}. {found.note}")


def _rehearsal_id(client: "Client", name: str) -> str:
    """A rehearsal's id; ``last`` is the newest."""
    if name != "last":
        return name
    found = client.rehearsals()
    if not found:
        raise click.ClickException(
            "There was no rehearsal since the service started; begin one with "
            "`loricate rehearsal start`."
        )
    return found[0].id


def _report(found: "RehearsalOut", as_json: bool) -> None:
    if printed(as_json, found):
        return
    print_attempts(found.attempts, with_points=True)
    if found.note:
        click.echo(found.note)
    if found.unjudged:
        click.echo(f"Without a limit to be judged by: {', '.join(found.unjudged)}.")
    word = verdict_word(found.verdict)
    click.echo(f"Rehearsal {found.state}, {word}. Nothing was recorded.")
