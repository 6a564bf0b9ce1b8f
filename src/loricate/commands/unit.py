"""``loricate unit``."""

import csv
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.nets_view import is_told, print_nets
from loricate.commands.output import percent, print_table, verdict_word
from loricate.commands.searching import search_options, with_kept
from loricate.core.depths import Depth

if TYPE_CHECKING:
    from loricate.api.records import AttemptOut, ReadingOut, UnitOut


@click.group("unit")
def command() -> None:
    """Find units and show their history."""


@command.command("find")
@click.argument("serial", default="")
@search_options
@click.option("--kept", default="", metavar="NAME", help="As a search that is kept by name.")
@click.option("--count", default=50, show_default=True, type=click.IntRange(1, 500))
@click.option("--before", default="", metavar="CURSOR", help="What follows; the last page tells.")
@service_options
def find(
    serial: str, asked: dict[str, Any], kept: str, count: int, before: str, call: Call
) -> None:
    """Find units by serial, asset number and all else that is known, the newest test first.

    In texts `*` stands for anything and `?` for one character. All that is given must be so; an
    option that is given twice takes either.

    Example: loricate unit find 'DC40-26-01*' --verdict fail --since 30d
    """
    if serial:
        asked["serial"] = serial
    with call.connect() as client:
        search = with_kept(client, kept, asked)
        found = client.find_units(count=count, before=before, **search)
        if call.printed(found):
            return
        counts = client.count_units(**search)
    rows = [
        (
            u.serial,
            u.product,
            verdict_word(u.verdict),
            ", ".join(filter(None, [u.cause, *u.failed])),
            u.lot,
            f"{u.fixture}/{u.nest} {u.from_bench}".rstrip(),
            u.operator,
            u.begun_at[:19].replace("T", " "),
            "revoked" if u.revoked else u.certificate or "",
        )
        for u in found
    ]
    heads = ("SERIAL", "PRODUCT", "VERDICT", "WHY", "LOT", "NEST", "BY", "TESTED (UTC)", "DOCUMENT")
    print_table(heads, rows)
    if not counts.total:
        click.echo("No unit was tested that is so; leave something out, or put * for a part.")
        return
    by_verdict = {
        "pass": counts.passed,
        "fail": counts.failed,
        "inconclusive": counts.inconclusive,
        "not_run": counts.not_run,
    }
    told = [f"{number:,} {verdict_word(name)}" for name, number in by_verdict.items() if number]
    click.echo(f"{counts.total:,} in all: {', '.join(told)}.")
    if len(found) == count:
        click.echo(f"What follows: --before {found[-1].cursor}", err=True)


@command.command("show")
@click.argument("serial")
@click.option("--points", is_flag=True, help="Each of a step's many points.")
@service_options
def show(serial: str, points: bool, call: Call) -> None:
    """Show everything that was measured of a unit, newest run first.

    Of a step with many points, for each kind of limit the reading that tells most.

    Example: loricate unit show DC40-26-0119
    """
    with call.connect() as client:
        found = client.unit(serial)
    if call.printed(found):
        return
    for unit in found:
        cause = f" ({unit.cause})" if unit.cause else ""
        click.secho(
            f"{unit.serial}  {verdict_word(unit.verdict)}{cause}  {unit.sequence_code} revision "
            f"{unit.sequence_revision}, nest {unit.nest}, {(unit.started_at or '')[:19]}, "
            f"{unit.certificate or 'no document'}"
            f"{f', carried in from {unit.from_bench}' if unit.from_bench else ''}",
            bold=True,
        )
        print_readings(unit, points)


def print_readings(unit: "UnitOut", with_points: bool = False) -> None:
    """Print a unit's attempts with their readings beside limits, answers and remarks."""
    print_attempts(unit.attempts, with_points)
    if unit.let_go_at:
        click.echo(
            f"Its readings and curves were let go on {unit.let_go_at[:10]} by {unit.let_go_by}: "
            "the time for which they are kept was over."
        )
    if unit.kept:
        click.echo("Read on the way, by steps that did not come to their end:")
        rows = [
            (f"  {each.step_id}", f"{each.at_s:g} s", f"{each.quantity} {each.point}", each.text)
            for each in unit.kept
        ]
        print_table(("STEP", "AFTER", "READING", "VALUE"), rows, ("AFTER", "VALUE"))
    titles = {attempt.step_id: attempt.title for attempt in unit.attempts}
    for answer in unit.answers:
        note = f" ({answer.note})" if answer.note else ""
        photo = f" (picture {answer.picture[:12]})" if answer.picture else ""
        click.echo(f"{answer.question} {answer.choice}{photo}{note}, {answer.account}")
        for name, digest in answer.pictures.items():
            click.echo(f"  {name.replace('_', ' ')}: picture {digest[:12]}")
    for remark in unit.remarks:
        about = f" on {titles.get(remark.step_id, remark.step_id)}" if remark.step_id else ""
        picture = f" (picture {remark.picture[:12]})" if remark.picture else ""
        click.echo(f"Remark{about} by {remark.account}: {remark.text}{picture}")


def print_attempts(attempts: "list[AttemptOut]", with_points: bool = False) -> None:
    """Print attempts with their readings beside limits, and why one was done again.

    Of a cable's many nets there is a line each, with what every voltage read of it; of other steps
    with many points there are the readings that tell most, and all of them ``with_points``.
    """
    nets = print_nets(attempts)
    rows: list[tuple[str, ...]] = []
    for attempt in attempts:
        cause = f" ({attempt.cause})" if attempt.cause else ""
        verdict = verdict_word(attempt.verdict) + cause
        again = f", attempt {attempt.number}" if attempt.number > 1 else ""
        rows.append((attempt.title + again, "", "", "", "", "", verdict))
        left = [each for each in attempt.readings if not is_told(each, nets)]
        if attempt.headlines and not with_points:
            rows += _headline_rows(attempt)
            left = [each for each in left if not each.point]
        rows += _reading_rows(left, 1 if not attempt.repetitions else 0)
        for each in attempt.repetitions:
            cause = f" ({each.cause})" if each.cause else ""
            told = verdict_word(each.verdict) + cause
            rows.append((f"  repetition {each.number}", "", "", "", "", "", told))
            rows += _reading_rows(left, each.number)
    heads = ("STEP", "MEASURED", "UNCORRECTED", "LIMIT", "MARGIN", "SOURCE", "VERDICT")
    print_table(heads, rows, ("MEASURED", "UNCORRECTED", "LIMIT", "MARGIN"))
    for attempt in attempts:
        if attempt.headlines and not with_points:
            count = len({each.point for each in attempt.readings if each.point})
            click.echo(f"{attempt.title}: {count} points; --points shows each.")
        if attempt.reason:
            click.echo(f"Attempt {attempt.number} of {attempt.title}: {attempt.reason}")
        if attempt.note:
            click.echo(f"{attempt.title}: {attempt.note}")
        for fault in attempt.faults:
            if fault.text:
                click.echo(f"{attempt.title}: {fault.text}")
        for told in _corrections(attempt.readings):
            click.echo(f"{attempt.title}: {told}")
        for reading in attempt.readings:
            if reading.ungraded:
                click.echo(f"{attempt.title}: {reading.name} is not judged: {reading.ungraded}.")


def _corrections(readings: "list[ReadingOut]") -> list[str]:
    """How readings were corrected, each way once: formula, constants and reference."""
    ways: dict[str, dict[str, None]] = {}
    for reading in readings:
        for each in reading.corrections:
            if each.how:
                told = f"corrected for {each.what} by {each.how}."
                ways.setdefault(told, {})[reading.quantity.replace("_", " ")] = None
    return [f"{', '.join(names)} {told}" for told, names in ways.items()]


def _headline_rows(attempt: "AttemptOut") -> list[tuple[str, ...]]:
    """For each kind of limit the reading that tells most, and at which of its points."""
    rows = []
    for each in attempt.headlines:
        reading = attempt.readings[each.reading]
        (row,) = _reading_rows([reading], reading.repetition)
        word = "" if reading.verdict == "pass" else f"{verdict_word(reading.verdict)} "
        of = f" (of {each.count})" if each.count > 1 else ""
        rows.append((f"  {each.kind}", *row[1:6], f"{word}at {reading.point}{of}"))
    return rows


def _reading_rows(readings: "list[ReadingOut]", repetition: int) -> list[tuple[str, ...]]:
    """The readings of one repetition, the first where a step is done once."""
    return [
        (
            f"  {r.name}",
            r.text,
            r.as_measured_text,
            r.limit,
            percent(r.margin),
            r.source,
            r.guarded if r.guarded.startswith("conditional") else "",
        )
        for r in readings
        if r.repetition == repetition
    ]


@command.command("report")
@click.argument("serial")
@click.option(
    "--depth",
    type=click.Choice([str(each) for each in Depth]),
    default=str(Depth.LIMITS),
    show_default=True,
    help="How much it tells; each tells all that those before it tell.",
)
@click.option("--failed-only", is_flag=True, help="Only what did not pass.")
@click.option("--run", "run_id", default="", help="Of this run; of the newest by default.")
@click.option(
    "--to",
    type=click.Path(dir_okay=False, writable=True, path_type=Path),
    default=None,
    help="The file to write; SERIAL-DEPTH.pdf here by default.",
)
@service_options
def report(
    serial: str, depth: str, failed_only: bool, run_id: str, to: Path | None, call: Call
) -> None:
    """Write a report of a unit as PDF, with lines for technician and client to sign.

    It is drawn from the record as it is now, and is no certificate.

    Example: loricate unit report FW2-26-0007 --depth photos --failed-only
    """
    with call.connect() as client:
        pdf = client.unit_report(serial, depth, failed_only, run_id)
    target = to or Path(f"{serial}-{depth}.pdf")
    target.write_bytes(pdf)
    if not call.printed({"file": str(target), "bytes": len(pdf)}):
        click.echo(f"Wrote {target}.")


@command.command("curve")
@click.argument("serial")
@click.argument("step")
@click.option("--attempt", default=0, help="Which attempt; the latest by default.")
@service_options
def curve(serial: str, step: str, attempt: int, call: Call) -> None:
    """Print the curves of a step of a unit's newest run as CSV (RFC 4180), in SI units.

    Example: loricate unit curve DC40-26-0119 withstand > withstand.csv
    """
    with call.connect() as client:
        unit = client.unit(serial)[0]
        tried = [each for each in unit.attempts if each.step_id == step and each.curves]
        if not tried:
            steps = dict.fromkeys(each.step_id for each in unit.attempts if each.curves)
            raise click.ClickException(
                f"{serial} has no curve of '{step}'; there is one of {', '.join(steps) or 'none'}."
            )
        kept = client.curves(unit.run_id, unit.nest, step, attempt or tried[-1].number)
    if call.printed(kept):
        return
    columns = dict.fromkeys(
        f"{each.name}_{each.unit}" for drawn in kept.curves for each in (drawn.x, *drawn.columns)
    )
    writer = csv.DictWriter(
        sys.stdout, ("curve", "point", "repetition", *columns), lineterminator="\r\n"
    )
    writer.writeheader()
    for number, drawn in enumerate(kept.curves, start=1):
        about = {"curve": number, "point": drawn.point, "repetition": drawn.repetition}
        parts = (drawn.x, *drawn.columns)
        for values in zip(*(each.values for each in parts), strict=True):
            cells = {f"{each.name}_{each.unit}": v for each, v in zip(parts, values, strict=True)}
            writer.writerow({**about, **cells})
