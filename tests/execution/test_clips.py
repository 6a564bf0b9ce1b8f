"""Clips on their posts: whatever post a clip is on by mistake, it is found before volts come."""

from collections.abc import Callable
from dataclasses import replace
from itertools import permutations
from typing import Any

import pytest

from loricate.core.kinds.clips import IT_IS_SO, MOST_TRIES, PUT_RIGHT
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Verdict
from loricate.core.products.product import Product
from loricate.core.review import Reviewed, review
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from tests.conftest import demo_limit_sets, read_demo
from tests.execution.test_engine import Notebook
from tests.rig import Rig, said

PLACE = "FX-W/1"
PROBE = ("P1", "P2", "P3", "P4")
POSTS = (*PROBE, "C1", "CUFF", "POLE", "CASE", "PE")
# What hangs free by itself reads alike wherever it is, and one part's own connections do so too.
LONELY = {"C1", "CUFF", "POLE"}


def ready(limit_sets: LimitSets, *ids: str) -> ReadySequence:
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    whole = prepare(read_demo("sequences/fw2-whole.toml"), {product.code: product}, limit_sets)
    return replace(whole, steps=tuple(step for step in whole.steps if step.id in ids))


async def looked_at(
    rig: Rig, sequence: ReadySequence, answer: str = PUT_RIGHT, right_after: int = 99
) -> tuple[Notebook, list[str], list[str]]:
    """Run it, putting the clips right after so many questions; what was refused and begun."""
    fixture = rig.bench.plan.find_fixture("FX-W")
    assert fixture is not None
    notebook = Notebook()
    engine = Engine("r", sequence, fixture, [LoadedUnit("u1", "1", "S1")], rig.bench, notebook)
    engine.start()
    refused, begun = [], []
    async for event in engine.log.follow():
        data: Any = event.data
        if event.name == "step_started":
            begun.append(data["step"])
        if event.name == "cue" and data["moment"] == "refused":
            refused.append(data["text"])
        if event.name != "question":
            continue
        choice = data["choices"][0]
        if choice == PUT_RIGHT:
            choice = answer
            if len(refused) >= right_after:
                for post in POSTS:
                    rig.floor.floor.clip(PLACE, post, post)
        elif data["moment"] == "decision":
            choice = "halt unit"
        engine.answer("1", Answer(choice, "why not", "mara"))
    await engine.wait()
    return notebook, refused, begun


def put(rig: Rig, *faults: str) -> None:
    rig.floor.floor.put_in(PLACE, "FW-2", faults, "CLIPS-1")


async def test_clips_on_their_posts_pass_without_a_question(rig: Rig) -> None:
    put(rig)
    notebook, refused, _ = await looked_at(rig, ready(demo_limit_sets(), "clips"))
    assert refused == [] and notebook.units["u1"] == (Verdict.PASS, "")
    ((_, attempt),) = notebook.performed
    assert len(attempt.grade.readings) == 6 + 5
    assert all(each.limit is not None for each in attempt.grade.readings)


@pytest.mark.parametrize(("contact", "post"), list(permutations(POSTS, 2)))
async def test_a_clip_on_any_other_post_is_found_before_anything_is_energised(
    contact: str, post: str, rig: Rig
) -> None:
    if {contact, post} == {"CASE", "PE"}:
        pytest.skip("the earth joins them: the same to every measurement")
    put(rig)
    rig.floor.floor.clip(PLACE, contact, post)
    sequence = ready(demo_limit_sets(), "clips", "insulation")
    notebook, refused, begun = await looked_at(rig, sequence, answer=IT_IS_SO)
    assert refused, "it was told"
    assert begun == ["clips"] and notebook.units["u1"][0] is Verdict.FAIL
    names = {contact, post} | ({"PROBE"} if {contact, post} & set(PROBE) else set())
    assert any(name in refused[0] for name in names | {"CATHETER", "earth"}), refused


@pytest.mark.parametrize(("one", "other"), list(permutations(POSTS, 2)))
async def test_two_clips_exchanged_are_found_where_the_network_tells(
    one: str, other: str, rig: Rig
) -> None:
    put(rig)
    rig.floor.floor.clip(PLACE, one, other)
    rig.floor.floor.clip(PLACE, other, one)
    notebook, refused, _ = await looked_at(rig, ready(demo_limit_sets(), "clips"), IT_IS_SO)
    pair = {one, other}
    is_alike = pair <= set(PROBE) or pair <= LONELY or pair <= {"CASE", "PE"}
    assert (notebook.units["u1"][0] is Verdict.PASS) is is_alike
    assert bool(refused) is not is_alike


async def test_a_clip_that_is_put_right_is_measured_again(rig: Rig) -> None:
    put(rig)
    rig.floor.floor.clip(PLACE, "P4", "C1")
    notebook, refused, _ = await looked_at(rig, ready(demo_limit_sets(), "clips"), right_after=2)
    assert len(refused) == 2 and notebook.units["u1"] == (Verdict.PASS, "")
    assert "P1 to P4 reads > 100.0 MΩ, right is 8 kΩ to 11 kΩ" in refused[0]
    assert "CATHETER to all others reads" in refused[0]
    asked = {answered.question for _, answered in notebook.answers if answered.moment == "check"}
    assert asked == {"Put each clip on its own post. Look at P4 first."}


async def test_whoever_only_says_so_gets_no_pass_and_is_not_asked_for_ever(rig: Rig) -> None:
    put(rig)
    rig.floor.floor.clip(PLACE, "P4", "C1")
    notebook, refused, begun = await looked_at(rig, ready(demo_limit_sets(), "clips", "insulation"))
    assert len(refused) == MOST_TRIES and begun == ["clips"]
    assert notebook.of("1")["clips"][0] is Verdict.INCONCLUSIVE
    assert notebook.units["u1"][0] is not Verdict.PASS


async def test_an_empty_stand_does_not_pass(rig: Rig) -> None:
    rig.floor.floor.take_out(PLACE)
    notebook, _, _ = await looked_at(rig, ready(demo_limit_sets(), "clips"), IT_IS_SO)
    assert notebook.units["u1"][0] is Verdict.FAIL


@pytest.mark.parametrize("told", ["9.91E37", "NAN", "-1", "0", "LOW"])
async def test_a_meter_that_lies_about_every_path_passes_nothing(told: str, rig: Rig) -> None:
    put(rig)
    rig.floor.floor.clip(PLACE, "P4", "C1")

    def lie(line: str, answer: str) -> str:
        if "SCAN:DATA" not in line.upper():
            return answer
        return ",".join(told for _ in answer.split(","))

    said(rig, "WM1", lie)
    notebook, _, _ = await looked_at(rig, ready(demo_limit_sets(), "clips"), IT_IS_SO)
    assert notebook.units["u1"][0] is not Verdict.PASS


@pytest.mark.parametrize(
    ("change", "found"),
    [
        (lambda steps: steps, set()),
        (lambda steps: [each for each in steps if each["id"] != "clips"], {"leakage"}),
        (lambda steps: sorted(steps, key=lambda each: each["id"] == "clips"), {"leakage"}),
    ],
)
def test_a_review_asks_for_the_clips_before_the_first_volts_on_a_part(
    change: Callable[[list[dict[str, Any]]], list[dict[str, Any]]], found: set[str]
) -> None:
    document = read_demo("sequences/fw2-whole.toml")
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    changed = {**document, "steps": change(document["steps"])}
    sets = demo_limit_sets()
    seen = review(Reviewed(prepare(changed, {product.code: product}, sets), sets))
    assert {each.step for each in seen if each.rule == "clips_first"} == found
