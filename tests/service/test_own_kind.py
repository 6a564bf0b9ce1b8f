"""A kind that does not ship: from its TOML to certificate, form and live meters, with its own role.

No file of the product is touched for it, and none knows its name.
"""

import asyncio
import json
import subprocess
import sys
import threading
import time
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
import tomlkit

from loricate.client import Client, RefusedError
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.hands_link import Hands
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.standins import StandIns
from tests.conftest import LEFT, SITE_PACE, read_demo, write_patient_profiles
from tests.rig import DEMO

PASSWORD = "of the rotor's engineer"
PROFILE = """
format = "loricate-profile/1"
name = "toy-tachometer"
role = "tachometer"
setup = ["*RST", "*CLS"]
start = "INITiate"
stop = "ABORt"
output = "OUTPut?"

[set]
level_v = "SOURce:VOLTage {value}"
dwell_s = "SOURce:DWELl {value}"

[sample]
ask = "FETCh?"
fields = ["phase", "elapsed_s", "remaining_s", "rate", "warmth"]

[summary]
ask = "FETCh:SUMMary?"
fields = ["ending", "rate", "warmth", "at_level_s"]

[span]
level_v = [0, 24]

[ceiling]
rate = 1000
warmth = 500
"""
SEQUENCE = """
format = "loricate-sequence/1"
code = "ROTOR"
title = "Rotor of the drying cabinet"
product = "DC-40"

[[steps]]
id = "spin"
kind = "spin"
title = "Rotor at both speeds"

[steps.settings]
high = "L"
low = "N"

[steps.limits.rate]
minimum = "60 /min"
source = "drawing of the rotor, note 2"

[steps.limits.warmth]
maximum = "140 °F"
caution_above = "20 °C"
source = "bearing data sheet 7"
"""


class Tachometer(OutputInstrument):
    """Turns a rotor a turn a second for each six volts; its bearing grows two degrees warmer."""

    model = "TACHOMETER"
    hazardous = False
    stands_still = False

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_v, self.dwell_s = 0.0, 1.0
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 0, 24, "V")
        self.setting("SOURce:DWELl", "dwell_s", 0.1, 600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def values(self) -> list[str]:
        turning = 0.0 if self.stands_still else self.level_v / 6
        return [f"{turning:g}", f"{20 + self.level_v / 12:g}"]

    summary = values


@dataclass
class Rotor:
    """The site of the rotor: its service's address, its hands, its tachometer."""

    url: str
    hands: Hands
    tachometer: Tachometer
    folder: Path


def bench_file(folder: Path, ports: dict[str, int]) -> Path:
    """The demo's bench with a tachometer on two more rows of its matrix."""
    path = folder / "bench.toml"
    demo_site.write_bench_file(ports, path)
    bench = tomlkit.parse(path.read_text(encoding="utf-8")).unwrap()
    today = demo_site.today()
    bench["instruments"].append(
        {
            "id": "TA1", "role": "tachometer", "title": "Tachometer", "profile": "toy-tachometer",
            "address": f"tcp://127.0.0.1:{ports['TA1']}", "serial": "TA-1",
            "calibrated": today, "due": today.replace(year=today.year + 1),
        }
    )  # fmt: skip
    bench["matrix"]["rows"]["tachometer"] = {"high": [15], "low": [16]}
    path.write_text(tomlkit.dumps(bench), encoding="utf-8")
    write_patient_profiles(folder)
    (folder / "profiles" / "toy-tachometer.toml").write_text(PROFILE, encoding="utf-8")
    return path


@pytest.fixture(scope="module")
def rotor(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Rotor]:
    """Stand-ins in a thread of their own, and `loricate serve` with the kind's module."""
    folder = tmp_path_factory.mktemp("rotor")
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=SITE_PACE)
    floor.floor.rows.update({15: "TA1.high", 16: "TA1.low"})
    tachometer = Tachometer("TA-1", "TA1", floor.floor, floor.clock)
    floor.instruments["TA1"] = tachometer
    ports = asyncio.run_coroutine_threadsafe(floor.serve(), loop).result(10)
    port = demo_site.free_port()
    url = f"http://127.0.0.1:{port}"
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate", "serve", "--bench", str(bench_file(folder, ports)),
         "--data", str(folder / "data"), "--port", str(port), "--account", "mara", "--password",
         PASSWORD, "--kinds", "tests.toy_kind", "--one-person"],
        cwd=DEMO.parent, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        yield Rotor(url, Hands("127.0.0.1", ports["HANDS"]), tachometer, folder)
    finally:
        process.terminate()
        process.wait(15)
        asyncio.run_coroutine_threadsafe(floor.close(), loop).result(10)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(5)
        loop.close()


@pytest.fixture(scope="module")
def client(rotor: Rotor) -> Iterator[Client]:
    """Signed in, with the daily check done and the rotor's sequence released."""
    with Client(rotor.url) as client:
        demo_site.wait_for(client)
        client.sign_in("mara", PASSWORD)
        waived = [
            {"kind": kind, "by": "M. Rowe", "reason": "is tried in the final test of the cabinet"}
            for kind in ("ground_bond", "continuity", "withstand")
        ]
        client.add_product({**read_demo("products/dc-40.toml"), "not_tested": waived})
        client.add_product(read_demo("products/ref-box.toml"))
        for document in (read_demo("sequences/ref-box.toml"), tomllib.loads(SEQUENCE)):
            client.add_sequence(document)
            left = {
                f"{each.rule}@{each.step}".removesuffix("@"): LEFT
                for each in client.review(document["code"]).findings
            }
            client.release_sequence(document["code"], LEFT, left)
        make_fit(client, rotor.hands, SITE_PACE)
        yield client


def run(client: Client, serial: str) -> tuple[Any, list[Any]]:
    """Test one unit; gives it, and the events of its run."""
    run = client.create_run("ROTOR", "FX-A", {"1": serial})
    client.arm_run(run.id)
    client.start_run(run.id)
    events = list(client.events(run.id))
    return client.run(run.id).units[0], events


def test_it_goes_from_toml_to_a_certificate(client: Client) -> None:
    unit, _ = run(client, "R-1")
    assert (unit.verdict, unit.not_certified) == ("pass", [])
    document = json.loads(client.certificate(unit.certificate))["document"]
    (step,) = document["steps"]
    told = {(each["quantity"], each["point"]): each for each in step["readings"]}
    assert told["rate", "slow"]["text"] == "120.0 /min"
    assert told["rate", "fast"]["limit"]["text"] == "≥ 60 /min"
    assert told["warmth", "fast"]["text"] == "22.00 °C"
    assert told["warmth", "fast"]["band"] == "caution", "nearer to its limit than it should be"
    assert told["warmth", "slow"]["ungraded"] == "it had no time to warm"
    assert [each["id"] for each in document["instruments"]] == ["TA1"]
    assert client.verify(document["number"]).genuine


def test_its_live_meters_and_points_are_those_it_declares(client: Client, rotor: Rotor) -> None:
    rotor.hands.pace(2)
    try:
        _, events = run(client, "R-2")
    finally:
        rotor.hands.pace(SITE_PACE)
    points = [
        (e.data["point"], e.data["number"], e.data["of"]) for e in events if e.name == "point"
    ]
    assert points == [("slow", 1, 2), ("fast", 2, 2)]
    meters = [event.data["meters"] for event in events if event.name == "sample"]
    assert {"rate": "240.0 /min", "warmth": "22.00 °C"} in meters


def test_its_curves_are_kept_the_one_of_its_own_over_volts(client: Client, rotor: Rotor) -> None:
    rotor.hands.pace(2)
    try:
        unit, _ = run(client, "R-3")
    finally:
        rotor.hands.pace(SITE_PACE)
    kept = client.curves(unit.run_id, "1", "spin").curves
    assert [(curve.name, curve.point) for curve in kept] == [
        ("course", "slow"), ("course", "fast"), ("spin_up", ""),
    ]  # fmt: skip
    *_, own = kept
    assert (own.x.name, own.x.unit, own.x.values) == ("voltage", "V", [12, 24])
    assert (own.columns[0].unit, own.columns[0].values) == ("/min", [2, 4])


def test_the_console_gets_its_form_from_the_schema(client: Client) -> None:
    schema = client._send("GET", "/api/v1/schemas/sequence").json()
    step = schema["$defs"]["Step"]
    assert "spin" in step["properties"]["kind"]["enum"]
    fields = schema["$defs"]["spin_settings"]["properties"]
    assert fields["fastest"]["default"] == "6000 /min" and fields["coldest"]["default"] == "-20 °C"
    (variant,) = [
        each for each in step["allOf"] if each["if"]["properties"]["kind"]["const"] == "spin"
    ]
    assert variant["then"]["properties"]["limits"]["propertyNames"]["enum"] == ["rate", "warmth"]


def test_a_bad_unit_fails_with_a_fault_at_each_point(client: Client, rotor: Rotor) -> None:
    rotor.tachometer.stands_still = True
    try:
        unit, _ = run(client, "R-4")
    finally:
        rotor.tachometer.stands_still = False
    (attempt,) = unit.attempts
    assert (unit.verdict, unit.cause) == ("fail", "no_contact")
    assert [(fault.point, fault.text) for fault in attempt.faults] == [
        ("slow", "The rotor stands still."), ("fast", "The rotor stands still."),
    ]  # fmt: skip


def test_what_is_wrong_in_its_document_is_named(client: Client) -> None:
    document = tomllib.loads(SEQUENCE)
    document["code"] = "ROTOR-2"
    document["steps"][0]["limits"]["warmth"]["maximum"] = "140 V"
    with pytest.raises(RefusedError, match=r"'140 V' is a voltage, not a temperature"):
        client.add_sequence(document)
    document["steps"][0]["limits"] = {}
    with pytest.raises(RefusedError, match="a spin step is judged by its rate"):
        client.add_sequence(document)


def test_a_reading_of_a_point_is_taken_over_from_a_rehearsal(client: Client) -> None:
    made = client.prepare_rehearsal(tomllib.loads(SEQUENCE), "FX-A", "1", ["spin"])
    client.start_rehearsal(made.id)
    list(client.rehearsal_events(made.id))
    (taken, _) = client.take_reading(
        made.id, "spin", "rate", "minimum", point="fast", allowance="10 %"
    )
    assert (taken.path, taken.value) == (["limits", "rate", "minimum"], "216 /min")


def test_a_challenge_says_that_it_has_no_such_instrument(client: Client) -> None:
    with pytest.raises(RefusedError, match="no stand-in for a tachometer"):
        client.challenge("ROTOR")


def test_a_module_that_is_not_there_is_named(rotor: Rotor) -> None:
    begun = time.monotonic()
    failed = subprocess.run(
        [sys.executable, "-m", "loricate", "serve", "--bench", str(rotor.folder / "bench.toml"),
         "--data", str(rotor.folder / "other"), "--kinds", "nowhere.kinds", "--port", "0"],
        capture_output=True, text=True, cwd=DEMO.parent, timeout=60, check=False,
    )  # fmt: skip
    assert failed.returncode == 1 and "module 'nowhere.kinds' cannot be loaded" in failed.stderr
    assert "Traceback" not in failed.stderr and time.monotonic() - begun < 30
