"""``loricate sequence``."""

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from loricate.commands.arguments import TakesQuantities
from loricate.commands.challenge_view import print_challenge, write_matrix
from loricate.commands.connection import Call, service_options
from loricate.commands.cue_pictures import send_pictures
from loricate.commands.definitions import (
    FILE,
    FOLDER,
    differences_command,
    read_toml,
)
from loricate.commands.files import challenge_files, load_sequence
from loricate.commands.output import NOT_PASSED, moment, print_table, printed

if TYPE_CHECKING:
    from loricate.api.definitions import LimitInShort, ReviewOut


@click.group("sequence")
def command() -> None:
    """Write, check, review, challenge, release and compare sequences."""


@command.command("list")
@service_options
def list_(call: Call) -> None:
    """List the newest revision of every sequence.

    Example: loricate sequence list
    """
    with call.connect() as client:
        found = client.sequences()
    if call.printed(found):
        return
    rows = [
        (s.code, str(s.revision), s.status, s.product, str(s.step_count), s.title) for s in found
    ]
    print_table(("CODE", "REV", "STATUS", "PRODUCT", "STEPS", "TITLE"), rows, ("REV", "STEPS"))
    if not found:
        click.echo("No sequences yet; add one with `loricate sequence add FILE`.", err=True)


@command.command("show")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@service_options
def show(code: str, revision: int | None, call: Call) -> None:
    """Show a sequence's steps with their limits.

    Example: loricate sequence show DC40-FINAL
    """
    with call.connect() as client:
        found = client.sequence(code, revision)
    if call.printed(found):
        return
    click.echo(f"{found.code} revision {found.revision} ({found.status}): {found.title}")
    rows = [
        (
            step.id,
            step.kind,
            step.title,
            _a_few([_limit_line(limit) for limit in step.limits]),
            _a_few([limit.source for limit in step.limits]),
            f"{step.programmed_s:g} s",
            step.across,
            step.order.replace("_", " "),
            step.on_fail,
        )
        for step in found.steps
    ]
    heads = ("STEP", "KIND", "TITLE", "LIMITS", "SOURCE", "TIME", "ACROSS", "ORDER", "ON FAIL")
    print_table(heads, rows, ("TIME",))
    for step in found.steps:
        if step.when:
            click.echo(f"{step.id} is done only when {step.when}.")
        for each in step.left_out:
            click.echo(f"{step.id} leaves out {each.removesuffix('.')}.")
    for step in found.steps:
        for cue in step.cues:
            choices = f" ({', '.join(cue.choices)})" if cue.choices else ""
            click.echo(f"{step.id}, {cue.at.replace('_', ' ')}: {cue.text}{choices}")


SHOWN = 3  # limits of a step in a table of steps: one of a table has hundreds


def _a_few(texts: Sequence[str]) -> str:
    """What differs of texts, the first of many."""
    different = list(dict.fromkeys(texts))
    if len(different) <= SHOWN:
        return "; ".join(different)
    return f"{'; '.join(different[:SHOWN])}; and {len(different) - SHOWN} more"


def _limit_line(limit: "LimitInShort") -> str:
    return f"{limit.quantity.replace('_', ' ')} {limit.point} {limit.text}".replace("  ", " ")


@command.command("check")
@click.argument("file", type=FILE)
@service_options
def check(file: Path, call: Call) -> None:
    """Check a sequence file; stores nothing.

    Example: loricate sequence check demo/sequences/dc40-final.toml
    """
    with call.connect() as client:
        found = client.check_sequence(send_pictures(client, read_toml(file), file.parent))
    if not call.printed(found):
        click.echo(f"{found.code} is good: {found.steps} steps, {found.programmed_s:g} s a unit.")


@command.command("review")
@click.argument("what")
@click.option("--product", type=FILE, help="With a file: its product's file; then no service.")
@click.option("--bench", type=FILE, help="With files: the bench file.")
@click.option("--limits", type=FOLDER, help="With files: a folder of limit sets.")
@click.option("--nests", default=4, show_default=True, help="Units in a load.")
@service_options
def review(
    what: str,
    product: Path | None,
    bench: Path | None,
    limits: Path | None,
    nests: int,
    call: Call,
) -> None:
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
        with call.connect() as client:
            is_file = Path(what).is_file()
            document = (
                send_pictures(client, read_toml(Path(what)), Path(what).parent) if is_file else {}
            )
            found = (
                client.review_document(document, nests)
                if is_file
                else client.review(what, nests=nests)
            )
    if not call.printed(found):
        _print_review(found)
    if any(each.severity == "error" for each in found.findings):
        sys.exit(NOT_PASSED)


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
    what: str,
    product: Path | None,
    bench: Path | None,
    limits: Path | None,
    unit: Path | None,
    pairs: bool,
    repetitions: int,
    nests: int,
    csv_file: "IO[str] | None",
    call: Call,
) -> None:
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
        with call.connect() as client:
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
    if not call.printed(found):
        print_challenge(found)
    if found.missed or any(found.false_alarms.values()):
        sys.exit(NOT_PASSED)


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
    reviewed = Reviewed(loaded.sequence, loaded.limit_sets, loaded.bench, nests, loaded.earthed)
    findings = [ReviewFindingOut(**asdict(each)) for each in review_ready(reviewed)]
    return ReviewOut(
        code=loaded.sequence.code, nests=nests, load_s=load_s(reviewed), findings=findings
    )


def _print_review(found: "ReviewOut") -> None:
    click.echo(f"{found.code}: a load of {found.nests} takes {found.load_s:.1f} s as programmed.")
    for each in found.findings:
        colour = {"error": "red", "warning": "yellow"}.get(each.severity)
        place = f"{each.step}: " if each.step else ""
        click.secho(f"{each.severity.upper():7}  ", fg=colour, bold=True, nl=False)
        click.echo(f"{place}{each.reason} [{each.rule}]")
        click.echo(f"         {each.remedy}")
    if not found.findings:
        click.echo("Nothing found.")


@command.command("add")
@click.argument("file", type=FILE)
@click.option("--etag", default="", help="Refuse when it was changed since (see `show --json`).")
@service_options
def add(file: Path, etag: str, call: Call) -> None:
    """Store a sequence file as a draft, over the draft that is there.

    Example: loricate sequence add demo/sequences/dc40-final.toml
    """
    with call.connect() as client:
        stored = client.add_sequence(send_pictures(client, read_toml(file), file.parent), etag)
    if call.printed(stored):
        return
    click.echo(f"{stored.code} is stored as revision {stored.revision}.")
    click.echo(f"Release it: loricate sequence release {stored.code} --why TEXT", err=True)


@command.command("export")
@click.argument("code")
@click.option("--revision", type=int, help="The newest by default.")
@click.option("--to", type=click.Path(dir_okay=False, path_type=Path), help="Else on the terminal.")
@service_options
def export(
    code: str,
    revision: int | None,
    to: Path | None,
    call: Call,
) -> None:
    """Write a sequence as a TOML file, which `sequence add` takes again without loss.

    Example: loricate sequence export DC40-FINAL --to dc40-final.toml
    """
    with call.connect() as client:
        found = client.sequence(code, revision)
        text = client.sequence_file(code, revision)
    if call.printed(found.document):
        return
    if to is None:
        click.echo(text, nl=False)
    else:
        to.write_text(text, encoding="utf-8")
        click.echo(f"{to} holds {code} revision {found.revision}.", err=True)


@command.command("label")
@click.argument("code")
@click.option(
    "--to",
    "folder",
    type=click.Path(file_okay=False, path_type=Path),
    default=".",
    show_default=True,
    help="Where the PDF goes.",
)
@service_options
def label(code: str, folder: Path, call: Call) -> None:
    """Save a label with a sequence's code, to be scanned at the bench.

    Example: loricate sequence label DC40-FINAL --to out
    """
    with call.connect() as client:
        data = client.sequence_label(code)
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{code}-label.pdf"
    path.write_bytes(data)
    if not call.printed({"path": str(path)}):
        click.echo(str(path))


@command.command("set", cls=TakesQuantities)
@click.argument("file", type=FILE)
@click.argument("path")
@click.argument("value", required=False)
@click.option("--remove", is_flag=True, help="Take the value out.")
@click.option("--json", "as_json", is_flag=True, help="Print the document as JSON.")
def set_(file: Path, path: str, value: str | None, remove: bool, as_json: bool) -> None:
    """Change one value in a sequence file; comments and layout are kept.

    PATH goes by keys with dots between, a step by its id.

    Example: loricate sequence set dc40-final.toml steps.withstand.settings.level "1.2 kV"
    """
    import tomllib

    from loricate.core.documents import read_document
    from loricate.core.sequences.steps import Sequence
    from loricate.core.toml_text import change_toml

    if (value is None) is not remove:
        raise click.UsageError("Give a value, or --remove.")
    try:
        way = path.split(".")
        text = change_toml(file.read_text(encoding="utf-8"), way, None if remove else value)
    except LookupError as error:
        raise click.UsageError(f"{file} has no '{error.args[0]}' on the way {path}.") from error
    document = tomllib.loads(text)
    read_document(Sequence, document, str(file))  # refuses what is no sequence any more
    file.write_text(text, encoding="utf-8")
    if not printed(as_json, document):
        click.echo(f"{path} is {'taken out' if remove else value}.")


@command.command("release")
@click.argument("code")
@click.option("--why", required=True, help="What changed, and on what ground.")
@click.option(
    "--accept",
    "accepted",
    multiple=True,
    metavar="RULE[@STEP]=REASON",
    help="Leave a finding of the review as it is, for this reason.",
)
@service_options
def release(
    code: str,
    why: str,
    accepted: tuple[str, ...],
    call: Call,
) -> None:
    """Release a sequence's draft for use; it is frozen from then on.

    Example: loricate sequence release DC40-FINAL --why "level as of drawing 4"
    """
    reasons = {}
    for each in accepted:
        name, found, reason = each.partition("=")
        if not found:
            raise click.UsageError(f"--accept {each} has no reason; write RULE@STEP=REASON.")
        reasons[name] = reason
    with call.connect() as client:
        stored = client.release_sequence(code, why, reasons)
    if not call.printed(stored):
        click.echo(f"{stored.code} revision {stored.revision} is released.")


@command.command("withdraw")
@click.argument("code")
@click.option("--why", required=True, help="Why it must not be used any more.")
@click.option("--revision", type=int, help="The newest released by default.")
@service_options
def withdraw(
    code: str,
    why: str,
    revision: int | None,
    call: Call,
) -> None:
    """Take a released revision out of use; what ran under it keeps it.

    Example: loricate sequence withdraw DC40-FINAL --why "level was wrong"
    """
    with call.connect() as client:
        stored = client.withdraw_sequence(code, why, revision)
    if not call.printed(stored):
        click.echo(f"{stored.code} revision {stored.revision} is withdrawn.")


@command.command("revisions")
@click.argument("code")
@service_options
def revisions(code: str, call: Call) -> None:
    """List a sequence's revisions, and who released them why.

    Example: loricate sequence revisions DC40-FINAL
    """
    with call.connect() as client:
        found = client.sequence_revisions(code)
    if call.printed(found):
        return
    rows = [
        (
            str(each.revision),
            each.status,
            moment(each.created_at),
            each.created_by,
            each.release.released_by if each.release else "",
            each.withdrawn_why or (each.release.why if each.release else ""),
        )
        for each in found
    ]
    heads = ("REV", "STATUS", "STORED (UTC)", "BY", "RELEASED BY", "WHY")
    print_table(heads, rows, ("REV",))


command.add_command(differences_command("sequences", "sequence", "DC40-FINAL"))
