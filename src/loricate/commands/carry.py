"""``loricate carry``."""

from pathlib import Path

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_table

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
NEW = click.Path(dir_okay=False, path_type=Path)


@click.group("carry")
def command() -> None:
    """Carry the records of a bench out of reach to the service that keeps them all."""


@command.command("out")
@click.argument("file", type=NEW)
@click.option(
    "--all", "everything", is_flag=True, help="All records, whatever was said to be there."
)
@click.option(
    "--papers/--no-papers",
    default=True,
    help="With the papers (PDF), or for a slow way without: they come with a later file.",
)
@service_options
def carry_out(file: Path, everything: bool, papers: bool, call: Call) -> None:
    """Write one signed FILE of all records, curves, pictures and documents not yet carried.

    What counts as carried is what a receipt has said (`loricate carry received`), so that a file
    that is lost on the way loses nothing.

    Example: loricate carry out bench-3.carried
    """
    if file.exists():
        raise click.UsageError(f"{file} is there already; choose another name.")
    with call.connect() as client:
        records, missing = client.carry_out(file, everything=everything, papers=papers)
    size = file.stat().st_size
    if call.printed({"file": str(file), "records": records, "missing": missing, "bytes": size}):
        return
    click.echo(f"{file}: {records} records, {size / 2**20:.1f} MiB, signed.")
    if missing:
        click.echo(f"{missing} papers or pictures are gone here; see `loricate records check`.")


@command.command("in")
@click.argument("file", type=FILE)
@click.option("--key", default="", help="The thumbprint of that bench's key; for its first file.")
@click.option("--receipt", type=NEW, help="Write the receipt that goes back to the bench.")
@service_options
def carry_in(file: Path, key: str, receipt: Path | None, call: Call) -> None:
    """Take in a FILE that a bench has carried out, whole or not at all.

    Each thing is taken once, however often the file comes; what was tampered with is refused.

    Example: loricate carry in bench-3.carried --receipt bench-3.receipt.json
    """
    with call.connect() as client:
        done = client.carry_in(file, key)
    if receipt is not None:
        receipt.write_text(f"{done.receipt.model_dump_json(indent=1)}\n", encoding="utf-8")
    if call.printed(done):
        return
    whose = f"{done.bench} of {done.name}"
    if not done.records:
        click.echo(f"Nothing new: everything in it of {whose} is here already.")
    else:
        first = ", the first of this bench" if done.is_first else ""
        click.echo(
            f"{whose}{first}: {done.units} units in runs, {done.documents} documents, "
            f"{done.records} records in all, as of {moment(done.made_at)}."
        )
    for each in done.notes:
        click.echo(each)
    if receipt is not None:
        click.echo(f"{receipt}: take it back, and give it to `loricate carry received` there.")


@command.command("received")
@click.argument("receipt", type=FILE)
@service_options
def received(receipt: Path, call: Call) -> None:
    """Keep the RECEIPT that came back, so that what it names is not carried again.

    Example: loricate carry received bench-3.receipt.json
    """
    from pydantic import ValidationError

    from loricate.api.carrying import Receipt

    try:
        read = Receipt.model_validate_json(receipt.read_bytes())
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(each) for each in first["loc"]) or "the file"
        raise click.ClickException(
            f"{receipt} is no receipt: {place}: {first['msg']}. Give the file that `loricate carry "
            "in --receipt` wrote."
        ) from error
    with call.connect() as client:
        client.keep_receipt(read)
        state = client.carrying()
    if not call.printed(state):
        click.echo(f"{read.name} has everything up to {moment(read.told_at)}.")


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the benches whose records were carried in here, and what waits to be carried out.

    Example: loricate carry list
    """
    with call.connect() as client:
        found, state = client.carried(), client.carrying()
    if call.printed({"carried": [each.model_dump() for each in found], "own": state.model_dump()}):
        return
    if found:
        print_table(
            ["BENCH", "SITE", "UNITS", "DOCUMENTS", "FILES", "NEWEST"],
            [
                [
                    each.bench or each.site,
                    each.name or each.problem,
                    str(each.units),
                    str(each.documents),
                    str(len(each.files)),
                    moment(each.files[0].made_at) if each.files else "",
                ]
                for each in found
            ],
            right={"UNITS", "DOCUMENTS", "FILES"},
        )
        for each in found:
            if each.same_serials:
                told = ", ".join(each.same_serials[:5])
                click.echo(
                    f"{len(each.same_serials)} serials of {each.bench} were tested elsewhere as "
                    f"well, such as {told}."
                )
    else:
        click.echo("No bench has carried its records in here.")
    where = f" They go to {state.link} by themselves." if state.link else ""
    if state.receipt is not None:
        click.echo(
            f"Of its own records {state.receipt.name} has those up to "
            f"{moment(state.receipt.told_at)}; {state.waiting} marks have come since.{where}"
        )
    elif state.link:
        click.echo(f"Of its own records nothing has been carried yet.{where}")
