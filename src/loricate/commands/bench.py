"""``loricate bench``."""

import click

from loricate.commands.connection import connect, service_options
from loricate.commands.output import print_json, print_table


@click.group("bench")
def command() -> None:
    """See which instruments answer."""


@command.command("show")
@service_options
def show(service: str | None, token: str | None, as_json: bool) -> None:
    """Show who answers, calibration, guard and fixtures.

    Example: loricate bench show
    """
    with connect(service, token) as client:
        bench = client.bench()
    if as_json:
        print_json(bench)
        return
    guard = {True: "closed", False: "OPEN", None: "does not answer"}[bench.guard_closed]
    click.echo(f"{bench.code}  {bench.title}, {bench.site}. Guard {guard}.")
    rows = [
        (
            each.id, each.title, each.serial, str(each.due or ""),
            "" if each.days_left is None else str(each.days_left),
            "answers" if not each.problem else "PROBLEM",
        )
        for each in bench.instruments
    ]  # fmt: skip
    print_table(("ID", "INSTRUMENT", "SERIAL", "CALIBRATION DUE", "DAYS", "STATE"), rows, "DAYS")
    for each in bench.instruments:
        if each.problem:
            click.echo(each.problem)
    for fixture in bench.fixtures:
        click.echo(f"Fixture {fixture.code}: {fixture.title}; nests {', '.join(fixture.nests)}.")
