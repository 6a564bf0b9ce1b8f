"""``python -m history``: make the demo's history anew."""

import datetime as dt
import shutil
import sys
import tempfile
from pathlib import Path

import click

from history.past import PASSWORD, Past, service, write_bench
from history.units import Load, plan, write_floor
from loricate.client import Client, ClientError
from loricate.commands import demo_site, demo_upkeep
from loricate.commands.places import demo_folder
from loricate.commands.run import perform
from loricate.simulator.hands_link import Hands

TO = Path("demo/history")
FIXTURE, PRODUCT, SEQUENCE = "FX-B", "DC-40", "DC40-FINAL"
BEGIN = dt.datetime(2026, 9, 1, 6, 30, tzinfo=dt.UTC)
PACE = 60.0
OPERATORS = {"rika": "Rika Holm", "tove": "Tove Lind"}


def main() -> None:
    """Test everything, carry it out, and keep the file with its key beside the demo's data."""
    with tempfile.TemporaryDirectory(prefix="history-") as place:
        folder = Path(place)
        floor = write_floor(demo_folder(), folder / "stand-ins")
        with demo_site.stand_ins(PACE, floor) as stand_ins:
            write_bench(stand_ins.ports, folder / "bench.toml")
            hands = Hands("127.0.0.1", stand_ins.ports["HANDS"])
            past = Past(folder)
            past.set(BEGIN - dt.timedelta(days=1))
            with service(folder, past, demo_site.free_port()) as client:
                _begin(client)
                for load in plan():
                    _test(client, hands, past, load)
                past.set(dt.datetime.now(dt.UTC))
                client.sign_in("sten", PASSWORD)
                _keep(client, folder)


def _begin(client: Client) -> None:
    demo_site.add_definitions(client)
    for name, full_name in OPERATORS.items():
        client.add_account(name, full_name, "operator")


def _test(client: Client, hands: Hands, past: Past, load: Load) -> None:
    """One load, at its hour: checked in the morning, tested, its lot closed with the week."""
    days = 7 * load.week + 2 * load.day
    # Each week begins a little later: a zero holds for a week to the minute.
    past.set(BEGIN + dt.timedelta(days=days, hours=3 * load.place, minutes=9 * load.week))
    client.sign_in("sten", PASSWORD)
    if load.place == 0:
        demo_upkeep.make_fit(client, hands, PACE, [FIXTURE])
    if (load.day, load.place) == (0, 0):
        serial = int(load.units[0][0].rpartition("-")[2])
        serials = f"DC40-26-{serial}..DC40-26-{serial + 31}"
        client.open_lot(load.lot, PRODUCT, serials, order_number=f"PO-{8100 + load.week}")
    name = list(OPERATORS)[(load.day + load.place + load.week) % 2]
    password = client.reset_password(name).password
    with Client(client.base_url, timeout_s=120) as operator:
        operator.sign_in(name, password)
        operator.change_password(password, PASSWORD)
        operator.sign_in(name, PASSWORD)
        for nest, (serial_text, faults) in enumerate(load.units, 1):
            hands.put(f"{FIXTURE}/{nest}", PRODUCT, faults, serial_text)
        places = {str(nest): each[0] for nest, each in enumerate(load.units, 1)}
        run = perform(
            operator, operator.create_run(SEQUENCE, FIXTURE, places, lot=load.lot), pass_visual=True
        )
    failed = [f"{unit.serial} {unit.cause}" for unit in run.units if unit.verdict != "pass"]
    certified = sum(unit.certificate is not None for unit in run.units)
    told = f"week {load.week}, {certified} certified", *failed
    click.echo("; ".join(told))
    if (load.day, load.place) == (1, 1):
        client.close_lot(load.lot)


def _keep(client: Client, folder: Path) -> None:
    file = folder / "bench-5.carried"
    client.carry_out(file, papers=False)
    TO.mkdir(exist_ok=True)
    shutil.copyfile(file, TO / file.name)
    (kid,) = (key.kid for key in client.keys() if key.purpose == "documents")
    (TO / "bench-5.key").write_text(f"{kid}\n", encoding="ascii")
    click.echo(f"{TO / file.name}: {file.stat().st_size / 2**20:.1f} MiB, key {kid}")


if __name__ == "__main__":
    try:
        main()
    except ClientError as error:
        sys.exit(str(error))
