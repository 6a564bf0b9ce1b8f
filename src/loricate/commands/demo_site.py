"""A demo site: stand-ins, a bench file that points at them, the service, and the demo definitions.

Shared by ``loricate demo``, ``loricate example`` and whoever else needs a whole site on loopback.
"""

import base64
import contextlib
import datetime as dt
import json
import os
import secrets
import shutil
import socket
import subprocess
import sys
import time
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import httpx
import tomlkit

from loricate.commands.cue_pictures import send_pictures
from loricate.commands.places import demo_folder

if TYPE_CHECKING:
    from loricate.client import Client

ACCOUNT, QUALITY, SYSTEM = "mara", "ines", "depot"
FASTEST = 200.0  # the pace up to which the demo bench believes its stand-ins' clocks
# Whoever connects, or asks for any port, is given one from 32768 on.
NOT_GIVEN_AWAY = range(20_000, 32_000)
WRITTEN_ON = dt.date(2026, 11, 25)  # the day that the demo bench's calibration dates speak of


@dataclass(frozen=True, slots=True)
class StandInPorts:
    """The running stand-ins: their process and the port of each instrument."""

    process: subprocess.Popen[str]
    ports: dict[str, int]


@contextlib.contextmanager
def stand_ins(
    pace: float, floor: Path | None = None, printed: Path | None = None, secret: str = ""
) -> Iterator[StandInPorts]:
    """Run the stand-in instruments in a process of their own, on free loopback ports.

    Where ``printed`` is named, a printer is among them whose paper comes out there; with a
    ``secret`` the systems that take what is signed with it.
    """
    path = floor or demo_folder() / "stand-ins" / "stand-ins.toml"
    given = [str(path), f"{pace:g}", *([] if printed is None else [str(printed)])]
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate.simulator", *given],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "STAND_IN_SECRET": secret},
    )
    try:
        first = process.stdout.readline() if process.stdout else ""
        if not first:
            raise click.ClickException(f"The stand-ins did not start; see above ({path}).")
        yield StandInPorts(process, json.loads(first))
    finally:
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                pipe.close()  # its input closing tells the process to leave
        process.wait(timeout=10)


def parts_of(bench: Any) -> list[Any]:
    """Every part of the demo's bench file that has an address."""
    others = [bench[name] for name in ("matrix", "guard", "inputs", "climate")]
    return [*bench["instruments"], *others]


def bench_document() -> dict[str, Any]:
    """The demo's bench file, with the columns that are in a file of their own."""
    from loricate.bench.plan import with_columns

    folder = demo_folder() / "bench"
    text = (folder / "bench.toml").read_text(encoding="utf-8")
    return with_columns(tomllib.loads(text), folder)


def write_bench_file(ports: dict[str, int], to: Path, secret: str = "") -> None:
    """Write the demo bench with the stand-ins' addresses, its calibrations as old as ever.

    Beside it go the unit files, for challenges, and the secret that messages are signed with.
    """
    text = (demo_folder() / "bench" / "bench.toml").read_text(encoding="utf-8")
    bench = tomlkit.parse(text)
    bench["pace"] = FASTEST
    shift = today() - WRITTEN_ON
    parts = parts_of(bench)
    for part in parts:
        part["address"] = f"tcp://127.0.0.1:{ports[str(part['id'])]}"
        for name in ("calibrated", "due"):
            if name in part:
                part[name] = tomlkit.date(str(part[name] + shift))
    to.parent.mkdir(parents=True, exist_ok=True)
    to.write_text(tomlkit.dumps(bench), encoding="utf-8")
    site = tomlkit.parse((demo_folder() / "bench" / "site.toml").read_text(encoding="utf-8"))
    if "PRINTER" in ports:
        site["printer"] = {"address": f"ipp://127.0.0.1:{ports['PRINTER']}/ipp/print"}
    else:
        del site["printer"]
    if "WORKS" in ports:
        for each in site["send"]:
            each["to"] = f"http://127.0.0.1:{ports[str(each['name']).upper()]}/messages"
        to.with_name("send.secret").write_text(f"{secret}\n", encoding="ascii")
    else:
        del site["send"]
    to.with_name("site.toml").write_text(tomlkit.dumps(site), encoding="utf-8")
    for name in ("logo.svg", "fx-c-columns.csv"):
        shutil.copyfile(demo_folder() / "bench" / name, to.with_name(name))
    units = to.parent / "units"
    units.mkdir(exist_ok=True)
    for path in (demo_folder() / "stand-ins").glob("*.toml"):
        if path.name != "stand-ins.toml":
            shutil.copyfile(path, units / path.name)
    (to.parent / "stand-ins.json").write_text(json.dumps(ports), encoding="utf-8")


def new_secret() -> str:
    """A secret that messages are signed with, made for one start."""
    return base64.b64encode(secrets.token_bytes(32)).decode()


def new_password() -> str:
    """A password made for one start."""
    return secrets.token_urlsafe(9)


def free_port() -> int:
    """A loopback port that is free now, and that no system gives away before it is used."""
    while True:
        port = secrets.choice(NOT_GIVEN_AWAY)
        with socket.socket() as probe, contextlib.suppress(OSError):
            probe.bind(("127.0.0.1", port))
            return port


def wait_for(client: "Client", seconds: float = 30.0) -> None:
    """Return when the service answers; raises UnreachableError when it never does."""
    from loricate.client import UnreachableError

    deadline = time.monotonic() + seconds
    while True:
        try:
            client.health()
            return
        except UnreachableError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.05)


def demo_documents(folder: str) -> list[dict[str, Any]]:
    """Every document of one of the demo's folders as plain data."""
    paths = sorted((demo_folder() / folder).glob("*.toml"))
    return [tomllib.loads(path.read_text(encoding="utf-8")) for path in paths]


def demo_sequence(code: str) -> dict[str, Any]:
    """One of the demo's sequences as plain data."""
    return next(each for each in demo_documents("sequences") if each["code"] == code)


def add_definitions(client: "Client") -> None:
    """Add the demo's products, limit sets and sequences; what is there already stays as it is."""
    for document in demo_documents("products"):
        client.add_product(document)
    for document in demo_documents("limit-sets"):
        client.add_limit_set(document)
    folder = demo_folder() / "sequences"
    known = {each.code for each in client.sequences()}
    for document in demo_documents("sequences"):
        if document["code"] not in known:
            client.add_sequence(send_pictures(client, document, folder))
            client.release_sequence(document["code"], "demo data")
    for listed in demo_documents("assets"):
        for each in listed["assets"]:
            client.describe_asset(**each)


def have_orders_given(client: "Client", sign_in: dict[str, Any]) -> None:
    """Have the maintenance system send its work orders, as it does whenever it has one."""
    system = f"http://127.0.0.1:{sign_in['ports']['DEVICES']}"
    told = {"url": sign_in["url"], "name": SYSTEM, "password": sign_in["password"]}
    httpx.put(f"{system}/service", json=told).raise_for_status()
    known = {each.number for each in client.orders()}
    for listed in demo_documents("orders"):
        for each in listed["orders"]:
            if each["number"] not in known:
                httpx.post(f"{system}/orders", json=each, timeout=30.0).raise_for_status()


def carry_history_in(client: "Client") -> str:
    """Take in what the demo's other works has tested, where that is new; gives what it is."""
    folder = demo_folder() / "history"
    key = (folder / "bench-5.key").read_text(encoding="ascii").strip()
    done = client.carry_in(folder / "bench-5.carried", key)
    return f"{done.units} units of {done.bench}, {done.name}" if done.is_first else ""


def today() -> dt.date:
    """The present day in UTC."""
    return dt.datetime.now(dt.UTC).date()


@contextlib.contextmanager
def running_site(data: Path, pace: float) -> Iterator[dict[str, Any]]:
    """A demo service in a process of its own on free ports; gives its address and sign-in."""
    data.mkdir(parents=True, exist_ok=True)
    with (data / "service.log").open("w", encoding="utf-8") as log:
        process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "loricate",
                "demo",
                "--data",
                str(data),
                "--port",
                "0",
                "--pace",
                f"{pace:g}",
                "--no-history",
                "--json",
            ],
            stdout=subprocess.PIPE,
            stderr=log,
            text=True,
        )
        try:
            first = process.stdout.readline() if process.stdout else ""
            if not first:
                process.wait(timeout=15)
                told = (data / "service.log").read_text(encoding="utf-8").strip()
                raise click.ClickException(f"The demo service did not start: {told or 'no word'}")
            yield {**json.loads(first), "pid": process.pid}
        finally:
            process.terminate()
            if process.stdout is not None:
                process.stdout.close()
            process.wait(timeout=15)
