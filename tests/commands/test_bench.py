"""The bench from the command line: upkeep, hands."""

import json
import os
import subprocess
import sys
import time
from typing import Any

from loricate.api.records import QuestionOut
from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.commands.conftest import Run, token_of


def under_way(client: Client) -> list[QuestionOut]:
    """What the act of upkeep that has the bench asks."""
    act = client.bench().upkeep
    return client.upkeep(act).questions if act else []


def test_bench_and_units(loricate: Run) -> None:
    bench = loricate("bench", "show").stdout
    assert "Guard closed" in bench and bench.count("answers") == 19
    assert json.loads(loricate("bench", "show", "--json").stdout)["code"] == "BENCH-2"
    loricate("run", "start", "DC40-FINAL", "2=U-77", "--pass-visual")
    assert "U-77" in loricate("unit", "find", "U-7*").stdout
    assert "MEASURED" in loricate("unit", "show", "U-77").stdout


def test_fixtures_are_zeroed_checked_and_renewed(
    loricate: Run, hands: Hands, client: Client, site: dict[str, Any]
) -> None:
    folder = str(site["folder"])

    def answer(*words: str, lines: str) -> subprocess.CompletedProcess[str]:
        return loricate(*words, given=lines)

    assert loricate("hands", "put", "FX-A/1", "SHORT", "--demo", folder).returncode == 0
    process = subprocess.Popen(
        [sys.executable, "-m", "loricate", "bench", "zero", "FX-A", "--nest", "1"], text=True,
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": token_of(site)},
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    assert process.stdin is not None
    process.stdin.write("done\n")
    process.stdin.flush()
    while not any(asked.moment == "open" for asked in under_way(client)):
        time.sleep(0.02)
    hands.empty("FX-A/1")
    out, told = process.communicate("done\n", timeout=60)
    assert process.returncode == 0 and "zero of FX-A: passed" in out, told
    assert "Zeroing nest 1" in told and "L to CHASSIS  1.000 kHz" in out
    done = answer("bench", "zero", "FX-A", "--nest", "2", lines="done\n")
    assert done.returncode == 3 and "the leads are not shorted there" in done.stdout
    stopped = answer("bench", "check", "FX-A", lines="stop\n")
    assert stopped.returncode == 3 and "Stopped by the operator." in stopped.stdout
    listed = loricate("bench", "checks", "FX-A").stdout
    assert "passed" in listed and "mara" in listed
    renewed = loricate("bench", "renew", "FX-B", "--note", "contacts changed")
    assert renewed.returncode == 0 and "0 of 10000" in renewed.stdout


def test_hands_do_what_a_person_does_at_the_bench(
    loricate: Run, hands: Hands, site: dict[str, Any]
) -> None:
    at = ("--demo", str(site["folder"]))
    assert loricate("hands", "guard", "open", *at).returncode == 0
    assert "Guard OPEN" in loricate("bench", "show").stdout
    assert loricate("hands", "guard", "close", *at).returncode == 0
    for words in (("press",), ("relay", "5", "12", "stuck"), ("relay", "5", "12", "2e6"),
                  ("empty", "FX-A/1", "FX-A/2"), ("restore",)):  # fmt: skip
        assert loricate("hands", *words, *at).returncode == 0, words
    told = loricate("hands", "press", "--json", *at)
    assert json.loads(told.stdout) == {"done": "press"}
    refused = loricate("hands", "put", "FX-Z/1", "DC-40", *at)
    assert refused.returncode == 1 and "The stand-ins refuse" in refused.stderr
    nowhere = loricate("hands", "press", "--demo", "nowhere")
    assert nowhere.returncode == 1 and "start `loricate demo`" in nowhere.stderr
