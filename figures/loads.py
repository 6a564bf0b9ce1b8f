"""How near a load comes to the bound that no schedule can beat."""

import asyncio
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import tomlkit

from figures.demo_documents import demo_sequence
from figures.runs import Nowhere
from loricate.bench.bench import Bench
from loricate.bench.plan import read_bench_plan
from loricate.commands import demo_site
from loricate.commands.places import demo_folder
from loricate.core.measuring.actions import Answer
from loricate.core.planning.scheduling import (
    Alternative,
    PlannedStep,
    forecast,
    lower_bound_s,
    makespan_s,
)
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit

LONG_LOAD = 16  # nests from which the stand-ins run at twice the pace
TERMINALS = ("L", "N", "PE", "CHASSIS")


def _columns(nest: int) -> dict[str, int]:
    return {name: 4 * nest + place for place, name in enumerate(TERMINALS, start=1)}


def _write_site(folder: Path, nests: int) -> Path:
    """Stand-ins with a good cabinet in each of many nests; gives their file."""
    source = demo_folder() / "stand-ins"
    floor = tomlkit.parse((source / "stand-ins.toml").read_text(encoding="utf-8")).unwrap()
    floor["nests"] = [
        {"nest": f"FX-N/{n}", "columns": _columns(n), "unit": "DC-40", "serial": f"N-{n}"}
        for n in range(nests)
    ]
    path = folder / "stand-ins.toml"
    path.write_text(tomlkit.dumps(floor), encoding="utf-8")
    for name in floor["units"]:
        (folder / name).write_text((source / name).read_text(encoding="utf-8"), encoding="utf-8")
    return path


def _write_bench(folder: Path, ports: dict[str, int], nests: int) -> Path:
    path = folder / "bench.toml"
    demo_site.write_bench_file(ports, path)
    bench = tomlkit.parse(path.read_text(encoding="utf-8")).unwrap()
    fixture = {"code": "FX-N", "title": "Many nests"}
    bench["fixtures"] = [{**fixture, "nests": {str(n): _columns(n) for n in range(nests)}}]
    path.write_text(tomlkit.dumps(bench), encoding="utf-8")
    return path


async def _wall_s(bench_file: Path, sequence: ReadySequence, nests: int) -> float:
    bench = Bench(read_bench_plan(bench_file))
    await bench.connect()
    units = [LoadedUnit(f"u{n}", str(n), f"N-{n}") for n in range(nests)]
    engine = Engine("load", sequence, bench.plan.fixtures[0], units, bench, Nowhere())
    begun = time.perf_counter()
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            engine.answer(event.data["nest"], Answer("pass"))
    wall = time.perf_counter() - begun
    await bench.close()
    return wall


def _planned(sequence: ReadySequence) -> list[PlannedStep]:
    """The steps with the demo bench's instruments of each role, of which two are withstand sources.

    The meters of each do for every step of it.
    """
    bench = read_bench_plan(demo_folder() / "bench" / "bench.toml")
    return [
        PlannedStep(
            tuple(
                tuple(Alternative(each.id) for each in bench.of_role(role))
                for role in sorted(step.roles)
            ),
            step.programmed_s,
            step.across,
        )
        for step in sequence.steps
    ]


def load_over_bound(nests: int) -> Callable[[], float]:
    """The figure for a load of so many nests on the demo's bench: wall time over the bound."""

    def measure() -> float:
        pace = 2.0 if nests >= LONG_LOAD else 1.0
        # A settling time is the service's own and does not go at the stand-ins' pace.
        demo = demo_sequence()
        steps = tuple(replace(step, lead_in_s=step.lead_in_s / pace) for step in demo.steps)
        sequence = replace(demo, steps=steps)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            with demo_site.stand_ins(pace, _write_site(folder, nests)) as floor:
                bench_file = _write_bench(folder, floor.ports, nests)
                wall = asyncio.run(_wall_s(bench_file, sequence, nests))
        return wall * pace / lower_bound_s(_planned(demo), nests)

    return measure


def best_forecast(nests: int) -> float:
    """What the schedule itself leaves over the bound, with instruments that take no extra time."""
    planned = _planned(demo_sequence())
    names = [str(nest) for nest in range(nests)]
    return makespan_s(forecast(planned, names)) / lower_bound_s(planned, nests)
