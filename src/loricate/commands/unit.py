"""``loricate unit``."""

from typing import TYPE_CHECKING

import click

from loricate.commands.connection import connect, service_options
from loricate.commands.output import percent, print_json, print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.records import UnitOut


@click.group("unit")
def command() -> None:
    """Find units and show their history."""


@command.command("find")
@click.argument("serial", default="*")
@service_options
def find(serial: str, service: str | None, token: str | None, as_json: bool) -> None:
    """Find units by serial; `*` stands for anything, `?` for one character.

    Example: loricate unit find 'DC40-26-01*'
    """
    with connect(service, token) as client:
        found = client.find_units(serial)
    if as_json:
        print_json(found)
        return
    rows = [
        (u.serial, u.product, verdict_word(u.verdict), u.cause, (u.started_at or "")[:19],
         u.certificate or "")
        for u in found
    ]  # fmt: skip
    print_table(("SERIAL", "PRODUCT", "VERDICT", "CAUSE", "TESTED (UTC)", "DOCUMENT"), rows)
    if not found:
        click.echo(f"No unit matches '{serial}'.", err=True)


@command.command("show")
@click.argument("serial")
@service_options
def show(serial: str, service: str | None, token: str | None, as_json: bool) -> None:
    """Show everything that was measured of a unit, newest run first.

    Example: loricate unit show DC40-26-0119
    """
    with connect(service, token) as client:
        found = client.unit(serial)
    if as_json:
        print_json(found)
        return
    for unit in found:
        cause = f" ({unit.cause})" if unit.cause else ""
        click.secho(
            f"{unit.serial}  {verdict_word(unit.verdict)}{cause}  {unit.sequence_code} revision "
            f"{unit.sequence_revision}, nest {unit.nest}, {(unit.started_at or '')[:19]}, "
            f"{unit.certificate or 'no document'}",
            bold=True,
        )
        print_readings(unit)


def print_readings(unit: "UnitOut") -> None:
    """Print a unit's attempts with their readings beside limits."""
    rows = []
    for attempt in unit.attempts:
        cause = f" ({attempt.cause})" if attempt.cause else ""
        verdict = verdict_word(attempt.verdict) + cause
        rows.append((attempt.title, "", "", "", "", verdict))
        rows += [
            (f"  {r.name.replace('_', ' ')}", r.text, r.limit, percent(r.margin), r.source, "")
            for r in attempt.readings
        ]
    heads = ("STEP", "MEASURED", "LIMIT", "MARGIN", "SOURCE", "VERDICT")
    print_table(heads, rows, "MEASURED LIMIT MARGIN")
