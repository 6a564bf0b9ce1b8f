"""``loricate records``."""

import csv
import getpass
import shutil
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_json, print_table, printed

if TYPE_CHECKING:
    from loricate.api.keeping import DueOut, OutgoingOut

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)
FOLDER = click.Path(file_okay=False, path_type=Path)
data_option = click.option(
    "--data",
    "data_folder",
    envvar="LORICATE_DATA",
    type=FOLDER,
    required=True,
    help="The data folder of the service.",
)
head_folders = click.option(
    "--head-folder",
    "head_folders",
    multiple=True,
    type=FOLDER,
    help="Where signed heads are kept as well; repeatable.",
)


@click.group("records")
def command() -> None:
    """Check, back up and restore the records; see what leaves them; export the audit trail."""


@command.command("check")
@click.option(
    "--data", "data_folder", type=FOLDER, help="Read this data folder itself; needs no service."
)
@head_folders
@service_options
def check(
    data_folder: Path | None,
    head_folders: tuple[Path, ...],
    call: Call,
) -> None:
    """Find everything in the records and the ledger that was changed, added or taken away.

    Exits 1 when there is anything.

    Example: loricate records check
    """
    if data_folder is not None:
        from loricate.service.head_keeping import benches_of
        from loricate.service.ledger_check import ledger_state, records_state

        given = _database(data_folder), (data_folder, *head_folders), benches_of(data_folder)
        both = [work(*given) for work in (records_state, ledger_state)]
        marks, entries = (each.entries for each in both)
        heads, notes = both[0].heads, list(both[0].notes)
        faults = [fault for each in both for fault in each.faults]
    else:
        with call.connect() as client:
            records, ledger = client.check_records(), client.ledger()
        marks, entries, heads, notes = records.marks, ledger.entries, records.heads, records.notes
        faults = [*records.faults, *ledger.faults]
    if call.as_json:
        print_json(
            {
                "whole": not faults,
                "marks": marks,
                "documents": entries,
                "heads": heads,
                "faults": faults,
                "notes": notes,
            }
        )
    else:
        click.echo(f"{marks} marks, {entries} documents, {heads} signed heads kept outside.")
        for each in notes:
            click.echo(each)
        click.echo("Everything is as it was stored." if not faults else "NOT as it was stored:")
        for each in faults:
            click.echo(f"  {each}")
    sys.exit(1 if faults else 0)


def _database(data_folder: Path) -> Path:
    database = data_folder / "records.sqlite"
    if not database.is_file():
        raise click.UsageError(f"There are no records in {data_folder}; name the data folder.")
    return database


@command.command("outbox")
@click.option("--now", "try_now", is_flag=True, help="Try everything that waits now.")
@click.option("--all", "show_all", is_flag=True, help="Show what has got there as well.")
@service_options
def show_outbox(try_now: bool, show_all: bool, call: Call) -> None:
    """Show what still has to leave the service, and why it has not yet.

    Example: loricate records outbox --now
    """
    with call.connect() as client:
        if try_now:
            client.try_outbox()
        found = client.outbox(waiting=not show_all)
    if call.printed(found):
        return
    print_table(
        ["ENTRY", "OF", "TO", "QUEUED", "TRIES", "STATE"],
        [
            [
                str(each.id),
                each.subject,
                each.target,
                moment(each.queued_at),
                str(each.tries),
                _how_far(each),
            ]
            for each in found
        ],
        right={"ENTRY", "TRIES"},
    )
    waiting = sum(each.sent_at is None for each in found)
    click.echo(f"{waiting} wait." if waiting else "Everything has been sent.")


def _how_far(entry: "OutgoingOut") -> str:
    if entry.left_out:
        return f"left out by {entry.left_out}"
    if entry.sent_at:
        return f"sent {moment(entry.sent_at)}"
    return entry.problem or (f"waits for {entry.behind}" if entry.behind else "waits")


@command.command("due")
@click.option("--units", "show_units", is_flag=True, help="Show each unit, and what is held.")
@service_options
def show_due(show_units: bool, call: Call) -> None:
    """Show which readings and curves have been kept long enough, by the site file's times.

    Example: loricate records due --units
    """
    with call.connect() as client:
        found = client.due()
    if not call.printed(found):
        _print_due(found, show_units)


def _print_due(found: "DueOut", show_units: bool) -> None:
    for each in found.unknown:
        click.echo(
            f"The site file keeps '{each}', and nothing here is of that product. Correct it there; "
            "until then nothing goes."
        )
    if not found.products:
        click.echo("The site file gives no times ([keep]): everything stays.")
        return
    print_table(
        ["PRODUCT", "YEARS", "DUE", "HELD", "READINGS", "CURVES", "OLDEST", "NEWEST"],
        [
            [
                each.product,
                str(each.years),
                str(each.units),
                str(each.held),
                str(each.readings),
                str(each.curves),
                (each.oldest or "")[:10],
                (each.newest or "")[:10],
            ]
            for each in found.products
        ],
        right={"YEARS", "DUE", "HELD", "READINGS", "CURVES"},
    )
    if show_units:
        print_table(
            ["UNIT", "PRODUCT", "NEST", "RUN", "ENDED", "STATE"],
            [
                [
                    each.serial,
                    each.product,
                    each.nest,
                    each.run,
                    each.ended_at[:10],
                    each.held or "due",
                ]
                for each in (*found.units, *found.held)
            ],
        )
    more = f", and {found.further} more once these have gone" if found.further else ""
    click.echo(f"{len(found.units)} units in runs are due on {found.today}{more}.")


@command.command("let-go")
@click.option("--reason", required=True, help="Why it may go; it is kept in the audit trail.")
@click.option(
    "--seen", help="`seen` of `records due --json`: lets that list go without asking; for scripts."
)
@service_options
def let_go(reason: str, seen: str | None, call: Call) -> None:
    """Let go the readings and curves that are due, once you have seen which. It is final.

    Verdicts, answers, remarks, pictures and documents stay. Exits 1 when something was left.

    Example: loricate records let-go --reason "ten years, quality manual 4.2"
    """
    with call.connect() as client:
        if seen is None:
            found = client.due()
            if not found.units or call.as_json:
                raise click.UsageError(
                    "Give --seen, from `loricate records due --json`."
                    if found.units
                    else "Nothing is due to go."
                )
            _print_due(found, show_units=True)
            click.confirm("Let their readings and curves go? They do not come back", abort=True)
            seen = found.seen
        gone = client.let_go(seen, reason)
    if not call.printed(gone):
        click.echo(
            f"{gone.readings} readings and {gone.curves} curves of {gone.units} units in runs went."
        )
        for each in gone.left:
            click.echo(f"  {each.serial} in run {each.run} was left: {each.held}")
    sys.exit(1 if gone.left else 0)


@command.command("leave-out")
@click.argument("entry", type=click.IntRange(1))
@click.option("--reason", required=True, help="Why it will never be taken.")
@service_options
def leave_out(entry: int, reason: str, call: Call) -> None:
    """Leave out a message to another system that is stuck; those behind it go on.

    ENTRY is its number in the outbox. It is kept in the audit trail.

    Example: loricate records leave-out 417 --reason "Its order is not known there"
    """
    with call.connect() as client:
        left = client.leave_out(entry, reason)
    if not call.printed(left):
        click.echo(f"{left.subject} to {left.target} is left out; what waited behind it goes on.")


@command.command("backup")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@data_option
@click.option("--keys-to", type=FOLDER, help="Copy the site's keys to this folder, apart.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def backup(file: Path, data_folder: Path, keys_to: Path | None, as_json: bool) -> None:
    """Back up records, pictures and heads into FILE while the service runs. No key is in it.

    Example: loricate records backup /mnt/safe/records-2026-11-26.tar.gz --data records
    """
    from loricate.records.backup import write_backup

    if keys_to is not None:  # first: a backup without its keys is half of what was asked
        _copy_keys(data_folder, keys_to)
    made = write_backup(data_folder, file)
    if as_json:
        print_json(
            {
                "file": str(file),
                "made_at": made.made_at,
                "documents": made.documents,
                "members": len(made.members),
                "bytes": file.stat().st_size,
            }
        )
        return
    size = file.stat().st_size / 2**20
    click.echo(f"{file}: {made.documents} documents, {len(made.members)} files, {size:.1f} MiB.")
    if keys_to is None:
        click.echo(
            f"The site's keys are not in it; keep {data_folder / 'site-key.pem'} and paper-key.p12 "
            "apart.",
            err=True,
        )
    else:
        click.echo(f"{keys_to}: the site's keys. Keep them apart from the backup.")


def _copy_keys(data_folder: Path, to: Path) -> None:
    from loricate.service.keyring import PURPOSES, KeyFiles

    files = KeyFiles(data_folder)
    names = [files.current(purpose) for purpose in PURPOSES]
    try:
        to.mkdir(mode=0o700, parents=True, exist_ok=True)
        for source in [*names, *(files.next(purpose) for purpose in PURPOSES)]:
            if source.exists() or source == names[0]:
                target = to / source.name
                target.touch(mode=0o600, exist_ok=False)
                shutil.copyfile(source, target)
    except OSError as error:
        raise click.ClickException(
            f"The site's keys cannot be copied to {to} ({error.strerror}); choose another "
            "place. No backup was made."
        ) from error


@command.command("restore")
@click.argument("file", type=FILE)
@data_option
@click.option(
    "--keys", type=FOLDER, help="The folder with the site's keys; else those in the data folder."
)
@head_folders
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def restore(
    file: Path, data_folder: Path, keys: Path | None, head_folders: tuple[Path, ...], as_json: bool
) -> None:
    """Put the records of a backup back, while no service runs; the old ones are kept beside.

    The backup is checked first: its files, every record's mark, the ledger, the key. Numbers go on
    at the next thousand, so that none is given twice.

    Example: loricate records restore records-2026-11-26.tar.gz --data records --keys /mnt/keys
    """
    from loricate.service.restoring import restore as put_back

    done = put_back(file, data_folder, keys, head_folders, getpass.getuser())
    if as_json:
        kept = None if done.kept is None else str(done.kept)
        print_json(
            {
                "made_at": done.manifest.made_at,
                "documents": done.manifest.documents,
                "kept": kept,
                "next_numbers": done.numbers,
            }
        )
        return
    click.echo(
        f"Restored from the backup of {done.manifest.made_at}: {done.manifest.documents} documents."
    )
    if done.kept is not None:
        click.echo(f"What was there is in {done.kept}.")
    for series, number in sorted(done.numbers.items()):
        click.echo(f"The next number of {series} is {series}-{number:06}.")


@command.command("head")
@click.option("--to", "file", type=click.Path(dir_okay=False, path_type=Path), help="A file.")
@service_options
def head(file: Path | None, call: Call) -> None:
    """Print a signed head of the ledger and the records, to be kept elsewhere.

    Example: loricate records head --to /mnt/safe/head.jws
    """
    with call.connect() as client:
        compact = client.ledger_head()
    if file is not None:
        file.write_text(compact, encoding="ascii")
    if not call.printed({"head": compact.strip(), "file": None if file is None else str(file)}):
        click.echo(compact.strip() if file is None else str(file))


@command.command("audit")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@service_options
def audit(file: Path, call: Call) -> None:
    """Export the whole audit trail as CSV, with a signed head beside it.

    Example: loricate records audit audit.csv
    """
    head_file = file.with_name(f"{file.name}.head.jws")
    with call.connect() as client:
        compact = client.ledger_head()  # before the rest, which is at least as long then
        text = client.export_audit()
    file.write_text(text, encoding="utf-8", newline="")
    head_file.write_text(compact, encoding="ascii")
    if not call.printed([str(file), str(head_file)]):
        click.echo(f"{file}: {text.count(chr(10)) - 1} entries; {head_file}")


@command.command("audit-check")
@click.argument("file", type=FILE)
@click.option("--head", "head_file", type=FILE, help="The signed head; FILE.head.jws by default.")
@click.option("--key", type=FILE, required=True, help="The site's public key or keys.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def audit_check(file: Path, head_file: Path | None, key: Path, as_json: bool) -> None:
    """Check an exported audit trail: each entry, the chain, and the signed head. Needs no service.

    Exits 0 when it is whole, 1 when not.

    Example: loricate records audit-check audit.csv --key site-keys.json
    """
    from loricate.certificates.heads import Head
    from loricate.core.json_text import read_json
    from loricate.records.audit import export_faults

    beside = head_file or file.with_name(f"{file.name}.head.jws")
    if not beside.is_file():
        raise click.UsageError(f"There is no signed head {beside}; name it with --head.")
    signed = Head.read(beside.read_text(encoding="ascii").strip(), read_json(key.read_bytes()))
    with file.open(encoding="utf-8", newline="") as rows:
        try:
            faults = list(export_faults(csv.DictReader(rows), signed.chains.get("audit")))
        except (KeyError, ValueError, TypeError, csv.Error) as error:
            faults = [f"It is no exported audit trail: {error}."]
    if not printed(
        as_json, {"whole": not faults, "faults": faults, "at": signed.at, "site": signed.site}
    ):
        told = f"Whole, as of {signed.at} at {signed.site}." if not faults else "NOT whole:"
        click.echo(told)
        for each in faults:
            click.echo(f"  {each}")
    sys.exit(1 if faults else 0)
