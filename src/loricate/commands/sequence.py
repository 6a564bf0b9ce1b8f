"""``loricate sequence``."""

import sys
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from loricate.commands.challenge_view import print_challenge, write_matrix
from loricate.commands.connection import connect, service_options
from loricate.commands.cue_pictures import send_pictures
from loricate.commands.documents import FILE, FOLDER, print_differences, read_toml
from loricate.commands.files import challenge_files, load_sequence
from loricate.commands.output import print_json, print_table

if TYPE_CHECKING:
    from loricate.api.definitions import ReviewOut

FOUND_WRONG = 3


@click.group("sequence")
def command() -> None:
    """List, show, check, review, compare and add sequences."""


@command.command("list")
@service_options
def list_(service: str | None, token: str | None, as_json: bool) -> None:
    """List the newest revision of every sequence.

    Example: loricate sequence list
    """
    with connect(service, token) as client:
        found = client.sequences()
    if as_json:
        print_json(found)
        return
    rows = [
        (s.code, str(s.revision), s.status, s.product, str(len(s.steps)), s.title) for s in found
    ]
    print_table(("CODE", "REV", "STATUS", "PRODUCT", "STEPS", "TITLE"), rows, ("REV", "STEPS"))
    if not found:
        click.echo("No sequences yet; add one with `loricate sequence add FILE`.", err=True)


@command.command("show")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@service_options
def show(
    code: str, revision: int | None, service: str | None, token: str | None, as_json: bool
) -> None:
    """Show a sequence's steps with their limits.

    Example: loricate sequence show DC40-FINAL
    """
    with connect(service, token) as client:
        found = client.sequence(code, revision)
    if as_json:
        print_json(found)
        return
    click.echo(f"{found.code} revision {found.revision} ({found.status}): {found.title}")
    rows = [
        (
            step.id, step.kind, step.title,
            "; ".join(f"{name} {limit}" for name, limit in step.limits.items()),
            "; ".join(dict.fromkeys(step.sources.values())),
            f"{step.programmed_s:g} s", step.across, step.on_fail,
        )
        for step in found.steps
    ]  # fmt: skip
    heads = ("STEP", "KIND", "TITLE", "LIMITS", "SOURCE", "TIME", "ACROSS", "ON FAIL")
    print_table(heads, rows, ("TIME",))
    for step in found.steps:
        for cue in step.cues:
            choices = f" ({', '.join(cue.choices)})" if cue.choices else ""
            click.echo(f"{step.id}, {cue.at.replace('_', ' ')}: {cue.text}{choices}")


@command.command("check")
@click.argument("file", type=FILE)
@service_options
def check(file: Path, service: str | None, token: str | None, as_json: bool) -> None:
    """Check a sequence file; stores nothing.

    Example: loricate sequence check demo/sequences/dc40-final.toml
    """
    with connect(service, token) as client:
        found = client.check_sequence(send_pictures(client, read_toml(file), file.parent))
    if as_json:
        print_json(found)
    else:
        click.echo(f"{found.code} is good: {found.steps} steps, {found.programmed_s:g} s a unit.")


@command.command("review")
@click.argument("what")
@click.option("--product", type=FILE, help="With a file: its product's file; then no service.")
@click.option("--bench", type=FILE, help="With files: the bench file.")
@click.option("--limits", type=FOLDER, help="With files: a folder of limit sets.")
@click.option("--nests", default=4, show_default=True, help="Units in a load.")
@service_options
def review(
    what: str, product: Path | None, bench: Path | None, limits: Path | None, nests: int,
    service: str | None, token: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Read a sequence for mistakes: WHAT is its code, or a file with --product.

    Exit 3 when there is an error among the findings.

    \b
    Example: loricate sequence review DC40-FINAL
    Example: loricate sequence review demo/sequences/dc40-final.toml \\
               --product demo/products/dc-40.toml --bench demo/bench/bench.toml
    """
    if product is not None:
        found = _review_files(Path(what), product, bench, limits, nests)
    else:
        with connect(service, token) as client:
            is_file = Path(what).is_file()
            document = (
                send_pictures(client, read_toml(Path(what)), Path(what).parent) if is_file else {}
            )
            found = (
                client.review_document(document, nests)
                if is_file
                else client.review(what, nests=nests)
            )
    if as_json:
        print_json(found)
    else:
        _print_review(found)
    if any(each.severity == "error" for each in found.findings):
        sys.exit(FOUND_WRONG)


@command.command("challenge")
@click.argument("what")
@click.option("--product", type=FILE, help="With a file: its product's file; then no service.")
@click.option("--bench", type=FILE, help="With files: the bench file.")
@click.option("--limits", type=FOLDER, help="With files: a folder of limit sets.")
@click.option("--unit", type=FILE, help="With files: a unit file; else one is made.")
@click.option("--pairs", is_flag=True, help="Each two faults together as well.")
@click.option("--repetitions", default=200, show_default=True, help="Good units to try.")
@click.option("--nests", default=4, show_default=True, help="Units in a load.")
@click.option("--csv", "csv_file", type=click.File("w"), help="Write the matrix as CSV.")
@service_options
def challenge(
    what: str, product: Path | None, bench: Path | None, limits: Path | None, unit: Path | None,
    pairs: bool, repetitions: int, nests: int, csv_file: "IO[str] | None", service: str | None,
    token: str | None, as_json: bool,
) -> None:  # fmt: skip
    """Run a sequence against stand-in units with faults: WHAT is its code, or a file.

    Exit 3 when a fault is missed or a good unit is not passed.

    \b
    Example: loricate sequence challenge DC40-FINAL
    Example: loricate sequence challenge demo/sequences/dc40-final.toml \\
               --product demo/products/dc-40.toml --bench demo/bench/bench.toml
    """
    if product is not None:
        files = (Path(what), product, bench, limits, unit)
        found = challenge_files(*files, pairs=pairs, repetitions=repetitions, nests=nests)
    else:
        with connect(service, token) as client:
            path = Path(what)
            if path.is_file():
                document = send_pictures(client, read_toml(path), path.parent)
                found = client.challenge_document(
                    document, pairs=pairs, repetitions=repetitions, nests=nests
                )
            else:
                found = client.challenge(what, pairs=pairs, repetitions=repetitions, nests=nests)
    if csv_file is not None:
        write_matrix(found, csv_file)
    if as_json:
        print_json(found)
    else:
        print_challenge(found)
    if found.missed or any(found.false_alarms.values()):
        sys.exit(FOUND_WRONG)


def _review_files(
    file: Path, product: Path, bench: Path | None, limits: Path | None, nests: int
) -> "ReviewOut":
    from dataclasses import asdict

    from loricate.api.definitions import ReviewFindingOut, ReviewOut
    from loricate.core.review import Reviewed
    from loricate.core.review import review as review_ready
    from loricate.core.review.times import load_s

    if not file.is_file():
        raise click.UsageError(f"{file} is not a file; --product goes with a sequence file.")
    loaded = load_sequence(file, product, limits, bench)
    reviewed = Reviewed(loaded.sequence, loaded.limit_sets, loaded.bench, nests)
    findings = [ReviewFindingOut(**asdict(each)) for each in review_ready(reviewed)]
    return ReviewOut(
        code=loaded.sequence.code, nests=nests, load_s=load_s(reviewed), findings=findings
    )


def _print_review(found: "ReviewOut") -> None:
    click.echo(f"{found.code}: a load of {found.nests} takes {found.load_s:.1f} s as programmed.")
    for each in found.findings:
        colour = {"error": "red", "warning": "yellow"}.get(each.severity)
        place = f"{each.step}: " if each.step else ""
        click.secho(f"{each.severity.upper()}  ", fg=colour, bold=True, nl=False)
        click.echo(f"{place}{each.reason} {each.remedy} [{each.rule}]")
    if not found.findings:
        click.echo("Nothing found.")


@command.command("add")
@click.argument("file", type=FILE)
@service_options
def add(file: Path, service: str | None, token: str | None, as_json: bool) -> None:
    """Add a sequence file as a new released revision.

    Example: loricate sequence add demo/sequences/dc40-final.toml
    """
    with connect(service, token) as client:
        stored = client.add_sequence(send_pictures(client, read_toml(file), file.parent))
    if as_json:
        print_json(stored)
    else:
        click.echo(f"{stored.code} is stored as revision {stored.revision}.")


@command.command("differences")
@click.argument("code")
@click.argument("old", type=int)
@click.argument("new", type=int)
@service_options
def differences(
    code: str, old: int, new: int, service: str | None, token: str | None, as_json: bool
) -> None:
    """Show what differs between two revisions of a sequence, step by step.

    Example: loricate sequence differences DC40-FINAL 1 2
    """
    with connect(service, token) as client:
        found = client.differences("sequences", code, old, new)
    if as_json:
        print_json(found)
    else:
        print_differences(found)
