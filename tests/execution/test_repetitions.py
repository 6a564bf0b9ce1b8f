"""The engine on stand-ins: steps that are repeated, that have a lead-in, that ask in the middle."""

import asyncio
import datetime as dt
from dataclasses import replace

import pytest

from loricate.bench.links import TcpLink
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.repetitions import Repeat
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.ready import ReadySequence
from tests.execution.test_engine import engine_for, run
from tests.rig import Rig


async def test_a_repeated_step_stops_when_it_is_decided_and_keeps_every_reading(
    rig: Rig, sequence: ReadySequence
) -> None:
    steps = {
        "earth": replace(sequence.step("earth"), repeat=Repeat(times=3, needed=2)),
        "withstand": replace(sequence.step("withstand"), repeat=Repeat(times=5, needed=4)),
    }
    engine, notebook = engine_for(rig, replace(sequence, steps=tuple(steps.values())), "13")
    names = await run(engine)
    # Two of three suffice in nest 1; in nest 3, cracked, two of five breakdowns are one too many.
    assert names.count("repetition") == (2 + 4) + (2 + 2)
    done = {(nest, step): each for (nest, each), (_, step, *_) in
            zip(notebook.performed, notebook.attempts, strict=True)}  # fmt: skip
    earth, broken = done["1", "earth"], done["3", "withstand"]
    assert earth.note == "2 passed of 3 times, 2 must pass; stopped after 2."
    resistances = [each for each in earth.grade.readings if each.reading.name == "resistance"]
    assert [each.repetition for each in resistances] == [1, 2]
    assert [curve.repetition for curve in earth.curves] == [1, 2]
    for curve in earth.curves:
        assert list(curve.x.values) == sorted(value or 0.0 for value in curve.x.values)
    assert broken.grade.cause is Cause.BREAKDOWN and len(broken.grade.repetitions) == 2
    assert notebook.units["u1"][0] is Verdict.PASS and notebook.units["u3"][0] is Verdict.FAIL


async def test_units_together_are_repeated_until_each_is_decided(
    rig: Rig, sequence: ReadySequence
) -> None:
    """The cracked unit is decided first; the sound one goes on by itself."""
    own = replace(
        sequence.step("withstand"), across=Across.TOGETHER, repeat=Repeat(times=2, needed=2),
        limits={Measurand("current"): Limit(dimension="current", maximum=5e-3)},
    )  # fmt: skip
    engine, notebook = engine_for(rig, replace(sequence, steps=(own,)), "13")
    await run(engine)
    counts = {nest: len(each.grade.repetitions) for nest, each in notebook.performed}
    assert counts == {"1": 2, "3": 1}
    assert notebook.units["u1"][0] is Verdict.PASS
    assert notebook.units["u3"] == (Verdict.FAIL, "breakdown")


async def test_an_instrument_that_fails_ends_the_repetitions(
    rig: Rig, sequence: ReadySequence
) -> None:
    earth = replace(sequence.step("earth"), repeat=Repeat(times=3, needed=1))
    link = rig.bench.instruments["GB1"].link
    assert isinstance(link, TcpLink)
    link.timeout_s = 0.3
    rig.floor.instruments["GB1"].misbehave("SILENT")
    engine, notebook = engine_for(rig, replace(sequence, steps=(earth,)), "1")
    await run(engine)
    (_, performed) = notebook.performed[0]
    assert [each.verdict for each in performed.grade.repetitions] == [Verdict.NOT_RUN]
    assert notebook.of("1")["earth"] == (Verdict.NOT_RUN, Cause.INSTRUMENT)


@pytest.mark.parametrize("answer", ["measure again", "let it stand"])
async def test_nothing_is_energised_while_somebody_switches_a_unit_on(
    rig: Rig, sequence: ReadySequence, answer: str
) -> None:
    """Nest 2 has its insulation measured before, or once the hands are out of nest 1."""
    own = sequence.step("insulation")
    asks = replace(own, settings=own.settings.model_copy(update={"seems_off_above": 8e9}))
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("switched_off",), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=(asks,)), "12")
    engine.start()
    asked = []
    async for event in engine.log.follow():
        if event.name != "question":
            continue
        asked.append(event.data["moment"])
        assert event.data["nest"] == "1" and event.data["hands_in"]
        await asyncio.sleep(0.2)
        assert not rig.floor.floor.outputs_on
        if event.data["moment"] == "hands_out":
            assert engine.answer("1", Answer("hands are out"))
            continue
        assert event.data["question"].startswith("The insulation reads > ")
        if answer == "measure again":
            rig.floor.floor.put_in("FX-A/1", "DC-40", (), "x")
        assert engine.answer("1", Answer(answer))
    await engine.wait()
    assert asked == ["check", "hands_out"]
    (first,) = [performed for nest, performed in notebook.performed if nest == "1"]
    assert notebook.of("1")["insulation"][0] is Verdict.PASS
    assert notebook.of("2")["insulation"][0] is Verdict.PASS
    resistance = first.grade.readings[0].reading
    assert (resistance.value < 8e9) == (answer == "measure again")
    assert ("measured again" if answer == "measure again" else "stands by answer") in first.note
    assert [kept.answer.choice for _, kept in notebook.answers] == [answer, "hands are out"]


async def test_an_abort_ends_a_question_that_let_the_bench_go(
    rig: Rig, sequence: ReadySequence
) -> None:
    own = sequence.step("insulation")
    asks = replace(own, settings=own.settings.model_copy(update={"seems_off_above": 8e9}))
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("switched_off",), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=(asks,)), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            break
    engine.abort("Aborted by mara.")
    await engine.wait()
    assert (notebook.state, notebook.note) == ("aborted", "Aborted by mara.")
    assert engine.questions.open == {}
    assert notebook.units["u1"] == (Verdict.INCONCLUSIVE, "aborted")


async def test_a_step_settles_between_connection_and_output(
    rig: Rig, sequence: ReadySequence
) -> None:
    earth = replace(sequence.step("earth"), lead_in_s=0.3)
    engine, _ = engine_for(rig, replace(sequence, steps=(earth,)), "1")
    engine.start()
    at: dict[str, dt.datetime] = {}
    async for event in engine.log.follow():
        at.setdefault(event.name, dt.datetime.fromisoformat(event.data["at"]))
    await engine.wait()
    assert (at["sample"] - at["step_started"]).total_seconds() >= 0.3
