"""A series from the command line: followed to its stop, given serials, held and let go on."""

import json
import os
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from loricate.api.series import SeriesOut
from loricate.client import Client
from loricate.simulator.hands_link import Hands
from tests.commands.conftest import Run
from tests.rig import PATIENCE_S, interruptible

NEST = "FX-C/1"


def until(client: Client, series_id: str, holds: Callable[[SeriesOut], bool]) -> SeriesOut:
    """The series once something holds of it."""
    end = time.monotonic() + PATIENCE_S
    while not holds(found := client.series(series_id)):
        assert time.monotonic() < end, found
        time.sleep(0.05)
    return found


def exchange(client: Client, hands: Hands, series_id: str, faults: str = "") -> SeriesOut:
    """Exchange the cable in nest 1 and wait for its verdict."""
    before = client.series(series_id).tested
    hands.empty(NEST)
    until(client, series_id, lambda found: found.now.startswith("Plug"))
    hands.put(NEST, "REF-CABLE", faults)
    return until(client, series_id, lambda found: found.tested > before and not found.run)


def test_a_series_is_followed_until_it_is_stopped(
    site: dict[str, Any], client: Client, hands: Hands, tmp_path: Path
) -> None:
    words = ["series", "begin", "REF-CABLE", "--fixture", "FX-C", "--count-from", "CM-##"]
    following = subprocess.Popen(
        interruptible(*words),
        env={**os.environ, "LORICATE_SERVICE": site["url"], "LORICATE_TOKEN": client.token},
        cwd=tmp_path,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    end = time.monotonic() + PATIENCE_S
    while not (found := [each for each in client.list_series() if each.state == "on"]):
        assert time.monotonic() < end and following.poll() is None
        time.sleep(0.05)
    exchange(client, hands, found[0].id)
    exchange(client, hands, found[0].id, "open W3")
    time.sleep(0.5)
    following.send_signal(signal.SIGINT)
    try:
        out, err = following.communicate(timeout=60)
    finally:
        following.kill()
    assert following.returncode == 3, "a unit failed"
    said = err.splitlines()
    assert said[:2] == ["Take the unit out of nest 1.", "Plug CM-01 into nest 1."]
    assert "CM-01  nest 1  PASS" in said and "CM-02  nest 1  FAIL (open)" in said
    assert "Take the unit out of nest 1: failed, open." in said
    assert "REF-CABLE revision 1, FX-C/1, ended" in out
    assert "2 tested, 1 passed, 1 failed; first-pass yield 50.0%" in out


def test_serials_are_scanned_and_a_held_series_is_let_go_on(
    loricate: Run, client: Client, hands: Hands
) -> None:
    hands.empty(NEST)
    begun = loricate(
        "series", "begin", "REF-CABLE", "--fixture", "FX-C", "--stop-after-fails", "1", "--json",
        "--lot", "none",
    )  # fmt: skip
    assert begun.returncode == 1 and "there is no lot 'none'" in begun.stderr
    made = client.begin_series("REF-CABLE", "FX-C", line={"stop_after_fails": 1})
    scanned = loricate("series", "scan", "SC-1", "SC-2")
    assert scanned.stdout.startswith("SC-1, SC-2 to come."), scanned.stderr
    twice = loricate("series", "scan", "SC-2")
    assert twice.returncode == 1 and "SC-2 waits already" in twice.stderr
    assert loricate("series", "withdraw", "SC-1").stdout.startswith("SC-2 to come.")
    client.arm_series(made.id)
    assert exchange(client, hands, made.id, "open W3").failed == 1
    until(client, made.id, lambda found: found.state == "held")
    refused = loricate("series", "arm")
    assert refused.returncode == 1 and "A unit failed. An engineer looks at that" in refused.stderr
    done = loricate("series", "release", "--reason", "wire W3 of the whole batch")
    assert done.returncode == 0 and "lets it go on: wire W3 of the whole batch" in done.stdout
    stopped = loricate("series", "stop", "--json")
    assert json.loads(stopped.stdout)["state"] == "ended"
    listed = loricate("series", "list").stdout
    assert "ended" in listed and made.id in listed
    shown = loricate("series", "show", "--series", made.id).stdout
    assert "SC-2    1     FAIL (open)" in shown and "1 tested, 0 passed, 1 failed" in shown
