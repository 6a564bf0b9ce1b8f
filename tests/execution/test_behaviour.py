"""How steps behave together: `when`, halts, retries and repetitions, whatever is answered.

No instrument: every step is a check by eye, and answers come by chance. What must hold, holds for
every sequence that can be written.
"""

import asyncio
from collections.abc import Iterable, Iterator
from typing import Any, cast

from hypothesis import given, settings
from hypothesis import strategies as st

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.bench.reach import Reach
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.products.product import Product
from loricate.core.sequences.branching import is_wanted
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from tests.conftest import read_demo
from tests.execution.test_engine import Notebook

FIXTURE = FixturePlan(code="FX", title="No bench", nests={"1": {"PE": 1}})
OUTCOMES = ("pass", "fail", "not_run")


class NoBench:
    """A bench that is asked for nothing: no step of these has an instrument."""

    def __init__(self) -> None:
        self.armed_by: set[str] = set()
        self.reach = Reach()

    def needs_of(self, demands: Iterable[object], unfit: object) -> tuple[()]:
        assert not list(demands), "no step of these has an instrument"
        return ()

    async def disconnect(self, holders: Iterable[object]) -> None:
        """Nothing is connected."""

    async def make_safe(self, on_residual: object) -> tuple[str, ...]:
        return ()

    def stop_now(self, roles: object = None) -> None:
        raise AssertionError("nothing is on")


@st.composite
def sequences(draw: st.DrawFn) -> ReadySequence:
    steps: list[dict[str, Any]] = []
    for index in range(draw(st.integers(1, 5))):
        step: dict[str, Any] = {
            "id": f"s{index}",
            "kind": "visual",
            "on_fail": draw(st.sampled_from(["carry_on", "halt_unit", "halt_run"])),
            "retry": draw(st.integers(0, 1)),
            "settings": {"questions": ["Sound?"]},
        }
        earlier = [each["id"] for each in steps]
        if draw(st.booleans()) and earlier:
            outcome = st.fixed_dictionaries(
                {"step": st.sampled_from(earlier), "outcome": st.sampled_from(OUTCOMES)}
            )
            side = draw(st.sampled_from(["all", "any"]))
            step["when"] = {side: [draw(outcome), draw(outcome)]}
            step["required"] = draw(st.booleans())
        if draw(st.booleans()):
            times = draw(st.integers(2, 4))
            step["repeat"] = {"times": times, "needed": draw(st.integers(1, times))}
        steps.append(step)
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "S", "product": product.code,
        "steps": steps,
    }  # fmt: skip
    return prepare(document, {product.code: product}, {})


async def perform(sequence: ReadySequence, answers: Iterator[str]) -> Notebook:
    notebook = Notebook()
    unit = LoadedUnit("u1", "1", "S1")
    engine = Engine("r", sequence, FIXTURE, [unit], cast(Bench, NoBench()), notebook)
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            engine.answer("1", Answer(next(answers)))
    await engine.wait()
    return notebook


@settings(deadline=None)
@given(sequence=sequences(), chance=st.randoms(use_true_random=False))
def test_what_must_hold_holds_whatever_is_answered(sequence: ReadySequence, chance: Any) -> None:
    def answers() -> Iterator[str]:
        while True:
            yield chance.choice(["pass", "pass", "fail"])

    notebook = asyncio.run(perform(sequence, answers()))
    assert notebook.state == "finished", notebook.note
    came: dict[str, Verdict] = {}
    for _, step_id, verdict, cause, note in notebook.attempts:
        step = sequence.step(step_id)
        match cause:
            case Cause.SKIPPED | Cause.CONDITION_NOT_MET:
                assert not is_wanted(step.when, came), "skipped only when it is not wanted"
                assert verdict is Verdict.NOT_RUN
                assert step.when is not None and note == f"Done only when {step.when.text}."
                assert (cause is Cause.SKIPPED) == (not step.is_required)
            case Cause.UNIT_HALTED:
                assert verdict is Verdict.NOT_RUN
            case _:
                assert is_wanted(step.when, came), "never done before what it depends on"
        came[step_id] = verdict
    assert list(came) == [step.id for step in sequence.steps], "each has an outcome, in order"
    unit_verdict, _ = notebook.units["u1"]
    unrequired = {step.id for step in sequence.steps if not step.is_required}
    skipped = {step for step, verdict in came.items() if verdict is Verdict.NOT_RUN} & unrequired
    passed = all(verdict is Verdict.PASS for step, verdict in came.items() if step not in skipped)
    halted = any(cause is Cause.UNIT_HALTED for *_, cause, _ in notebook.attempts)
    assert (unit_verdict is Verdict.PASS) == (passed and not halted and skipped != set(came))
    for nest, performed in notebook.performed:
        assert nest == "1"
        told = performed.grade.repetitions
        assert [each.number for each in told] == list(range(1, len(told) + 1))
