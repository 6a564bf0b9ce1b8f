"""``loricate example``."""

import csv
import io
import json
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from loricate.commands.demo_site import running_site
from loricate.commands.places import demo_folder

if TYPE_CHECKING:
    from loricate.api.records import RunOut
    from loricate.client import Client

LOADS = ("first-load.toml", "second-load.toml")
FOLDERS = {"certificate": "certificates", "nonconformance": "nonconformance"}


@click.command("example")
@click.option(
    "--to",
    "folder",
    type=click.Path(file_okay=False, path_type=Path),
    default="out/example",
    show_default=True,
)
@click.option("--pace", default=5.0, show_default=True, help="How fast the stand-ins' clock goes.")
@click.option("--json", "as_json", is_flag=True, help="Print runs and lots as JSON for programs.")
def command(folder: Path, pace: float, as_json: bool) -> None:
    """Run the demo loads from start to certificates on a service of their own, then end.

    Leaves certificates/, nonconformance/, readings.csv and site-keys.json in the folder.

    Example: loricate example --to out/example
    """
    from loricate.client import Client
    from loricate.commands.lot import sentence
    from loricate.commands.output import print_json
    from loricate.commands.run import perform, print_run

    data = folder / "service"
    for old in data.glob("records.sqlite*"):
        old.unlink()  # each example starts with empty records
    ended = []
    with running_site(data, pace) as sign_in, Client(sign_in["url"]) as client:
        client.sign_in(sign_in["name"], sign_in["password"])
        for name in LOADS:
            load = tomllib.loads((demo_folder() / "loads" / name).read_text(encoding="utf-8"))
            lot, serials = load["lot"], list(load["nests"].values())
            client.open_lot(
                lot["code"],
                lot["product"],
                f"{serials[0]}..{serials[-1]}",
                order_number=lot["order_number"],
            )
            run = client.create_run(
                load["sequence"], load["fixture"], load["nests"], lot=lot["code"]
            )
            ended.append((perform(client, run, pass_visual=True), client.close_lot(lot["code"])))
        _keep(client, [run for run, _ in ended], folder)
    if as_json:
        print_json([{"run": run.model_dump(), "lot": lot.model_dump()} for run, lot in ended])
        return
    for run, lot in ended:
        print_run(run)
        click.echo(f"Lot {lot.code}: {sentence(lot)}\n")
    click.echo(f"Certificates, reports and readings are in {folder}", err=True)


def _keep(client: "Client", runs: "list[RunOut]", folder: Path) -> None:
    """Save each unit's document, every reading, and the public key."""
    for unit in (unit for run in runs for unit in run.units):
        if unit.certificate is None or unit.certificate_kind is None:
            continue
        place = folder / FOLDERS[unit.certificate_kind]
        place.mkdir(parents=True, exist_ok=True)
        sealed, pdf = client.certificate(unit.certificate), client.certificate_pdf(unit.certificate)
        (place / f"{unit.serial}.json").write_text(sealed, encoding="utf-8")
        (place / f"{unit.serial}.pdf").write_bytes(pdf)
    (folder / "readings.csv").write_text(readings_csv(runs), encoding="utf-8")
    keys = json.dumps(client.site_keys().model_dump(), indent=2) + "\n"
    (folder / "site-keys.json").write_text(keys, encoding="utf-8")


def readings_csv(runs: "list[RunOut]") -> str:
    """Every reading of these runs as CSV (RFC 4180), values in SI units."""
    text = io.StringIO(newline="")
    heads = (
        "serial",
        "nest",
        "step",
        "attempt",
        "repetition",
        "quantity",
        "point",
        "value",
        "unit",
        "bound",
        "uncertainty",
        "minimum",
        "maximum",
        "source",
        "margin",
        "verdict",
        "instrument",
        "ended_at",
    )
    writer = csv.writer(text)
    writer.writerow(heads)
    for unit in (unit for run in runs for unit in run.units):
        for attempt in unit.attempts:
            for r in attempt.readings:
                row: list[Any] = [
                    unit.serial,
                    unit.nest,
                    attempt.step_id,
                    attempt.number,
                    r.repetition,
                    r.quantity,
                    r.point,
                    r.value,
                    r.unit,
                    r.bound,
                    r.uncertainty,
                    r.minimum,
                    r.maximum,
                    r.source,
                    r.margin,
                    r.verdict,
                    r.instrument,
                    attempt.ended_at,
                ]
                writer.writerow(row)
    return text.getvalue()
