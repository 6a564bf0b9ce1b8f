"""A test lead that is zeroed by a prompt: wherever its clip is, nothing passes unmeasured."""

import datetime as dt
from dataclasses import replace
from itertools import product as every
from typing import Any

import pytest

from loricate.core.fixtures.zeroes import Zero
from loricate.core.kinds.hand_lead import GIVEN_UP, MOST_TRIES
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from loricate.execution.load import NestZeroes
from tests.execution.test_engine import Notebook, engine_for, only
from tests.rig import Rig

PLACE = "FX-A/1"
PATH = "PE to CHASSIS"


def by_hand(sequence: ReadySequence, *within_s: float) -> ReadySequence:
    """Earth steps with a test lead, one for each age that its zero may have."""
    (earth,) = only(sequence, "earth").steps
    steps = [
        replace(
            earth,
            id=f"earth-{number}",
            settings=earth.settings.model_copy(update={"lead_zeroed": age}),
        )
        for number, age in enumerate(within_s, start=1)
    ]
    return replace(sequence, steps=tuple(steps))


async def clipped(
    rig: Rig, engine: Engine, zero_on: str = "PE", part_on: str = "CHASSIS", answer: str = ""
) -> tuple[list[str], list[str]]:
    """Run to the end, putting the clip where it is said; gives what was asked, and refused."""
    asked, refused = [], []
    engine.start()
    async for event in engine.log.follow():
        if event.name == "cue" and event.data["moment"] == "refused":
            refused.append(event.data["text"])
        if event.name != "question":
            continue
        choices = event.data["choices"]
        asked.append(choices[0])
        if choices[0] == "it is on PE":
            rig.floor.floor.clip(PLACE, "CHASSIS", zero_on)
        elif choices[0] == "it is on CHASSIS":
            rig.floor.floor.clip(PLACE, "CHASSIS", part_on)
        assert engine.answer(event.data["nest"], Answer(answer or choices[0], "", "mara"))
        answer = ""
    await engine.wait()
    return asked, refused


def put(rig: Rig, *faults: str) -> None:
    rig.floor.floor.put_in(PLACE, "DC-40", faults, "LEAD-1")


def resistance(notebook: Notebook, at: int = -1) -> Any:
    _, attempt = notebook.performed[at]
    return next(
        each.reading for each in attempt.grade.readings if each.reading.quantity == "resistance"
    )


async def test_the_lead_is_zeroed_once_and_taken_off_what_comes_after(
    rig: Rig, sequence: ReadySequence
) -> None:
    put(rig)
    engine, notebook = engine_for(rig, by_hand(sequence, 600, 600))
    asked, refused = await clipped(rig, engine)
    assert asked == ["it is on PE", "hands are out", "it is on CHASSIS", "hands are out"]
    assert refused == [] and notebook.units["u1"] == (Verdict.PASS, "")
    ((nest, path, ohms, account),) = notebook.zeroes
    assert (nest, path, account) == ("1", PATH, "mara")
    first, second = resistance(notebook, 0), resistance(notebook, 1)
    assert first.corrections[0].what == "zero"
    assert first.corrections[0].before == pytest.approx(first.value + ohms)
    assert second.value == pytest.approx(first.value, abs=first.uncertainty + second.uncertainty)
    assert first.uncertainty > 0 and first.value > first.uncertainty


@pytest.mark.parametrize(
    ("age", "is_asked"),
    [(dt.timedelta(minutes=5), False), (dt.timedelta(minutes=15), True),
     (dt.timedelta(minutes=-5), True)],
)  # fmt: skip
async def test_a_zero_counts_as_long_as_the_step_allows_and_never_from_the_future(
    age: dt.timedelta, is_asked: bool, rig: Rig, sequence: ReadySequence
) -> None:
    put(rig)
    engine, notebook = engine_for(rig, by_hand(sequence, 600))
    zero = Zero(0.02, 0.001, dt.datetime.now(dt.UTC) - age)
    engine._performer.zeroes["1"] = NestZeroes({PATH: zero})
    asked, _ = await clipped(rig, engine)
    assert bool(asked) is is_asked
    assert bool(notebook.zeroes) is is_asked
    assert notebook.units["u1"][0] is Verdict.PASS


@pytest.mark.parametrize(
    ("zero_on", "part_on", "faults"),
    list(every(("PE", "CHASSIS", "L"), ("PE", "CHASSIS", "L"), ((), ("loose_earth",)))),
)
async def test_wherever_the_clip_is_only_a_good_earth_that_was_measured_passes(
    zero_on: str, part_on: str, faults: tuple[str, ...], rig: Rig, sequence: ReadySequence
) -> None:
    put(rig, *faults)
    engine, notebook = engine_for(rig, by_hand(sequence, 600))
    asked, refused = await clipped(rig, engine, zero_on, part_on)
    was_measured = (zero_on, part_on) == ("PE", "CHASSIS")
    passed = notebook.units["u1"][0] is Verdict.PASS
    assert passed is (was_measured and not faults), notebook.attempts
    assert bool(notebook.zeroes) is passed, "or it would hide the next unit's fault"
    if zero_on == "L" or (zero_on == "CHASSIS" and faults):
        assert asked.count("it is on PE") == len(refused) == MOST_TRIES
        assert notebook.zeroes == []


async def test_a_lead_that_cannot_be_zeroed_decides_nothing(
    rig: Rig, sequence: ReadySequence
) -> None:
    put(rig)
    engine, notebook = engine_for(rig, by_hand(sequence, 600))
    await clipped(rig, engine, answer=GIVEN_UP)
    ((_, _, verdict, _, note),) = notebook.attempts
    assert verdict is Verdict.INCONCLUSIVE and "not zeroed" in note and notebook.zeroes == []


async def test_a_zero_taken_at_one_units_case_hides_nothing_of_the_next(
    rig: Rig, sequence: ReadySequence
) -> None:
    """Both by the same performer: what the first left behind is what the second finds."""
    put(rig)
    engine, notebook = engine_for(rig, by_hand(sequence, 600))
    await clipped(rig, engine, zero_on="CHASSIS")
    assert notebook.units["u1"][0] is Verdict.INCONCLUSIVE
    later, after = engine_for(rig, by_hand(sequence, 600))
    later._performer.zeroes = engine._performer.zeroes
    put(rig)
    asked, _ = await clipped(rig, later)
    assert asked[0] == "it is on PE", "it is zeroed anew"
    assert after.units["u1"] == (Verdict.PASS, "") and len(after.zeroes) == 1
