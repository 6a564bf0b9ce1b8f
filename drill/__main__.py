"""``python -m drill [KILLS] [SEED]``: exits 0 only when every kill was survived."""

import random
import sys
import tempfile
from pathlib import Path

from drill.survival import PACE, Site, Survival, kill_once
from loricate.commands import demo_site
from loricate.commands.demo_upkeep import make_fit
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
            make_fit(client, Hands("127.0.0.1", floor.ports["HANDS"]), PACE)
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


def main() -> None:
    """Run the drill and say how many kills were survived."""
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 30
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else random.randrange(10**6)
    sys.stderr.write(f"seed {seed}\n")
    found = drill(kills, seed)
    survived = sum(not survival.faults for survival in found)
    sys.stdout.write(f"{survived} of {kills} survived\n")
    sys.exit(0 if survived == kills else 1)


if __name__ == "__main__":
    main()
