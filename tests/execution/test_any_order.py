"""Steps in any order: whatever is chosen, each is done once, and nothing is left out unseen."""

from collections.abc import Callable
from dataclasses import replace
from itertools import permutations
from typing import Any

import pytest

from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.sequences.branching import Outcome, When
from loricate.core.sequences.ordering import Order
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.execution.engine import Engine
from tests.execution.test_engine import Notebook, engine_for
from tests.rig import Rig

GROUP = ("panel", "feet", "label")


def looks(sequence: ReadySequence, **changes: dict[str, Any]) -> ReadySequence:
    """A look first, three looks in any order, and one at the end; some of them changed."""
    look = sequence.steps[0]

    def step(name: str) -> ReadyStep:
        order: Order = "any" if name in GROUP else "as_written"
        return replace(look, id=name, title=name, order=order, **changes.get(name, {}))

    return replace(sequence, steps=tuple(map(step, ("first", *GROUP, "last"))))


async def chosen(
    engine: Engine, choose: Callable[[Any], str], answer: Callable[[Any], str] = lambda _: "pass"
) -> list[tuple[str, ...]]:
    """Run to the end; gives what was offered each time somebody was asked what comes next."""
    offered = []
    engine.start()
    async for event in engine.log.follow():
        if event.name != "question":
            continue
        if event.data["moment"] == "next":
            offered.append(tuple(event.data["choices"]))
            choice = choose(event.data)
        else:
            choice = answer(event.data)
        if choice == "abort":
            engine.abort("somebody is tired")
        else:
            assert engine.answer(event.data["nest"], Answer(choice, "why not", "mara"))
    await engine.wait()
    return offered


def done(notebook: Notebook, nest: str = "1") -> list[str]:
    return [step for at, step, verdict, *_ in notebook.attempts if at == nest and verdict]


@pytest.mark.parametrize("order", list(permutations(GROUP)))
async def test_each_order_is_done_whole_and_each_step_once(
    order: tuple[str, ...], rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, looks(sequence))
    wanted = iter(order)
    offered = await chosen(engine, lambda _: next(wanted))
    assert done(notebook) == ["first", *order, "last"]
    left = tuple(each for each in GROUP if each != order[0])
    assert offered == [GROUP, left], "the last one is not asked for"
    assert notebook.units["u1"] == (Verdict.PASS, "")


async def test_each_nest_goes_its_own_way(rig: Rig, sequence: ReadySequence) -> None:
    engine, notebook = engine_for(rig, looks(sequence), "12")
    await chosen(engine, lambda asked: asked["choices"][0 if asked["nest"] == "1" else -1])
    assert done(notebook, "1") == ["first", "panel", "feet", "label", "last"]
    assert done(notebook, "2") == ["first", "label", "feet", "panel", "last"]


async def test_what_is_halted_within_a_group_is_told_of_every_step_and_cannot_pass(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, looks(sequence))

    def answer(asked: Any) -> str:
        return "fail" if asked["step"] == "feet" else "pass"

    await chosen(engine, lambda asked: "feet" if "feet" in asked["choices"] else "label", answer)
    of = notebook.of("1")
    assert of["feet"][0] is Verdict.FAIL
    for name in ("panel", "label", "last"):
        assert of[name] == (Verdict.NOT_RUN, Cause.UNIT_HALTED)
    assert len(notebook.attempts) == 5
    assert notebook.units["u1"][0] is Verdict.FAIL


@pytest.mark.parametrize(
    ("changes", "tries"), [({"retry": 1}, 2), ({"on_fail": "ask"}, 2), ({"on_fail": "carry_on"}, 1)]
)
async def test_one_that_is_repeated_comes_again_before_anything_else_is_chosen(
    changes: dict[str, Any], tries: int, rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, looks(sequence, feet=changes))

    def answer(asked: Any) -> str:
        if asked["moment"] == "decision":
            return "repeat"
        tried = done(notebook).count("feet")
        return "fail" if asked["step"] == "feet" and not tried else "pass"

    offered = await chosen(
        engine, lambda asked: "feet" if "feet" in asked["choices"] else "label", answer
    )
    assert done(notebook) == ["first", *["feet"] * tries, "label", "panel", "last"]
    assert offered == [GROUP, ("panel", "label")]
    expected = Verdict.FAIL if tries == 1 else Verdict.PASS
    assert notebook.units["u1"][0] is expected


async def test_only_what_has_still_to_be_done_is_offered(rig: Rig, sequence: ReadySequence) -> None:
    """A run that goes on after it was cut off, or that repeats some steps."""
    engine, notebook = engine_for(rig, looks(sequence))
    engine.units[0].todo = frozenset({"panel", "label", "last"})
    assert await chosen(engine, lambda _: "label") == [("panel", "label")]
    assert done(notebook) == ["label", "panel", "last"]
    alone, notebook = engine_for(rig, looks(sequence))
    alone.units[0].todo = frozenset({"feet"})
    assert await chosen(alone, lambda _: "") == []
    assert done(notebook) == ["feet"]


async def test_what_is_not_wanted_is_not_offered(rig: Rig, sequence: ReadySequence) -> None:
    when = When(all=(Outcome(step="first", outcome="fail"),))
    unwanted = {"when": when, "is_required": False}
    engine, notebook = engine_for(rig, looks(sequence, panel=unwanted))
    assert await chosen(engine, lambda _: "label") == [("feet", "label")]
    assert notebook.of("1")["panel"] == (Verdict.NOT_RUN, Cause.SKIPPED)
    assert notebook.units["u1"] == (Verdict.PASS, "")


async def test_who_aborts_in_place_of_choosing_leaves_no_pass(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, looks(sequence))
    await chosen(engine, lambda asked: "feet" if len(asked["choices"]) == 3 else "abort")
    assert done(notebook) == ["first", "feet"]
    assert notebook.state == "aborted" and notebook.units["u1"][0] is not Verdict.PASS


async def test_steps_of_one_title_are_told_apart(rig: Rig, sequence: ReadySequence) -> None:
    steps = looks(sequence).steps
    alike = tuple(replace(step, title="Look") if step.order == "any" else step for step in steps)
    engine, notebook = engine_for(rig, replace(sequence, steps=alike))
    offered = await chosen(engine, lambda asked: asked["choices"][1])
    assert offered[0] == ("Look (panel)", "Look (feet)", "Look (label)")
    assert done(notebook) == ["first", "feet", "label", "panel", "last"]
