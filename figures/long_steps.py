"""What a step of ten minutes costs: the service's memory, and the browser that watches it."""

import contextlib
import os
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from playwright.sync_api import sync_playwright

from figures.nets_drawn import CHROMIUM
from loricate.client import Client
from loricate.commands import demo_site
from loricate.simulator.hands_link import Hands

PACE, SLOW_PACE, WATCHERS, LOOK_S = 20.0, 5.0, 8, 0.1
ONE_MIN_S, TEN_MIN_S = 60, 600
WATCHED_S, CURVE_S = 20.0, 540.0
WHY = "a short one, for a figure"


@contextlib.contextmanager
def _site(pace: float) -> Iterator[tuple[dict[str, Any], Client]]:
    with (
        tempfile.TemporaryDirectory() as folder,
        demo_site.running_site(Path(folder), pace) as site,
        Client(site["url"]) as client,
    ):
        client.sign_in(site["name"], site["password"])
        yield site, client


def _started(client: Client, lasts_s: int) -> str:
    """A run whose step lasts so long by the stand-ins' clock."""
    document = demo_site.demo_sequence("WM3-STUDY")
    document["code"] = f"LONG-{lasts_s}"
    steps = {step["id"]: step for step in document["steps"]}
    steps["temperature"]["settings"] = {"read": "thermometer"}
    steps["polarization"]["settings"] |= {
        "lasts": f"{lasts_s} s", "index_from": "15 s", "index_to": "60 s", "earthed_times": "1",
    }  # fmt: skip
    steps["polarization"]["limits"]["polarization_index"] = {"minimum": "1.1", "source": WHY}
    steps["ladder"]["settings"] |= {
        "levels": ["500 V", "1 kV", "1.5 kV"], "slope": "500 V/s", "dwell": "5 s",
        "earthed_times": "1",
    }  # fmt: skip
    client.add_sequence(document)
    found = client.review(document["code"]).findings
    reasons = {f"{each.rule}@{each.step}": WHY for each in found}
    client.release_sequence(document["code"], WHY, reasons)
    run = client.create_run(document["code"], "FX-M", {"1": f"LONG-{lasts_s}"})
    client.arm_run(run.id)
    client.start_run(run.id)
    return run.id


def _resident_kb(pid: int) -> int:
    lines = Path(f"/proc/{pid}/status").read_text(encoding="ascii").splitlines()
    return int(next(line for line in lines if line.startswith("VmRSS:")).split()[1])


def _peak_kb(site: dict[str, Any], client: Client, lasts_s: int) -> int:
    """The most that the service holds while eight watch such a run to its end."""
    run_id = _started(client, lasts_s)
    heard = [0] * WATCHERS

    def watch(place: int) -> None:
        with Client(site["url"]) as own:
            own.sign_in(site["name"], site["password"])
            for event in own.events(run_id):
                heard[place] += event.name == "sample"

    watchers = [threading.Thread(target=watch, args=(place,)) for place in range(WATCHERS)]
    for each in watchers:
        each.start()
    peak = 0
    while any(each.is_alive() for each in watchers):
        peak = max(peak, _resident_kb(site["pid"]))
        time.sleep(LOOK_S)
    run = client.run(run_id)
    if run.state != "finished" or not all(heard):
        raise RuntimeError(f"The run was not watched to its end: {run.state}, {heard}")
    return peak


def long_step_memory() -> float:
    """The service's memory in a ten-minute step with eight watchers over a one-minute step's."""
    with _site(PACE) as (site, client):
        one = _peak_kb(site, client, ONE_MIN_S)
        return _peak_kb(site, client, TEN_MIN_S) / one


def _cpu_s(root: int) -> float:
    """What a process and all that it started have used of the processor so far, in s."""
    parents: dict[int, int] = {}
    spent: dict[int, int] = {}
    for entry in Path("/proc").iterdir():
        with contextlib.suppress(OSError, ValueError):
            told = (entry / "stat").read_text(encoding="utf-8").rpartition(")")[2].split()
            pid = int(entry.name)
            parents[pid], spent[pid] = int(told[1]), int(told[11]) + int(told[12])
    family = {root}
    while more := {pid for pid, parent in parents.items() if parent in family} - family:
        family |= more
    return sum(spent.get(pid, 0) for pid in family) / os.sysconf("SC_CLK_TCK")


def long_step_page() -> float:
    """How much of a core the browser takes that shows a step in its tenth minute, in %."""
    with _site(SLOW_PACE) as (site, client), sync_playwright() as playwright:
        before = {pid.name for pid in Path("/proc").iterdir()}
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(site["url"])
        page.get_by_label("Name").fill(site["name"])
        page.get_by_label("Password").fill(site["password"])
        page.keyboard.press("Enter")
        page.get_by_role("button", name="Sign out", exact=True).wait_for()
        run_id = _started(client, TEN_MIN_S)
        page.goto(f"{site['url']}/run/{run_id}")
        page.get_by_role("img", name="resistance from").wait_for()
        for event in client.events(run_id):
            data = event.data
            if event.name == "sample" and data["step"] == "polarization":
                if data["elapsed_s"] > CURVE_S:
                    break
        hands = Hands("127.0.0.1", site["ports"]["HANDS"])
        hands.pace(1)
        page.wait_for_timeout(LOOK_S * 1e3)
        chromium = _chromium(before)
        begun_s, spent_s = time.perf_counter(), _cpu_s(chromium)
        page.wait_for_timeout(WATCHED_S * 1e3)
        share = (_cpu_s(chromium) - spent_s) / (time.perf_counter() - begun_s)
        if client.run(run_id).state != "running":
            raise RuntimeError("The run ended before its page was watched.")
        browser.close()
        _ended(client, run_id, hands)
    return share * 100


def _ended(client: Client, run_id: str, hands: Hands) -> None:
    """End a run; what was under voltage for minutes is earthed as long, by a clock that hurries."""
    ending = threading.Thread(target=client.abort_run, args=(run_id,))
    ending.start()
    hands.pace(demo_site.FASTEST)
    ending.join()


def _chromium(before: set[str]) -> int:
    """The browser's first process, among those that came since."""
    for entry in sorted(Path("/proc").iterdir(), key=lambda each: each.name.zfill(9)):
        with contextlib.suppress(OSError):
            if entry.name.isdigit() and entry.name not in before:
                if b"chromium" in (entry / "cmdline").read_bytes().split(b"\0")[0]:
                    return int(entry.name)
    raise RuntimeError("No browser was started.")
