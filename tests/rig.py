"""A bench connected to stand-ins in the same process."""

import asyncio
import shutil
import sys
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from pathlib import Path

from loricate.bench.bench import Bench
from loricate.bench.plan import BenchPlan
from loricate.commands import demo_site
from loricate.simulator.standins import StandIns

PATIENCE_S = 60.0  # what never comes is told late; a machine that is held up is waited for
DEMO = Path(__file__).parents[1] / "demo"


@dataclass
class SpoiltFloor:
    """Stand-ins whose hearing and speech can be spoilt."""

    floor: StandIns


@dataclass
class Rig(SpoiltFloor):
    """A bench and the stand-ins that it is connected to."""

    bench: Bench


def copy_bench(folder: Path) -> Path:
    """The demo's bench file in a folder, with addresses at which nobody answers."""
    bench = folder / "bench.toml"
    text = (DEMO / "bench" / "bench.toml").read_text(encoding="utf-8")
    bench.write_text(text.replace(":521", ":1"), encoding="utf-8")
    shutil.copy(DEMO / "bench" / "fx-c-columns.csv", folder)
    return bench


@asynccontextmanager
async def connected_rig() -> AsyncIterator[Rig]:
    """The demo bench on stand-ins at pace 20, with a patient dead-man."""
    floor = StandIns(DEMO / "stand-ins" / "stand-ins.toml", pace=20.0)
    ports = await floor.serve()
    data = demo_site.bench_document()
    for part in demo_site.parts_of(data):
        part["address"] = f"tcp://127.0.0.1:{ports[part['id']]}"
    bench = Bench(BenchPlan.model_validate({**data, "pace": 20.0}))
    assert await bench.connect() == {}
    for instrument in bench.instruments.values():
        await instrument.link.write("SYSTem:DEADman:TIMeout 5")
    yield Rig(floor, bench)
    await bench.close()
    await floor.close()


def interruptible(*words: str) -> list[str]:
    """A command of ours as a process that Ctrl-C reaches.

    Whoever started these tests may have the signal ignored, as a service manager has, and that is
    inherited.
    """
    as_usual = (
        "import runpy, signal; signal.signal(signal.SIGINT, signal.default_int_handler); "
        "runpy.run_module('loricate', run_name='__main__')"
    )
    return [sys.executable, "-c", as_usual, *words]


async def until(holds: Callable[[], bool]) -> None:
    """Return when something of this process holds; fails when it never does."""
    async with asyncio.timeout(PATIENCE_S):
        while not holds():  # noqa: ASYNC110 - nothing tells of it
            await asyncio.sleep(0.005)


def on_the_way(rig: SpoiltFloor, name: str, change: Callable[[str], str]) -> None:
    """Change what reaches an instrument."""
    stand_in = rig.floor.instruments[name]
    hear = stand_in.perform

    async def altered(line: str, owner: object | None = None) -> str | None:
        return await hear(change(line), owner)

    stand_in.perform = altered  # type: ignore[method-assign]


def said(rig: SpoiltFloor, name: str, change: Callable[[str, str], str]) -> None:
    """Change what an instrument answers to a line."""
    stand_in = rig.floor.instruments[name]
    say = stand_in.perform

    async def altered(line: str, owner: object | None = None) -> str | None:
        answer = await say(line, owner)
        return None if answer is None else change(line.strip(), answer)

    stand_in.perform = altered  # type: ignore[method-assign]
