"""`docs/instrument-profiles.md` is true as printed: its profile runs a step on another make."""

import asyncio
import re
import time
from collections.abc import AsyncIterator
from dataclasses import replace
from pathlib import Path

import pytest

from loricate.bench.bench import Bench
from loricate.bench.plan import BenchPlan
from loricate.commands import demo_site
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from tests.execution.test_engine import Notebook, only
from tests.rig import Rig

PAGE = Path(__file__).parents[2] / "docs" / "instrument-profiles.md"


class OtherMake:
    """An invented bond source: words, units and separators of its own, over TCP."""

    def __init__(self, ohms: float) -> None:
        self.ohms, self.amperes = ohms, 0.0
        self.level_a, self.dwell_s, self.started = 0.0, 0.0, -1.0
        self.heard: list[str] = []

    def answer(self, line: str) -> str | None:
        self.heard.append(line)
        passed = time.monotonic() - self.started if self.started >= 0 else 0.0
        is_on = 0 <= self.started and passed < self.dwell_s
        passed = min(passed, self.dwell_s)
        amperes = min(self.level_a, 5.5 / (self.ohms + 0.01))
        millivolts, milliamperes = amperes * self.ohms * 1e3, amperes * 1e3
        match line:
            case "ID?":
                return "OTHER BOND SOURCE"
            case "OWN?":
                return "1"
            case "I?":
                return f"{round(self.level_a * 100) * 10}"  # it keeps 10 mA
            case "ON?":
                return "YES" if is_on else "NO"
            case "GO":
                self.started = time.monotonic()
            case "HALT":
                self.started = -1.0
            case "NOW?":
                phase = "RUN" if is_on else "END" if self.started >= 0 else "READY"
                return f"{phase};{passed * 1e3:.1f};{millivolts:.2f};{milliamperes:.1f};junk"
            case "RESULT?":
                return f"OK;{millivolts:.2f};{milliamperes:.1f};{passed * 1e3:.1f}"
            case _:
                name, value = line.split("=")
                setattr(self, {"I": "level_a", "T": "dwell_s"}[name], float(value) / 1e3)
        return None

    async def talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while line := await reader.readline():
            answer = self.answer(line.decode().strip())
            if answer is not None:
                writer.write(answer.encode() + b"\n")
        writer.close()


@pytest.fixture
async def make() -> AsyncIterator[tuple[OtherMake, int]]:
    source = OtherMake(0.05)
    server = await asyncio.start_server(source.talk, "127.0.0.1", 0)
    yield source, server.sockets[0].getsockname()[1]
    server.close()


def printed_profile() -> str:
    (text,) = re.findall(r"```toml\n(format.*?)```", PAGE.read_text(encoding="utf-8"), re.S)
    return str(text)


@pytest.mark.parametrize(
    ("ohms", "verdict", "cause"),
    [(0.05, Verdict.PASS, Cause.NONE), (0.25, Verdict.FAIL, Cause.OVER_LIMIT)],
)
async def test_a_profile_that_follows_the_page_runs_a_step(
    rig: Rig, make: tuple[OtherMake, int], sequence: ReadySequence, tmp_path: Path,
    ohms: float, verdict: Verdict, cause: Cause,
) -> None:  # fmt: skip
    source, port = make
    source.ohms = ohms
    (tmp_path / "profiles").mkdir()
    (tmp_path / "profiles" / "other-bond.toml").write_text(printed_profile(), encoding="utf-8")
    data = demo_site.bench_document()
    for part in demo_site.parts_of(data):
        part["address"] = next(
            state.address for state in rig.bench.states() if state.id == part["id"]
        )
    bond = next(each for each in data["instruments"] if each["role"] == "bond")
    bond.update(address=f"tcp://127.0.0.1:{port}", profile="other-bond", maker="", model="")
    rig.bench.hang_up()  # one bench at a time
    bench = Bench(BenchPlan.model_validate({**data, "pace": 20.0}), tmp_path)
    assert await bench.connect() == {}
    notebook = Notebook()
    earth = only(sequence, "earth").steps[0]
    quick = replace(earth, settings=earth.settings.model_copy(update={"dwell": 0.2}))
    engine = Engine(
        "other", replace(sequence, steps=(quick,)), bench.plan.fixtures[0],
        [LoadedUnit("u1", "1", "S1")], bench, notebook,
    )  # fmt: skip
    engine.start()
    await engine.wait()
    assert notebook.units["u1"] == (verdict, str(cause) if cause else ""), notebook.attempts
    readings = {
        each.reading.name: each.reading.value for each in notebook.performed[0][1].grade.readings
    }
    assert readings["resistance"] == pytest.approx(ohms, rel=0.01)
    assert {"I=25000", "T=200", "GO"} <= set(source.heard)
    await bench.close()
