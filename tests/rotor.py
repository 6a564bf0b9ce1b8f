"""A site with a kind and an instrument of its own: a service on the toy kind, a tachometer."""

import asyncio
import subprocess
import sys
import threading
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import tomlkit

from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.hands_link import Hands
from loricate.simulator.instruments.output import OutputInstrument
from loricate.simulator.standins import StandIns
from tests.conftest import LEFT, SITE_PACE, read_demo, write_patient_profiles
from tests.rig import DEMO, PATIENCE_S

PASSWORD = "of the rotor's engineer"
PROFILE = """
format = "loricate-profile/1"
name = "toy-tachometer"
role = "tachometer"
setup = ["*RST", "*CLS"]
start = "INITiate"
stop = "ABORt"
finish = "SOURce:DWELl:END"
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

[waveforms.turning]
about = "TRACe:PREamble?"
ask = "TRACe:DATA?"
quantity = "rate"
dimension = "rate"
scale = 0.016666666666666666
"""
SEQUENCE = """
format = "loricate-sequence/2"
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
THOROUGH = SEQUENCE.replace('code = "ROTOR"', 'code = "ROTOR-T"').replace(
    'low = "N"', 'low = "N"\nthorough = true'
)


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
        self.missing = 0  # of the values of its record
        self.command("TRACe:PREamble?", lambda: "0,2e-6,50")
        self.command("TRACe:DATA?", self.record)

    def record(self) -> str:
        """Turns a minute, a value each 2 µs; one of them is a spike."""
        turning = 0.0 if self.stands_still else self.level_v * 10
        values = [turning] * 50
        values[17] *= 3
        return ",".join(f"{each:g}" for each in values[self.missing :])

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
    # Fixtures of cables and windings are checked by sequences that are none of this site's.
    bench["fixtures"] = [each for each in bench["fixtures"] if each["code"] in ("FX-A", "FX-B")]
    bench["matrix"]["rows"]["tachometer"] = {"high": [61], "low": [62]}
    path.write_text(tomlkit.dumps(bench), encoding="utf-8")
    write_patient_profiles(folder)
    (folder / "profiles" / "toy-tachometer.toml").write_text(PROFILE, encoding="utf-8")
    return path


@contextmanager
def rotor_site(folder: Path) -> Iterator[Rotor]:
    """Stand-ins in a thread of their own, and `loricate serve` with the kind's module."""
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=SITE_PACE)
    floor.floor.rows.update({61: "TA1.high", 62: "TA1.low"})
    tachometer = Tachometer("TA-1", "TA1", floor.floor, floor.clock)
    floor.instruments["TA1"] = tachometer
    ports = asyncio.run_coroutine_threadsafe(floor.serve(), loop).result(PATIENCE_S)
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
        process.wait(PATIENCE_S)
        asyncio.run_coroutine_threadsafe(floor.close(), loop).result(PATIENCE_S)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(PATIENCE_S)
        loop.close()


@contextmanager
def engineer_of(rotor: Rotor) -> Iterator[Client]:
    """Signed in, with the daily check done and the rotor's sequences released."""
    with Client(rotor.url) as client:
        demo_site.wait_for(client)
        client.sign_in("mara", PASSWORD)
        waived = [
            {"kind": kind, "by": "M. Rowe", "reason": "is tried in the final test of the cabinet"}
            for kind in ("ground_bond", "continuity", "withstand")
        ]
        client.add_product({**read_demo("products/dc-40.toml"), "not_tested": waived})
        client.add_product(read_demo("products/ref-box.toml"))
        documents = (tomllib.loads(SEQUENCE), tomllib.loads(THOROUGH))
        for document in (read_demo("sequences/ref-box.toml"), *documents):
            client.add_sequence(document)
            left = {
                f"{each.rule}@{each.step}".removesuffix("@"): LEFT
                for each in client.review(document["code"]).findings
            }
            client.release_sequence(document["code"], LEFT, left)
        make_fit(client, rotor.hands, SITE_PACE, ["FX-A"])
        yield client
