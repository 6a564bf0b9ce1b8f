"""``loricate certificate``."""

import json
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import moment, print_json, print_table, verdict_word

if TYPE_CHECKING:
    from loricate.api.certificates import DocumentFound
    from loricate.certificates.verifying import Verification

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


@click.group("certificate")
def command() -> None:
    """Find, get, show, verify, revoke and approve certificates and other documents."""


@command.command("list")
@click.option(
    "--kind",
    type=click.Choice(["certificate", "nonconformance", "lot", "report", "revocation", "approval"]),
    default=None,
    help="Of this kind only.",
)
@click.option("--serial", default="", help="Of this serial; * and ? stand for others.")
@click.option("--lot", default="", help="Of this lot.")
@click.option("--number", default="", help="Whose number begins so.")
@click.option(
    "--standing",
    type=click.Choice(["counts", "superseded", "revoked", "approved", "unapproved"]),
    default=None,
    help="That stand like this.",
)
@click.option("--count", default=50, show_default=True, type=click.IntRange(1, 500))
@service_options
def list_(
    kind: str | None,
    serial: str,
    lot: str,
    number: str,
    standing: str | None,
    count: int,
    call: Call,
) -> None:
    """List what was issued, newest first, with how it stands.

    Example: loricate certificate list --lot L-2611 --standing unapproved
    """
    with call.connect() as client:
        found = client.certificates(kind or "", serial, lot, number, standing or "", count=count)
    if call.printed(found):
        return
    rows = [
        (
            each.number,
            each.kind,
            each.serial or each.lot or ", ".join(each.about[:2]),
            each.product,
            moment(each.issued_at),
            _standing_words(each),
            PAPER_WORDS.get(each.paper, each.paper_problem),
        )
        for each in found
    ]
    print_table(("NUMBER", "KIND", "OF", "PRODUCT", "ISSUED", "STANDING", "PAPER"), rows)


PAPER_WORDS = {"made": "", "none": "", "coming": "coming"}


def _standing_words(found: "DocumentFound") -> str:
    if found.revoked_by:
        return f"REVOKED ({found.revoked_by})"
    if found.superseded_by:
        return f"superseded by {found.superseded_by}"
    if found.approvals >= found.approvals_needed:
        return "approved"
    return f"approved by {found.approvals} of {found.approvals_needed}" if found.approvals else ""


@command.command("revoke")
@click.argument("number")
@click.option("--reason", required=True, help="Why it counts no longer; stands on every copy.")
@service_options
def revoke(number: str, reason: str, call: Call) -> None:
    """Have a document count no longer. Quality does this; it cannot be taken back.

    Example: loricate certificate revoke C-2026-000007 --reason "bond source out of tolerance"
    """
    with call.connect() as client:
        made = client.revoke(number, reason)
    if not call.printed({"number": made}):
        click.echo(f"{number} is revoked ({made}).")


@command.command("approve")
@click.argument("numbers", nargs=-1)
@click.option("--lot", default="", help="All documents of this lot that wait for an approval.")
@click.option("--note", default="", help="What the approval says beside.")
@service_options
def approve(numbers: tuple[str, ...], lot: str, note: str, call: Call) -> None:
    """Put quality's signature on documents, or on all of a lot that wait for it.

    Example: loricate certificate approve --lot L-2611
    """
    if bool(numbers) == bool(lot):
        raise click.UsageError("Name documents, or a lot with --lot, and not both.")
    with call.connect() as client:
        made = client.approve(numbers, lot, note)
    if not call.printed({"number": made}):
        click.echo(f"Approved ({made}).")


@command.command("draw-again")
@click.argument("number")
@service_options
def draw_again(number: str, call: Call) -> None:
    """Have the paper of a document made again, as it stands and as the site looks now.

    Example: loricate certificate draw-again C-2026-000007
    """
    with call.connect() as client:
        client.draw_again(number)
    if not call.printed({"number": number}):
        click.echo(f"The paper of {number} is being made.")


@command.command("print")
@click.argument("number")
@service_options
def print_(number: str, call: Call) -> None:
    """Have the paper of a document printed on the site's printer, as the document stands.

    Example: loricate certificate print C-2026-000007
    """
    with call.connect() as client:
        client.print_certificate(number)
    if not call.printed({"number": number}):
        click.echo(
            f"{number} is being printed; `loricate records outbox --all` says how far it is."
        )


@command.command("revocations")
@click.option(
    "--to", "file", type=click.Path(dir_okay=False, path_type=Path), help="A file to write."
)
@service_options
def revocations(file: Path | None, call: Call) -> None:
    """Get the signed list of what counts no longer (JWS), for `certificate verify`.

    Example: loricate certificate revocations --to revocations.jws
    """
    with call.connect() as client:
        compact = client.revocations()
    if file is not None:
        file.write_text(compact, encoding="ascii")
    if not call.printed({"revocations": compact.strip(), "file": str(file) if file else None}):
        click.echo(compact.strip() if file is None else str(file))


@command.command("get")
@click.argument("name")
@click.option("--to", "folder", type=click.Path(file_okay=False, path_type=Path), default=".")
@service_options
def get(name: str, folder: Path, call: Call) -> None:
    """Save the signed PDF and JSON of a document.

    NAME is a number or a serial. The files are named by the document's number.

    Example: loricate certificate get DC40-26-0117 --to out
    """
    with call.connect() as client:
        sealed, pdf = client.certificate(name), client.certificate_pdf(name)
    number = json.loads(sealed)["document"]["number"]
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / f"{number}.json", folder / f"{number}.pdf"]
    paths[0].write_text(sealed, encoding="utf-8")
    paths[1].write_bytes(pdf)
    if not call.printed([str(path) for path in paths]):
        for path in paths:
            click.echo(str(path))


@command.command("show")
@click.argument("name")
@service_options
def show(name: str, call: Call) -> None:
    """Show a document, by number or serial.

    Example: loricate certificate show DC40-26-0117
    """
    with call.connect() as client:
        sealed = json.loads(client.certificate(name))
    if call.printed(sealed):
        return
    document: dict[str, Any] = sealed["document"]
    of = document.get("unit", {}).get("serial") or document.get("lot", {}).get("code", "")
    verdict = f"  {verdict_word(document['verdict'])}" if "verdict" in document else ""
    issued = f"issued {moment(document['issued_at'])} UTC"
    click.secho(f"{document['number']}  {document['kind']}  {of}{verdict}  {issued}", bold=True)
    for line in _standing_lines(sealed.get("standing")):
        click.echo(line)
    rows = [
        (
            step["title"],
            _named(reading),
            reading["text"],
            reading.get("limit", {}).get("text", ""),
            reading.get("limit", {}).get("source", ""),
        )
        for step in document.get("steps", ())
        for reading in step["readings"]
    ]
    if rows:
        print_table(("STEP", "READING", "MEASURED", "LIMIT", "SOURCE"), rows, ("MEASURED", "LIMIT"))


def _standing_lines(standing: dict[str, Any] | None) -> Iterator[str]:
    if standing is None:
        return
    if standing["revocation"] is not None:
        revoked = standing["revocation"]["document"]
        at = moment(revoked["issued_at"])
        yield f"REVOKED {at} UTC ({revoked['number']}): {revoked['reason']}"
    if standing["superseded_by"]:
        yield f"Superseded by {standing['superseded_by']}."
    for each in standing["approvals"]:
        approval = each["document"]
        by = approval["approved_by"]
        yield f"Approved by {by['name'] or by['account']} ({approval['number']})."


def _named(reading: dict[str, Any]) -> str:
    """What a reading is of; documents of the first form name it in one word."""
    words = (reading.get("quantity", reading.get("name", "")), reading.get("point", ""))
    return " ".join(words).replace("_", " ").strip()


@command.command("verify")
@click.argument("files", nargs=-1, required=True, type=FILE)
@click.option(
    "--key",
    type=FILE,
    required=True,
    help="The site's public keys (JWK set); for JSON its one key (JWK) will do.",
)
@click.option("--revocations", type=FILE, help="A signed list of what counts no longer.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def verify_(files: tuple[Path, ...], key: Path, revocations: Path | None, as_json: bool) -> None:
    """Verify documents' PDF or JSON with the site's public keys alone; needs no service.

    Checks the data's seal, the page's signature, that both are of one document, that each page says
    what the data says, approvals and revocations; and tells which of these it could check. Exits 0
    when all are genuine, unchanged and count, 1 when not.

    Example: loricate certificate verify out/C-2026-000001.pdf --key site-keys.json
    """
    from loricate.certificates.verifying_many import verify_files
    from loricate.core.json_text import JsonRefused, read_json

    try:
        jwk = read_json(key.read_bytes())
    except JsonRefused as error:
        raise click.UsageError(f"{key} is not a JWK: {error}.") from error
    listed = (
        "" if revocations is None else revocations.read_text(encoding="ascii", errors="replace")
    )
    found = list(verify_files(files, jwk, listed))
    if as_json:
        told = [_told(each) for _, each in found]
        print_json(told[0] if len(told) == 1 else told)
    elif len(found) == 1:
        _print_one(*found[0])
    else:
        for file, each in found:
            click.echo(f"{file}: {_verdict_line(each)}")
            for fault in each.faults:
                click.echo(f"  {fault}")
    sys.exit(0 if all(each.counts for _, each in found) else 1)


def _told(found: "Verification") -> dict[str, Any]:
    return {
        "genuine": found.genuine,
        "counts": found.counts,
        "faults": found.faults,
        "checked": found.checked,
        "unchecked": found.unchecked,
        "revoked": found.revoked,
        "superseded_by": found.standing.superseded_by,
        "approvals": [each["number"] for each in found.standing.approvals],
        "number": found.document.get("number", ""),
        "serial": found.document.get("unit", {}).get("serial", ""),
    }


def _verdict_line(found: "Verification") -> str:
    if not found.genuine:
        return "NOT genuine"
    document = found.document
    of = document.get("unit", {}).get("serial", "") or document.get("lot", {}).get("code", "")
    named = f"{document['kind']} {document['number']}" + (f" for {of}" if of else "")
    if found.revoked:
        return f"Genuine, but it counts no longer: {named}. {found.revoked}"
    if found.standing.superseded_by:
        return (
            f"Genuine, but it counts no longer: {named} is superseded by "
            f"{found.standing.superseded_by}."
        )
    return f"Genuine and unchanged: {named}."


def _print_one(file: Path, found: "Verification") -> None:
    line = _verdict_line(found)
    click.echo(line if found.genuine else f"{line}: {file}")
    for fault in found.faults:
        click.echo(f"  {fault}")
    for each in found.standing.approvals:
        by = each["approved_by"]
        click.echo(f"Approved by {by['name'] or by['account']} ({each['number']}).")
    for head, told in (("Checked:", found.checked), ("Not checked:", found.unchecked)):
        if told and found.genuine:
            click.echo(head, err=True)
            for text in told:
                click.echo(f"  {text}", err=True)
