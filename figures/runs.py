"""What the engine adds to the instruments' own time."""

import asyncio
import statistics
import tempfile
import time
from collections.abc import Mapping
from pathlib import Path

from figures.demo_documents import demo_sequence
from loricate.bench.bench import Bench
from loricate.bench.plan import read_bench_plan
from loricate.commands import demo_site
from loricate.core.attempts import Attempt, Kept
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Reading
from loricate.execution.engine import Engine
from loricate.execution.load import Answered, LoadedUnit

RUNS = 5
SETTLE_S = 0.005  # the stand-in matrix's relays, which each connection and the end wait for


class Nowhere:
    """A recorder that keeps nothing: what the records cost is a figure of its own."""

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        return None

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        return None

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        return None

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        return None

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        return None


async def _run_once(bench: Bench) -> float:
    sequence = demo_sequence()
    engine = Engine(
        "bench", sequence, bench.plan.fixtures[0], [LoadedUnit("u", "1", "S")], bench, Nowhere()
    )
    begun = time.perf_counter()
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            engine.answer("1", Answer("pass"))
    await engine.wait()
    wall = time.perf_counter() - begun
    steps = [step for step in sequence.steps if step.kind.name != "visual"]
    programmed = sum(step.programmed_s for step in steps)
    return wall / (programmed + SETTLE_S * (len(steps) + 1))


def engine_overhead() -> float:
    """Wall time of a run over the programmed time of its outputs and relays, at pace 1."""

    async def measure(bench_file: Path) -> float:
        bench = Bench(read_bench_plan(bench_file))
        await bench.connect()
        ratios = [await _run_once(bench) for _ in range(RUNS)]
        await bench.close()
        return statistics.median(ratios)

    with tempfile.TemporaryDirectory() as folder, demo_site.stand_ins(1.0) as floor:
        bench_file = Path(folder) / "bench.toml"
        demo_site.write_bench_file(floor.ports, bench_file)
        return asyncio.run(measure(bench_file))
