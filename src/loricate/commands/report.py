"""``loricate report``."""

from pathlib import Path
from typing import Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_json, print_table
from loricate.commands.searching import search_options, with_kept
from loricate.core.depths import Depth
from loricate.core.reports import ReportForm, ReportPlan


@click.group("report")
def command() -> None:
    """Report on many units: what is asked for, as a document or as tables; kept by name."""


@command.command("make")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@search_options
@click.option("--serial", default="", help="Serial or asset number; * and ? are wildcards.")
@click.option("--kept", default="", metavar="NAME", help="As a search that is kept by name.")
@click.option("--template", default="", metavar="NAME", help="As a report that is kept by name.")
@click.option("--keep-as", default="", metavar="NAME", help="Keep what is asked by this name.")
@click.option("--title", help="What it is headed with.")
@click.option(
    "--depth",
    type=click.Choice([str(each) for each in Depth]),
    help="How much it tells; limits by default.",
)
@click.option(
    "--pick",
    "units",
    multiple=True,
    metavar="ID",
    help="Of what is found only this, by its id in `unit find --json`; repeatable.",
)
@click.option("--newest-only", is_flag=True, help="Of each unit the newest alone of what is found.")
@click.option("--failed-only", is_flag=True, help="Of each unit only what did not pass.")
@click.option("--no-curves", is_flag=True, help="Without curves.")
@click.option("--no-instruments", is_flag=True, help="Without instruments and calibrations.")
@click.option("--no-remarks", is_flag=True, help="Without what people wrote.")
@click.option("--ledger", is_flag=True, help="With each document's place in the ledger.")
@click.option("--no-logo", is_flag=True, help="Without the site's logo.")
@click.option("--sign", "signatures", multiple=True, help="A line to sign on; repeatable.")
@click.option("--page", type=click.Choice(["A4", "Letter"]), help="Else the site's.")
@click.option("--language", type=click.Choice(["en", "de"]), help="Else the site's.")
@click.option("--decimal-comma", is_flag=True, help="Of CSV: 1,5 and semicolons.")
@click.option("--bom", is_flag=True, help="Of CSV: with the mark of UTF-8.")
@service_options
def make(
    file: Path,
    asked: dict[str, Any],
    serial: str,
    kept: str,
    template: str,
    keep_as: str,
    call: Call,
    **options: Any,
) -> None:
    """Make a report of the units that a search finds into FILE: .pdf, .xlsx, .csv, .xml or .json.

    It is made in the background, and not sealed; Ctrl-C stops it. What is given goes before what
    the template has.

    Example: loricate report make lot.pdf --lot L-2611-A --depth limits --sign Auditor
    """
    form = file.suffix.lstrip(".").lower()
    if form not in list(ReportForm):
        raise click.UsageError(f"{file} has none of the endings {', '.join(ReportForm)}.")
    if file.exists():
        raise click.UsageError(f"{file} is there already; choose another name.")
    if serial:
        asked["serial"] = serial
    with call.connect() as client:
        plan = client.report_template(template).plan if template else ReportPlan()
        search = {**plan.search.asked(), **with_kept(client, kept, asked)}
        told = {**plan.model_dump(exclude_defaults=True), **_told(options)}
        plan = ReportPlan.model_validate({**told, "search": search, "form": form})
        if keep_as:
            client.keep_report(keep_as, plan)
        job = client.make_report(plan)
        try:
            with click.progressbar(length=100, label="Making", hidden=call.as_json) as bar:
                job = client.wait_for_report(
                    job.id, lambda at: bar.update(100 * at.done // (at.total or 1) - bar.pos)
                )
        except KeyboardInterrupt:
            client.cancel_report(job.id)
            raise
        client.take_report(job.id, file)
    if call.as_json:
        print_json({**job.model_dump(mode="json"), "file": str(file)})
        return
    click.echo(f"{file}: {job.total - job.left_out} units, {job.bytes / 2**20:.1f} MiB.")
    if job.left_out:
        click.echo(f"{job.left_out} are left out: their run goes on, or they are too many.")


def _told(options: dict[str, Any]) -> dict[str, Any]:
    """What of a plan is given by options."""
    told = {name: options[name] for name in ("title", "depth", "page", "language") if options[name]}
    for name in ("newest_only", "failed_only", "ledger", "decimal_comma", "bom"):
        if options[name]:
            told[name] = True
    for name in ("curves", "instruments", "remarks", "logo"):
        if options[f"no_{name}"]:
            told[name] = False
    if options["units"]:
        told["units"] = list(options["units"])
    if options["signatures"]:
        told["signatures"] = list(options["signatures"])
    return told


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List reports that are being made or ready, and those that are kept by name.

    Example: loricate report list
    """
    with call.connect() as client:
        jobs, kept = client.reports(), client.report_templates()
    if call.printed({"reports": jobs, "templates": kept}):
        return
    if jobs:
        print_table(
            ["REPORT", "FORM", "STATE", "UNITS", "BY", "ASKED"],
            [
                [
                    each.title,
                    each.form,
                    each.problem or each.state,
                    f"{each.done} of {each.total}",
                    each.asked_by,
                    moment(each.asked_at),
                ]
                for each in jobs
            ],
        )
    if kept:
        print_table(
            ["KEPT AS", "DEPTH", "FORM", "OF", "BY"],
            [
                [
                    each.name,
                    each.plan.depth,
                    each.plan.form,
                    ", ".join(f"{name} {value}" for name, value in each.plan.search.asked().items())
                    or "all units",
                    each.account,
                ]
                for each in kept
            ],
        )
    if not jobs and not kept:
        click.echo("No report is being made, and none is kept; see `loricate report make --help`.")


@command.command("drop")
@click.argument("name")
@service_options
def drop(name: str, call: Call) -> None:
    """Keep the report NAME no longer.

    Example: loricate report drop 'Lot for the auditor'
    """
    with call.connect() as client:
        client.drop_report(name)
    if not call.printed({"dropped": name}):
        click.echo(f"'{name}' is kept no longer.")
