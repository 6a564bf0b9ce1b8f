"""``loricate certificate``."""

import json
import sys
from pathlib import Path
from typing import Any

import click

from loricate.commands.connection import Call, service_options
from loricate.commands.output import print_json, print_table, verdict_word

FILE = click.Path(exists=True, dir_okay=False, path_type=Path)


@click.group("certificate")
def command() -> None:
    """Get, show and verify certificates."""


@command.command("get")
@click.argument("name")
@click.option("--to", "folder", type=click.Path(file_okay=False, path_type=Path), default=".")
@service_options
def get(name: str, folder: Path, call: Call) -> None:
    """Save the PDF and the signed JSON of a certificate or nonconformance report.

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
    """Show a certificate or nonconformance report, by number or serial.

    Example: loricate certificate show DC40-26-0117
    """
    with call.connect() as client:
        sealed = json.loads(client.certificate(name))
    if call.printed(sealed):
        return
    document: dict[str, Any] = sealed["document"]
    click.secho(
        f"{document['number']}  {document['kind']}  {document['unit']['serial']}  "
        f"{verdict_word(document['verdict'])}  issued {document['issued_at']}",
        bold=True,
    )
    rows = [
        (
            step["title"],
            _named(reading),
            reading["text"],
            reading.get("limit", {}).get("text", ""),
            reading.get("limit", {}).get("source", ""),
        )
        for step in document["steps"]
        for reading in step["readings"]
    ]
    print_table(("STEP", "READING", "MEASURED", "LIMIT", "SOURCE"), rows, ("MEASURED", "LIMIT"))


def _named(reading: dict[str, Any]) -> str:
    """What a reading is of; documents of the first form name it in one word."""
    words = (reading.get("quantity", reading.get("name", "")), reading.get("point", ""))
    return " ".join(words).replace("_", " ").strip()


@command.command("verify")
@click.argument("file", type=FILE)
@click.option(
    "--key", type=FILE, required=True, help="The site's public key (JWK) or keys (JWK set)."
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for programs.")
def verify_(file: Path, key: Path, as_json: bool) -> None:
    """Verify a certificate's PDF or JSON with the site's public key alone; needs no service.

    Exits 0 when it is genuine and unchanged, 1 when not.

    Example: loricate certificate verify out/C-2026-000001.pdf --key site-key.jwk
    """
    from loricate.certificates.verifying import verify
    from loricate.core.json_text import JsonRefused, read_json

    try:
        jwk = read_json(key.read_bytes())
    except JsonRefused as error:
        raise click.UsageError(f"{key} is not a JWK: {error}.") from error
    found = verify(file.read_bytes(), jwk)
    number = found.document.get("number", "")
    serial = found.document.get("unit", {}).get("serial", "")
    if as_json:
        print_json(
            {
                "genuine": found.genuine,
                "faults": found.faults,
                "unchecked": found.unchecked,
                "number": number,
                "serial": serial,
            }
        )
    elif found.genuine:
        click.echo(f"Genuine and unchanged: {found.document['kind']} {number} for {serial}.")
        click.echo("Not checked:", err=True)
        for each in found.unchecked:
            click.echo(f"  {each}", err=True)
    else:
        click.echo(f"NOT genuine: {file}")
        for fault in found.faults:
            click.echo(f"  {fault}")
    sys.exit(0 if found.genuine else 1)
