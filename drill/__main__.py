"""``python -m drill NAME [COUNT [SEED]]``: exits 0 only when everything held."""

import asyncio
import random
import sys
import tempfile
from pathlib import Path

from drill.attack import INTERVAL_S, attack_run
from drill.cells import change_cells
from drill.charge import end_in_every_way
from drill.gate import try_all
from drill.line import work_line
from drill.lying import lie_to_loads
from drill.sends import send_through_trouble
from drill.survival import PACE, Site, Survival, kill_once
from loricate.client import Client
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
from loricate.commands.run import perform
from loricate.simulator.hands_link import Hands


def drill(kills: int, seed: int) -> list[Survival]:
    """Kill a site as often as told; gives what was found each time."""
    chance = random.Random(seed)
    found = []
    with tempfile.TemporaryDirectory() as name, demo_site.stand_ins(PACE) as floor:
        folder = Path(name)
        demo_site.write_bench_file(floor.ports, folder / "bench.toml")
        site = Site(folder, floor.ports)
        site.start()
        with site.client() as client:
            demo_site.add_definitions(client)
            make_fit(client, Hands("127.0.0.1", floor.ports["HANDS"]), PACE, ["FX-A"])
        for number in range(kills):
            survival = kill_once(site, chance)
            found.append(survival)
            said = "; ".join(survival.faults) or "survived"
            sys.stderr.write(
                f"{number + 1}: killed after {survival.killed_after_s:.2f} s, "
                f"{survival.acknowledged} attempts acknowledged, off in "
                f"{survival.off_s * 1000:.0f} ms, ready in {survival.ready_s:.2f} s: {said}\n"
            )
        site.close()
    return found


def kills(count: int, seed: int) -> bool:
    """The crash drill."""
    found = drill(count, seed)
    survived = sum(not survival.faults for survival in found)
    sys.stdout.write(f"kills: {survived} of {count} survived\n")
    return survived == count


def wires(count: int, seed: int) -> bool:
    """Loads through lying wires."""
    found = asyncio.run(lie_to_loads(count, seed, _say))
    held = sum(not load.faults for load in found)
    told, passed = sum(load.told for load in found), sum(load.passed for load in found)
    sys.stdout.write(f"wires: {held} of {count} loads held; {told} lies, {passed} units passed\n")
    return held == count


def charge() -> bool:
    """Every ending with a charged unit."""
    found = asyncio.run(end_in_every_way(_say))
    held = sum(not ended.faults for ended in found)
    sys.stdout.write(f"charge: {held} of {len(found)} endings held\n")
    return held == len(found)


def gate() -> bool:
    """Every tricky sequence."""
    found = try_all(_say)
    held = sum(bool(tried.held_by) for tried in found)
    sys.stdout.write(f"gate: {held} of {len(found)} sequences held\n")
    return held == len(found)


def attack(seconds: int, _: int) -> bool:
    """A run while everybody attacks; its attackers follow no seed."""
    found = attack_run(float(seconds))
    for name, told in found.told.items():
        _say(f"{name}: " + ", ".join(f"{count} times {status}" for status, count in told.items()))
    for fault in found.faults:
        _say(fault)
    sys.stdout.write(
        f"attack: run {found.state}, {', '.join(found.verdicts)}; {found.beats} beats, greatest "
        f"gap {found.gap_s / INTERVAL_S:.2f} of their interval\n"
    )
    return not found.faults


def _say(line: str) -> None:
    sys.stderr.write(line + "\n")


def line(count: int, seed: int) -> bool:
    """A series, worked by somebody who does everything wrong."""
    worked = work_line(count, seed, _say)
    for fault in worked.faults:
        _say(fault)
    told = ", ".join(f"{count} {what}" for what, count in sorted(worked.acts.items()))
    came = ", ".join(f"{count} {what}" for what, count in sorted(worked.verdicts.items()))
    sys.stdout.write(f"line: {len(worked.faults)} faults; {told}; verdicts: {came}\n")
    return not worked.faults


def sends(count: int, seed: int) -> bool:
    """Messages through a system that has every trouble."""
    sent = asyncio.run(send_through_trouble(count, seed, _say))
    for fault in sent.faults:
        _say(fault)
    sys.stdout.write(
        f"sends: {sent.taken} of {count} taken once, sent {sent.times} times by {sent.services} "
        f"services, the other down {sent.downs} times; {len(sent.faults)} faults\n"
    )
    return not sent.faults


def cells(count: int, seed: int) -> bool:
    """Every cell of so many rows of each table, of a site that has tested a load."""
    with tempfile.TemporaryDirectory() as name:
        with demo_site.running_site(Path(name), PACE) as sign_in, Client(sign_in["url"]) as client:
            client.sign_in(sign_in["name"], sign_in["password"])
            load = {str(nest): f"DC40-26-01{nest + 16}" for nest in range(1, 5)}
            run = client.create_run("DC40-FINAL", "FX-A", load)
            for unit in perform(client, run, pass_visual=True).units:
                client.remark(run.id, unit.nest, f"It is {unit.verdict}")
        found = change_cells(Path(name) / "records.sqlite", count, seed, _say)
    tried = sum(found.tried.values())
    sys.stdout.write(
        f"cells: {tried - len(found.missed)} of {tried} changes found, {len(found.tried)} tables\n"
    )
    return not found.missed


COUNTED = {
    "kills": (kills, 30),
    "wires": (wires, 500),
    "attack": (attack, 60),
    "line": (line, 150),
    "cells": (cells, 10),
    "sends": (sends, 10_000),
}


def main() -> None:
    """Run the drill that is named and say how it went."""
    name = sys.argv[1] if len(sys.argv) > 1 else ""
    seed = int(sys.argv[3]) if len(sys.argv) > 3 else random.randrange(10**6)
    if name in COUNTED:
        drilled, count = COUNTED[name]
        _say(f"seed {seed}")
        held = drilled(int(sys.argv[2]) if len(sys.argv) > 2 else count, seed)
    elif name in ("charge", "gate"):
        held = {"charge": charge, "gate": gate}[name]()
    else:
        sys.exit(
            "Name a drill: kills [COUNT [SEED]], wires [COUNT [SEED]], attack [SECONDS], line "
            "[COUNT [SEED]], cells [ROWS [SEED]], sends [COUNT [SEED]], charge, gate."
        )
    sys.exit(0 if held else 1)


if __name__ == "__main__":
    main()
