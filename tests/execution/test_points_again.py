"""Points that failed, measured again alone: both attempts stay, and nothing passes by halves."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import pytest

from loricate.core.attempts import Attempt
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Fault, Verdict
from loricate.core.measuring.readings import Doubt
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.core.sequences.released import step_as_done
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.execution.points_again import at_points, points_to_repeat, with_the_others
from tests.conftest import demo_limit_sets
from tests.execution.test_clips import ready
from tests.execution.test_engine import Notebook
from tests.execution.test_leakage_table import RULE, Technician, table
from tests.rig import Rig

PLACE, AGAIN = "FX-W/1", "repeat what failed"
FAULT = "probe_to_case"  # which shows at the probe alone


def asking(limit_sets: LimitSets, **changes: Any) -> ReadySequence:
    step = replace(table(limit_sets, **changes), on_fail="ask")
    return replace(ready(limit_sets, "clips"), steps=(step,))


async def decided(
    rig: Rig, sequence: ReadySequence, *decisions: str, put_right: Callable[[], None] | None = None
) -> tuple[Notebook, list[dict[str, Any]]]:
    """Run it with a faulty warmer; decide in turn, and put it right before the first decision."""
    rig.floor.floor.put_in(PLACE, "FW-2", (FAULT,), "AGAIN-1")
    fixture = rig.bench.plan.find_fixture("FX-W")
    assert fixture is not None
    notebook, asked, left = Notebook(), [], list(decisions)
    engine = Engine("r", sequence, fixture, [LoadedUnit("u1", "1", "S")], rig.bench, notebook)
    engine.start()
    async for event in engine.log.follow():
        data: Any = event.data
        if event.name != "question":
            continue
        choice = data["choices"][0]
        if data["moment"] == "decision":
            asked.append(data)
            choice = left.pop(0)
            if put_right is not None:
                put_right()
        elif "Switch the unit" in data["question"]:
            rig.floor.floor.turn(PLACE, "off" if "off" in choice else "on")
        engine.answer("1", Answer(choice, "cleaned", "mara"))
    await engine.wait()
    return notebook, asked


def attempts(notebook: Notebook) -> list[Attempt]:
    return [attempt for _, attempt in notebook.performed]


def currents(attempt: Attempt) -> dict[str, float]:
    return {
        each.reading.point: each.reading.value
        for each in attempt.grade.readings
        if each.reading.quantity == "current"
    }


async def test_what_failed_is_measured_again_and_both_attempts_stay(rig: Rig) -> None:
    limit_sets = demo_limit_sets()
    sequence = asking(limit_sets)

    def put_right() -> None:
        rig.floor.floor.put_in(PLACE, "FW-2", (), "AGAIN-1")

    notebook, (asked,) = await decided(rig, sequence, AGAIN, put_right=put_right)
    first, second = attempts(notebook)
    bad = points_to_repeat(sequence.steps[0], first)
    assert 0 < len(bad) < len(sequence.steps[0].points)
    places = [point.name for point in sequence.steps[0].points if point.name in bad]
    assert f": over limit at {places[0]}" in asked["question"]
    assert asked["choices"] == [AGAIN, "repeat", "carry on", "halt unit"]
    assert asked["note_for"] == [AGAIN, "repeat"]
    assert first.verdict is Verdict.FAIL and second.verdict is Verdict.PASS
    assert (second.number, second.reason) == (2, "cleaned")
    assert f"Measured again at {len(bad)} of" in second.note and "attempt 1" in second.note
    before, after = currents(first), currents(second)
    assert list(before) == list(after) == [point.name for point in sequence.steps[0].points]
    assert all(before[name] == after[name] for name in before.keys() - bad)
    assert any(before[name] != after[name] for name in bad)
    assert notebook.units["u1"] == (Verdict.PASS, "")


async def test_what_fails_again_fails_and_may_be_tried_again(rig: Rig) -> None:
    sequence = asking(demo_limit_sets())
    notebook, asked = await decided(rig, sequence, AGAIN, AGAIN, "carry on")
    assert [attempt.verdict for attempt in attempts(notebook)] == [Verdict.FAIL] * 3
    assert AGAIN not in asked[2]["choices"], "all attempts are used"
    assert notebook.units["u1"][0] is Verdict.FAIL


async def test_a_switch_that_was_left_off_is_asked_for_and_nothing_passes_unswitched(
    rig: Rig,
) -> None:
    """The table ends with the device off; what failed was measured with it on."""
    sequence = asking(demo_limit_sets(), switch=["on", "off"])
    notebook, _ = await decided(rig, sequence, AGAIN, "carry on")
    first, second = attempts(notebook)
    bad = points_to_repeat(sequence.steps[0], first)
    assert {name for name in bad if not name.endswith("off")}
    assert second.verdict is Verdict.FAIL
    assert points_to_repeat(sequence.steps[0], second) == bad, "each was measured as it must be"


def changed(attempt: Attempt, **grade: Any) -> Attempt:
    return replace(attempt, grade=replace(attempt.grade, **grade))


async def test_a_part_is_repeated_only_where_the_rest_is_to_be_believed(rig: Rig) -> None:
    step = asking(demo_limit_sets()).steps[0]
    notebook, _ = await decided(rig, replace(asking(demo_limit_sets()), steps=(step,)), "carry on")
    (failed,) = attempts(notebook)
    assert points_to_repeat(step, failed)
    never: Sequence[tuple[ReadyStep, Attempt]] = [
        (step, changed(failed, doubts=(Doubt("LK1", "it lies"),))),
        (step, changed(failed, faults=(Fault(Cause.SHORT),))),
        (step, changed(failed, readings=())),
        (replace(step, across="together"), failed),  # type: ignore[arg-type]
        (replace(step, points=step.points[:1]), failed),
    ]
    for other, attempt in never:
        assert points_to_repeat(other, attempt) == frozenset()


@pytest.mark.parametrize(
    "name", ["earth", "patient PROBE", "touch CASE, earth open", "mains on PROBE"]
)
async def test_one_point_alone_is_measured_as_in_its_table_and_its_switch_asked_for(
    name: str, rig: Rig
) -> None:
    technician = Technician(rig)
    technician.put()
    step = table(demo_limit_sets())
    whole, grade = await technician(step)
    before = Attempt(step_as_done(step), 0, 1, grade, "", "", "")
    rig.floor.floor.turn(PLACE, "off")
    measured, _ = await technician(at_points(step, frozenset({name})))
    assert {each.point for each in measured.readings} == {"", name}
    assert [each for each in technician.asked if "Switch it on" in each], "it was off"
    joined = with_the_others(measured, step, before)
    assert step.graded(joined, RULE).verdict is Verdict.PASS
    new, old = ({each.measurand: each for each in found.readings} for found in (joined, whole))
    assert new.keys() == old.keys()
    lacking = replace(measured, readings=tuple(each for each in measured.readings if each.point))
    again = step.graded(with_the_others(lacking, step, before), RULE)
    assert again.verdict is Verdict.INCONCLUSIVE, "its supply was never seen"


@pytest.mark.parametrize("decision", ["repeat", "carry on", "halt unit"])
async def test_every_other_decision_does_what_it_did(decision: str, rig: Rig) -> None:
    sequence = asking(demo_limit_sets())
    notebook, _ = await decided(rig, sequence, decision, "halt unit", "halt unit")
    assert len(attempts(notebook)) == (2 if decision == "repeat" else 1)
    assert all("Measured again" not in attempt.note for attempt in attempts(notebook))
