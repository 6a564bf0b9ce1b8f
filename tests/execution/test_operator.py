"""The operator's part: cues before, during and after, what a failure leads to, and time-outs."""

import asyncio
from dataclasses import replace

from loricate.bench.danger import DangerState
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.sequences.cues import Cue, Moment
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.engine import Engine
from tests.execution.test_engine import Notebook, engine_for, only
from tests.rig import Rig


def with_step(sequence: ReadySequence, step_id: str, **changes: object) -> ReadySequence:
    """The sequence with only one step, changed."""
    (step,) = only(sequence, step_id).steps
    return replace(sequence, steps=(replace(step, **changes),))  # type: ignore[arg-type]


def loose_earth(rig: Rig, nest: str = "1") -> None:
    rig.floor.floor.put_in(f"FX-A/{nest}", "DC-40", ("loose_earth",), "x")


def good(rig: Rig, nest: str = "1") -> None:
    rig.floor.floor.put_in(f"FX-A/{nest}", "DC-40", (), "x")


async def answer_all(engine: Engine, notebook: Notebook, **choices: str) -> list[str]:
    """Run to the end, answering by moment; gives the events' names in order."""
    engine.start()
    names = []
    async for event in engine.log.follow():
        names.append(event.name)
        if event.name == "question":
            choice = choices[event.data["moment"]]
            assert engine.answer(event.data["nest"], Answer(choice, "why not", "mara"))
    await engine.wait()
    return names


async def test_a_cue_that_nobody_answers_holds_only_its_nest(
    rig: Rig, sequence: ReadySequence
) -> None:
    """Nest 1 waits for its clip; nest 2 has the bond source meanwhile and comes to its end."""
    cue = Cue(text="Clip on?", choices=("done",))
    engine, notebook = engine_for(rig, with_step(sequence, "earth", cues=(cue,)), "12")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question" and event.data["nest"] == "2":
            engine.answer("2", Answer("done"))
        if event.name == "step_finished":
            assert event.data["nest"] == "2"
            break
    assert notebook.of("2")["earth"][0] is Verdict.PASS and not notebook.of("1")
    engine.answer("1", Answer("done"))
    await engine.wait()
    assert notebook.of("1")["earth"][0] is Verdict.PASS


async def test_cues_come_at_their_moments_and_answers_are_kept(
    rig: Rig, sequence: ReadySequence
) -> None:
    cues = (
        Cue(text="Clip on?", choices=("done",)),
        Cue(at=Moment.DURING, text="Hold the clip"),
        Cue(at=Moment.DURING, text="Fan turning?", choices=("yes", "no")),
        Cue(at=Moment.AFTER, text="Clip off?", choices=("done",)),
        Cue(at=Moment.AFTER_FAIL, text="Set it aside", choices=("done",)),
        Cue(at=Moment.AFTER_PASS, text="Well done"),
    )
    engine, notebook = engine_for(rig, with_step(sequence, "earth", cues=cues), "1")
    names = await answer_all(engine, notebook, before="done", during="yes", after="done")
    told = [event.data["text"] for event in engine.log.events if event.name == "cue"]
    assert told == ["Hold the clip", "Well done"]
    assert names.index("question") < names.index("step_started")
    kept = [(each.moment, each.attempt, each.answer.choice) for _, each in notebook.answers]
    assert sorted(kept) == [("after", 1, "done"), ("before", 1, "done"), ("during", 1, "yes")]
    assert all(each.answer.account == "mara" for _, each in notebook.answers)


async def test_a_cue_during_a_step_holds_no_instrument_once_the_step_is_over(
    rig: Rig, sequence: ReadySequence
) -> None:
    cue = Cue(at=Moment.DURING, text="Fan turning?", choices=("yes",))
    engine, notebook = engine_for(rig, with_step(sequence, "earth", cues=(cue,)), "12")
    engine.start()
    finished = 0
    async for event in engine.log.follow():
        finished += event.name == "step_finished"
        if finished == 2:
            break
    assert [question.nest for question in engine.questions.open.values()] == ["1", "2"]
    for nest in "12":
        engine.answer(nest, Answer("yes"))
    await engine.wait()
    assert notebook.verdict is Verdict.PASS


async def test_a_failed_step_is_repeated_with_a_reason_and_the_latest_decides(
    rig: Rig, sequence: ReadySequence
) -> None:
    loose_earth(rig)
    engine, notebook = engine_for(rig, with_step(sequence, "earth", on_fail="ask"), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            assert event.data["choices"] == ["repeat", "carry on", "halt unit"]
            assert event.data["note_for"] == ["repeat"]
            good(rig)
            engine.answer("1", Answer("repeat", "stud tightened", "mara"))
    await engine.wait()
    verdicts = [each.grade.verdict for _, each in notebook.performed]
    reasons = [each.reason for _, each in notebook.performed]
    assert verdicts == [Verdict.FAIL, Verdict.PASS] and reasons == ["", "stud tightened"]
    assert notebook.units["u1"] == (Verdict.PASS, "")
    ((_, kept),) = notebook.answers
    assert (kept.moment, kept.attempt, kept.answer.choice) == ("decision", 1, "repeat")


async def test_no_more_attempts_are_offered_than_the_step_allows(
    rig: Rig, sequence: ReadySequence
) -> None:
    loose_earth(rig)
    document = with_step(sequence, "earth", on_fail="ask", attempts=2)
    engine, notebook = engine_for(rig, document, "1")
    engine.start()
    offered = []
    async for event in engine.log.follow():
        if event.name == "question":
            offered.append(event.data["choices"])
            engine.answer("1", Answer(event.data["choices"][0], "again"))
    await engine.wait()
    assert offered == [["repeat", "carry on", "halt unit"], ["carry on", "halt unit"]]
    assert notebook.units["u1"] == (Verdict.FAIL, "over_limit")


async def test_a_decision_that_nobody_takes_halts_the_unit_and_no_other(
    rig: Rig, sequence: ReadySequence
) -> None:
    loose_earth(rig)
    earth, _ = only(sequence, "earth", "insulation").steps
    steps = (replace(earth, on_fail="ask", answer_within_s=0.3), sequence.steps[2])
    engine, notebook = engine_for(rig, replace(sequence, steps=steps), "12")
    engine.start()
    await asyncio.wait_for(engine.wait(), 60)
    assert notebook.of("1")["insulation"] == (Verdict.NOT_RUN, Cause.UNIT_HALTED)
    assert notebook.of("2")["insulation"][0] is Verdict.PASS
    ((_, kept),) = notebook.answers
    assert kept.answer.account == "service" and "Nobody answered" in kept.answer.note


async def test_carrying_on_keeps_the_fail_and_goes_on(rig: Rig, sequence: ReadySequence) -> None:
    loose_earth(rig)
    earth, _ = only(sequence, "earth", "insulation").steps
    steps = (replace(earth, on_fail="ask"), sequence.steps[2])
    engine, notebook = engine_for(rig, replace(sequence, steps=steps), "1")
    await answer_all(engine, notebook, decision="carry on")
    assert notebook.of("1")["insulation"][0] is Verdict.PASS
    assert notebook.units["u1"] == (Verdict.FAIL, "over_limit")


async def test_a_question_is_answered_by_its_number(rig: Rig, sequence: ReadySequence) -> None:
    """An answer meant for a question that is gone must not fall on the next one."""
    cues = tuple(Cue(text=text, choices=("yes",)) for text in ("First?", "Second?"))
    engine, notebook = engine_for(rig, with_step(sequence, "look", cues=cues), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name != "question":
            continue
        number = event.data["number"]
        assert not engine.answer("1", Answer("yes"), number - 1)
        assert engine.answer("1", Answer(event.data["choices"][0]), number)
        assert not engine.answer("1", Answer("yes"), number), "it is answered already"
    await engine.wait()
    assert [each.question for _, each in notebook.answers][:2] == ["First?", "Second?"]


async def test_hands_in_keep_every_hazardous_output_off(rig: Rig, sequence: ReadySequence) -> None:
    """From when it is put until the hands are out, the guard closed, and somebody said so.

    The guard may be open meanwhile and ends nothing; the run goes on after a press of its own.
    """
    cue = Cue(text="Take the clip off", choices=("off",), hands_in=True)
    steps = [step for step in sequence.steps if step.id in ("earth", "insulation", "withstand")]
    steps[1] = replace(steps[1], cues=(cue,))
    engine, notebook = engine_for(rig, replace(sequence, steps=tuple(steps)), "1")
    engine.start()
    moments = []
    async for event in engine.log.follow():
        if event.name != "question":
            continue
        moments.append(event.data["moment"])
        assert event.data["hands_in"] and not rig.floor.floor.outputs_on & {"HV1", "LK1"}
        assert rig.bench.danger.state is DangerState.HANDS_IN
        rig.floor.floor.set_guard(False)
        await asyncio.sleep(0.15)
        assert not rig.floor.floor.outputs_on & {"HV1", "LK1"}
        if event.data["moment"] == "before":
            engine.answer(event.data["nest"], Answer("off", "", "mara"))
        elif event.data["question"].startswith("The guard is open"):
            rig.floor.floor.set_guard(True)
            engine.answer(event.data["nest"], Answer("hands are out", "", "mara"))
        else:
            engine.answer(event.data["nest"], Answer("hands are out", "", "mara"))
    await engine.wait()
    assert notebook.state == "finished" and notebook.verdict is Verdict.PASS, notebook.note
    assert moments == ["before", "hands_out", "hands_out"]
    assert rig.bench.reach.inside == ()


async def test_an_abort_while_hands_are_in_lets_go_of_them(
    rig: Rig, sequence: ReadySequence
) -> None:
    cue = Cue(text="Take the clip off", choices=("off",), hands_in=True)
    engine, notebook = engine_for(rig, with_step(sequence, "withstand", cues=(cue,)), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question":
            engine.abort("Aborted by mara.")
    await engine.wait()
    assert notebook.state == "aborted" and rig.bench.reach.inside == ()
