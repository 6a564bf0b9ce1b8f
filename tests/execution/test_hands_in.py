"""Hands in: while somebody turns a switch or bends a lead, no high voltage starts in any nest."""

import asyncio
from contextlib import suppress
from dataclasses import replace
from typing import Any

import pytest

from loricate.core.measuring.actions import Answer
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.execution.operator import HANDS_OUT, Operator
from loricate.simulator.instruments.output import OutputInstrument
from tests.conftest import read_demo
from tests.execution.test_engine import Notebook
from tests.rig import PATIENCE_S, Rig

FIXTURE = "FX-C"


def lead_repair(*ids: str) -> ReadySequence:
    """The sequence for leads that come back, or some of its steps."""
    product = Product.model_validate(read_demo("products/cl-7.toml"))
    document = read_demo("sequences/lead-repair.toml")
    sequence = prepare(document, {product.code: product}, {})
    steps = tuple(step for step in sequence.steps if not ids or step.id in ids)
    return replace(sequence, steps=steps)


class Hands:
    """Whoever turns and bends, slowly; notes when an output goes on meanwhile."""

    def __init__(self, rig: Rig, engine: Engine) -> None:
        self.rig, self.engine = rig, engine
        self.inside: set[str] = set()
        self.caught: list[str] = []
        self.begun: list[str] = []
        self.asked: list[str] = []
        for name in ("HV1", "HV2"):
            self._spy(name)

    def _spy(self, name: str) -> None:
        source = self.rig.floor.instruments[name]
        assert isinstance(source, OutputInstrument)
        begin = source.begin

        def began() -> None:
            self.begun.append(name)
            self.caught += [f"{name} with hands in nest {nest}" for nest in self.inside]
            begin()

        source.begin = began  # type: ignore[method-assign]

    async def work(self) -> None:
        """Do what is asked until the run is over."""
        waiting: list[asyncio.Task[None]] = []
        async for event in self.engine.log.follow():
            if event.name == "question":
                waiting.append(asyncio.create_task(self._do(dict(event.data))))
        await asyncio.gather(*waiting)

    async def _do(self, asked: dict[str, Any]) -> None:
        nest, text, choices = str(asked["nest"]), str(asked["question"]), asked["choices"]
        self.asked.append(text)
        if HANDS_OUT in choices:
            await asyncio.sleep(0.15)
            self.inside.discard(nest)
            self.engine.answer(nest, Answer(HANDS_OUT), asked["number"])
            return
        assert asked["hands_in"], text
        self.inside.add(nest)
        await asyncio.sleep(0.05)
        floor = self.rig.floor.floor
        if "position " in text:
            floor.turn(f"{FIXTURE}/{nest}", text.split("position ")[1].split(" ")[0].rstrip("."))
            if "it stands there" not in choices:
                return  # it is seen by itself
        else:
            floor.bend(f"{FIXTURE}/{nest}")
        self.engine.answer(nest, Answer(choices[0]), asked["number"])


def engine_for(rig: Rig, sequence: ReadySequence) -> tuple[Engine, Notebook]:
    fixture = rig.bench.plan.find_fixture(FIXTURE)
    assert fixture is not None
    for nest in "12":
        rig.floor.floor.put_in(f"{FIXTURE}/{nest}", "CL-7", (), f"U-{nest}")
    units = [LoadedUnit(nest, nest, f"U-{nest}") for nest in "12"]
    notebook = Notebook()
    return Engine("r", sequence, fixture, units, rig.bench, notebook), notebook


async def test_no_high_voltage_starts_before_all_hands_are_out(rig: Rig) -> None:
    """One lead is under voltage while the other is bent, or is not: never both."""
    engine, notebook = engine_for(rig, lead_repair())
    hands = Hands(rig, engine)
    engine.start()
    await asyncio.wait_for(hands.work(), 60)
    await engine.wait()
    assert notebook.state == "finished" and hands.begun, "there was high voltage"
    assert hands.caught == []
    assert sum("Take your hands out" in text for text in hands.asked) >= 4, "turned and bent, twice"
    assert {str(verdict) for verdict, _ in notebook.units.values()} == {"pass"}


async def test_where_nothing_is_hazardous_nobody_is_asked_for_hands(rig: Rig) -> None:
    engine, notebook = engine_for(rig, lead_repair("wiring", "bend"))
    hands = Hands(rig, engine)
    engine.start()
    await asyncio.wait_for(hands.work(), 60)
    await engine.wait()
    assert notebook.state == "finished"
    assert not [text for text in hands.asked if "Take your hands out" in text]
    assert rig.bench.reach.inside == ()


@pytest.mark.parametrize("ends", ["by itself", "failing"])
async def test_a_step_that_hands_were_in_for_ends_with_its_run(rig: Rig, ends: str) -> None:
    """The question for hands has begun, however soon nobody asks for them any more."""
    engine, notebook = engine_for(rig, lead_repair())
    operator = Operator(engine.questions, notebook, rig.bench, is_hazardous=True)
    with suppress(RuntimeError):
        async with operator.reaching(engine.sequence.steps[0], engine.units[:1], "1"):
            assert rig.bench.reach.inside
            if ends == "failing":
                raise RuntimeError
    await operator.close()
    assert rig.bench.reach.inside == ()


@pytest.mark.parametrize("moment", ["position FAST", "Bend and tap", "Take your hands out"])
async def test_an_abort_with_hands_in_leaves_nobody_waiting(rig: Rig, moment: str) -> None:
    """Whoever comes next finds no hands that nobody can take out."""
    engine, notebook = engine_for(rig, lead_repair())
    hands = Hands(rig, engine)
    engine.start()
    working = asyncio.create_task(hands.work())
    async for event in engine.log.follow():
        if event.name == "question" and moment in str(event.data["question"]):
            engine.abort("by the test")
            break
    await engine.wait()
    await asyncio.wait_for(working, PATIENCE_S)
    assert notebook.state == "aborted" and rig.bench.reach.inside == ()
    async with asyncio.timeout(PATIENCE_S):
        async with rig.bench.reach.output():
            pass
