"""The engine on stand-ins: verdicts, halts, faults of instruments, questions and aborts."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import pytest

from loricate.bench.links import TcpLink
from loricate.bench.switching import Nest
from loricate.core.attempts import Attempt, Kept
from loricate.core.measuring.actions import Answer, Output, Programme
from loricate.core.measuring.grading import Cause, StepGrade, Verdict
from loricate.core.measuring.readings import Reading
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.branching import Outcome, When
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.released import step_as_done
from loricate.execution.engine import Engine
from loricate.execution.load import Answered, LoadedUnit
from loricate.simulator.server import MISCHIEF
from tests.rig import Rig, on_the_way, said


@dataclass
class Notebook:
    """A recorder that keeps everything in memory."""

    attempts: list[tuple[str, str, Verdict, Cause, str]] = field(default_factory=list)
    performed: list[tuple[str, Attempt]] = field(default_factory=list)
    answers: list[tuple[str, Answered]] = field(default_factory=list)
    kept_readings: list[Kept] = field(default_factory=list)
    zeroes: list[tuple[str, str, float, str]] = field(default_factory=list)
    state: str = ""
    note: str = ""
    verdict: Verdict = Verdict.NOT_RUN
    units: Mapping[str, tuple[Verdict, str]] = field(default_factory=dict)

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        told = (unit.nest, attempt.step.id, attempt.verdict, attempt.cause, attempt.note)
        self.attempts.append(told)
        self.performed.append((unit.nest, attempt))

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        self.kept_readings.append(kept)

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        self.answers.append((unit.nest, answered))

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        self.zeroes.append((unit.nest, path, reading.value, account))

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        self.state, self.note, self.verdict, self.units = state, note, verdict, units

    def of(self, nest: str) -> dict[str, tuple[Verdict, Cause]]:
        """The verdict and cause of each step of a nest."""
        return {step: (v, cause) for at, step, v, cause, _ in self.attempts if at == nest}


def engine_for(rig: Rig, sequence: ReadySequence, nests: str = "1") -> tuple[Engine, Notebook]:
    notebook = Notebook()
    fixture = rig.bench.plan.fixtures[0]
    units = [LoadedUnit(f"u{nest}", nest, f"S{nest}") for nest in nests]
    return Engine("r", sequence, fixture, units, rig.bench, notebook), notebook


async def run(engine: Engine, answer: str = "pass") -> list[str]:
    """Run to the end, answering every question; gives the names of the events."""
    engine.start()
    names = []
    async for event in engine.log.follow():
        names.append(event.name)
        if event.name == "question":
            engine.answer(event.data["nest"], Answer(answer))
    await engine.wait()
    return names


def only(sequence: ReadySequence, *ids: str) -> ReadySequence:
    """The sequence with only the steps named."""
    return replace(sequence, steps=tuple(step for step in sequence.steps if step.id in ids))


async def test_good_units_pass_and_a_cracked_one_fails_alone(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, sequence, "134")
    names = await run(engine)
    assert {nest: notebook.units[f"u{nest}"] for nest in "134"} == {
        "1": (Verdict.PASS, ""), "3": (Verdict.FAIL, "breakdown"), "4": (Verdict.PASS, ""),
    }  # fmt: skip
    assert notebook.verdict is Verdict.FAIL and notebook.state == "finished"
    assert notebook.of("3")["leakage"] == (Verdict.NOT_RUN, Cause.UNIT_HALTED)
    assert names[0] == "state" and names[-1] == "finished"
    assert names.count("step_finished") == 15


async def test_nests_run_as_a_pipeline_and_share_no_instrument(
    rig: Rig, sequence: ReadySequence
) -> None:
    """While nests are in withstand another is in ground bond; no instrument is in two places."""
    engine, notebook = engine_for(rig, only(sequence, "earth", "insulation", "withstand"), "124")
    engine.start()
    running: dict[str, str] = {}
    seen_together: set[frozenset[str]] = set()
    async for event in engine.log.follow():
        if event.name == "step_started":
            running[event.data["nest"]] = event.data["step"]
            kinds = ["hv" if step != "earth" else "bond" for step in running.values()]
            assert kinds.count("hv") <= 2 and kinds.count("bond") <= 1, running
            seen_together.add(frozenset(running.values()))
        elif event.name == "step_finished":
            del running[event.data["nest"]]
    await engine.wait()
    assert frozenset({"earth", "insulation"}) in seen_together
    sources = {
        graded.reading.instrument
        for _, attempt in notebook.performed
        for graded in attempt.grade.readings
    }
    assert sources == {"HV1", "HV2", "GB1"}, "a step takes the source that is free"
    assert notebook.verdict is Verdict.PASS
    for nest in "124":
        assert list(notebook.of(nest)) == ["earth", "insulation", "withstand"]


async def test_what_is_asked_once_holds_for_the_whole_load(
    rig: Rig, sequence: ReadySequence
) -> None:
    (look,) = only(sequence, "look").steps
    shared = replace(sequence, steps=(replace(look, across=Across.ONCE),))
    engine, notebook = engine_for(rig, shared, "12")
    assert (await run(engine, "fail")).count("question") == 1
    assert notebook.of("1") == notebook.of("2") == {"look": (Verdict.FAIL, Cause.ANSWERED_FAIL)}


async def test_every_attempt_is_kept_before_the_next_step_starts(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, only(sequence, "earth", "insulation"), "1")
    engine.start()
    kept_at_start = []
    async for event in engine.log.follow():
        if event.name == "step_started":
            kept_at_start.append(len(notebook.attempts))
    await engine.wait()
    assert kept_at_start == [0, 1]


async def test_carry_on_goes_on_after_a_fail(rig: Rig, sequence: ReadySequence) -> None:
    steps = tuple(replace(step, on_fail="carry_on") for step in sequence.steps)
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("loose_earth",), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=steps), "1")
    await run(engine)
    assert notebook.of("1")["earth"] == (Verdict.FAIL, Cause.OVER_LIMIT)
    assert notebook.of("1")["leakage"][0] is Verdict.PASS


EARTH_FAILED = When(all=(Outcome(step="earth", outcome="fail"),))


@pytest.mark.parametrize(
    ("fault", "is_required", "outcome", "unit"),
    [
        ("", False, (Verdict.NOT_RUN, Cause.SKIPPED), Verdict.PASS),
        ("", True, (Verdict.NOT_RUN, Cause.CONDITION_NOT_MET), Verdict.INCONCLUSIVE),
        ("loose_earth", False, (Verdict.PASS, Cause.NONE), Verdict.FAIL),
    ],
)
async def test_a_step_is_done_only_under_its_condition(
    rig: Rig,
    sequence: ReadySequence,
    fault: str,
    is_required: bool,
    outcome: tuple[Verdict, Cause],
    unit: Verdict,
) -> None:
    steps = [step for step in sequence.steps if step.id in ("earth", "insulation", "withstand")]
    steps[0] = replace(steps[0], on_fail="carry_on")
    steps[1] = replace(steps[1], when=EARTH_FAILED, is_required=is_required)
    rig.floor.floor.put_in("FX-A/1", "DC-40", (fault,) if fault else (), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=tuple(steps)), "1")
    await run(engine)
    found = notebook.of("1")
    assert list(found) == ["earth", "insulation", "withstand"], "in their order"
    assert found["insulation"] == outcome
    assert found["withstand"][0] is Verdict.PASS, "what follows is done all the same"
    assert notebook.units["u1"][0] is unit


@pytest.mark.parametrize(("retry", "attempts", "tries"), [(0, 3, 1), (1, 3, 2), (5, 3, 3)])
async def test_a_failed_step_is_retried_by_itself_as_often_as_it_may(
    rig: Rig, sequence: ReadySequence, retry: int, attempts: int, tries: int
) -> None:
    steps = [step for step in sequence.steps if step.id in ("earth", "insulation")]
    steps[0] = replace(steps[0], retry=retry, attempts=attempts)
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("loose_earth",), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=tuple(steps)), "12")
    await run(engine)
    earth = [each for each in notebook.attempts if each[:2] == ("1", "earth")]
    assert [each[2] for each in earth] == [Verdict.FAIL] * tries
    assert notebook.of("1")["insulation"] == (Verdict.NOT_RUN, Cause.UNIT_HALTED)
    assert len([each for each in notebook.attempts if each[:2] == ("2", "earth")]) == 1
    assert notebook.of("2")["insulation"][0] is Verdict.PASS


async def test_a_retry_that_passes_lets_the_unit_go_on(rig: Rig, sequence: ReadySequence) -> None:
    steps = [step for step in sequence.steps if step.id in ("earth", "insulation")]
    steps[0] = replace(steps[0], retry=2)
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("loose_earth",), "x")
    engine, notebook = engine_for(rig, replace(sequence, steps=tuple(steps)), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "step_finished" and event.data["number"] == 1:
            rig.floor.floor.put_in("FX-A/1", "DC-40", (), "x")
    await engine.wait()
    assert notebook.of("1")["earth"][0] is Verdict.PASS
    assert notebook.of("1")["insulation"][0] is Verdict.PASS
    assert notebook.units["u1"][0] is Verdict.PASS


async def test_halt_run_stops_the_other_units_too(rig: Rig, sequence: ReadySequence) -> None:
    steps = tuple(replace(step, on_fail="halt_run") for step in sequence.steps)
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("missing_earth",), "x")
    engine, notebook = engine_for(rig, only(replace(sequence, steps=steps), "earth"), "12")
    await run(engine)
    assert notebook.of("1")["earth"] == (Verdict.FAIL, Cause.OPEN)
    assert notebook.of("2")["earth"] == (Verdict.NOT_RUN, Cause.UNIT_HALTED)


async def test_a_dead_instrument_is_not_run_never_a_pass_or_fail(
    rig: Rig, sequence: ReadySequence
) -> None:
    await rig.floor.instruments["GB1"].power(False, "x")
    engine, notebook = engine_for(rig, only(sequence, "earth", "insulation"), "1")
    await run(engine)
    assert notebook.of("1")["earth"] == (Verdict.NOT_RUN, Cause.INSTRUMENT)
    assert "GB1" in notebook.attempts[0][4]
    assert notebook.units["u1"] == (Verdict.INCONCLUSIVE, "instrument")


@pytest.mark.parametrize("how", MISCHIEF)
async def test_an_instrument_with_a_fault_of_its_own_decides_nothing(
    rig: Rig, sequence: ReadySequence, how: str
) -> None:
    """Silent, talking nonsense, in error, too hot, or gone: not run, with a cause, and off.

    One that cannot say what is left at the unit ends the run, and no relay moves.
    """
    source = rig.floor.instruments["HV1"]
    link = rig.bench.instruments["HV1"].link
    assert isinstance(link, TcpLink)
    link.timeout_s = 0.3
    engine, notebook = engine_for(rig, only(sequence, "withstand"), "1")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "sample" and not source.mischief:
            source.misbehave(how)
    await engine.wait()
    source.misbehave("NONE")
    assert notebook.of("1")["withstand"] == (Verdict.NOT_RUN, Cause.INSTRUMENT), how
    assert "HV1" in notebook.attempts[0][4]
    assert not source.output_on
    can_tell = how not in ("SILENT", "NONSENSE")
    assert notebook.state == ("finished" if can_tell else "aborted")
    assert bool(rig.floor.floor.closed) is not can_tell
    assert ("treat it as charged" in notebook.note) is not can_tell


def done(
    sequence: ReadySequence, step_id: str, verdict: Verdict, cause: Cause = Cause.NONE
) -> Attempt:
    """An attempt from before."""
    return Attempt(step_as_done(sequence.step(step_id)), 0, 1, StepGrade(verdict, cause))


async def test_a_resumed_run_keeps_what_was_done(rig: Rig, sequence: ReadySequence) -> None:
    engine, notebook = engine_for(rig, only(sequence, "earth", "insulation", "leakage"), "12")
    for step_id in ("earth", "insulation"):
        engine.units[0].take(done(sequence, step_id, Verdict.PASS))
    engine.units[1].take(done(sequence, "earth", Verdict.FAIL, Cause.OVER_LIMIT))
    await run(engine)
    assert list(notebook.of("1")) == ["leakage"]
    assert notebook.units["u1"] == (Verdict.PASS, "")
    assert notebook.of("2") == {
        "insulation": (Verdict.NOT_RUN, Cause.UNIT_HALTED),
        "leakage": (Verdict.NOT_RUN, Cause.UNIT_HALTED),
    }
    assert notebook.units["u2"] == (Verdict.FAIL, "over_limit")


async def test_a_guard_that_opens_aborts_the_run(rig: Rig, sequence: ReadySequence) -> None:
    rig.floor.floor.set_guard(False)
    engine, notebook = engine_for(rig, only(sequence, "insulation", "withstand"), "12")
    await run(engine)
    assert notebook.state == "aborted" and "guard is open" in notebook.note
    assert notebook.of("1")["insulation"] == (Verdict.NOT_RUN, Cause.GUARD_OPEN)
    assert notebook.units["u2"] == (Verdict.INCONCLUSIVE, "aborted")


async def test_an_abort_takes_the_output_off_before_anything_else(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, only(sequence, "withstand"), "12")
    sources = [rig.floor.instruments[name] for name in ("HV1", "HV2")]
    rig.floor.clock.pace = 1.0  # an output that lasts, however late its first sample is heard
    engine.start()
    async for event in engine.log.follow():
        if event.name == "sample":
            assert any(source.output_on for source in sources)
            engine.abort("Enough.")
            break
    await engine.wait()
    assert not any(source.output_on for source in sources) and not rig.floor.floor.closed
    assert (notebook.state, notebook.note) == ("aborted", "Enough.")
    assert notebook.units["u1"][0] is Verdict.INCONCLUSIVE


async def test_a_nest_that_nobody_answers_for_holds_no_other(
    rig: Rig, sequence: ReadySequence
) -> None:
    engine, notebook = engine_for(rig, only(sequence, "look"), "12")
    engine.start()
    async for event in engine.log.follow():
        if event.name == "question" and event.data["nest"] == "2":
            assert engine.answer("2", Answer("fail", "cord is cut"))
        if event.name == "step_finished":
            break
    assert notebook.of("2")["look"] == (Verdict.FAIL, Cause.ANSWERED_FAIL)
    assert [question.nest for question in engine.questions.open.values()] == ["1"]
    assert not engine.answer("2", Answer("pass")), "nothing is asked there any more"
    engine.abort("Enough.")
    await engine.wait()
    assert notebook.units["u2"][0] is Verdict.FAIL


async def test_samples_carry_live_values(rig: Rig, sequence: ReadySequence) -> None:
    rig.floor.clock.pace = 2.0
    engine, _ = engine_for(rig, only(sequence, "withstand"), "1")
    engine.start()
    samples = [event.data async for event in engine.log.follow() if event.name == "sample"]
    assert max(sample["values"]["voltage"] for sample in samples) > 0
    await asyncio.wait_for(engine.wait(), 60)


class Broken(Notebook):
    """A recorder whose disk is full after the first attempt."""

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        await super().attempt(unit, attempt)
        if len(self.attempts) > 1:
            raise OSError("no space left")


async def test_a_record_that_cannot_be_kept_ends_the_run_and_the_output(
    rig: Rig, sequence: ReadySequence
) -> None:
    notebook = Broken()
    units = [LoadedUnit("u1", "1", "S1"), LoadedUnit("u2", "2", "S2")]
    short = only(sequence, "earth", "withstand")
    engine = Engine("r", short, rig.bench.plan.fixtures[0], units, rig.bench, notebook)
    names = await run(engine)
    assert names[-1] == "finished" and engine.log.events[-1].data["state"] == "aborted"
    assert notebook.state == "aborted" and "no space left" in notebook.note
    assert not rig.floor.floor.outputs_on and not rig.floor.floor.closed
    assert notebook.units["u1"][0] is not Verdict.PASS


async def test_a_unit_that_keeps_its_charge_ends_the_run(
    rig: Rig, sequence: ReadySequence, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("HV1", "HV2"):
        monkeypatch.setattr(rig.floor.instruments[name], "bleed", lambda: ())
    steps = tuple(
        replace(step, discharge_within_s=0.05)
        for step in only(sequence, "insulation", "leakage").steps
    )
    engine, notebook = engine_for(rig, replace(sequence, steps=steps), "12")
    await run(engine)
    assert notebook.state == "aborted" and "Do not touch" in notebook.note
    # The nest that finds it first ends the run; what the other one was at comes to nothing.
    found = [outcome for nest in "12" for outcome in notebook.of(nest).values()]
    assert (Verdict.NOT_RUN, Cause.INSTRUMENT) in found
    assert Verdict.PASS not in [verdict for verdict, _ in found]


async def test_a_defect_in_one_nests_measurement_ends_no_others(
    rig: Rig, sequence: ReadySequence, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What nobody thought of (here: division by nothing) is one nest's `not_run`, and told."""
    energise = rig.bench.outputs.energise
    first = rig.bench.plan.fixtures[0].nests["1"]

    async def broken(name: str, programme: Programme, nests: list[Nest], *more: Any) -> Output:
        if nests == [first]:
            raise ZeroDivisionError("float division by zero")
        return await energise(name, programme, nests, *more)

    monkeypatch.setattr(rig.bench.outputs, "energise", broken)
    engine, notebook = engine_for(rig, only(sequence, "earth", "withstand"), "12")
    await run(engine)
    assert notebook.state == "finished"
    assert notebook.of("1")["earth"] == (Verdict.NOT_RUN, Cause.INSTRUMENT)
    assert notebook.units["u2"] == (Verdict.PASS, "")


@pytest.mark.parametrize("text", ["nan", "9.91E37", "-5", "9.9E37", "1e99", "oops"])
async def test_nonsense_for_a_number_decides_nothing_and_ends_no_run(
    rig: Rig, sequence: ReadySequence, text: str
) -> None:
    def lying(line: str, answer: str) -> str:
        if "SUMM" not in line.upper():
            return answer
        ending, _, *rest = answer.split(",")
        return ",".join([ending, text, *rest])

    said(rig, "GB1", lying)
    engine, notebook = engine_for(rig, only(sequence, "earth"), "12")
    await run(engine)
    assert notebook.state == "finished"
    verdicts = {nest: notebook.of(nest)["earth"][0] for nest in "12"}
    assert Verdict.PASS not in verdicts.values(), verdicts
    doubts = [each for _, performed in notebook.performed for each in performed.grade.doubts]
    assert doubts or text in ("9.9E37", "1e99"), "it counts against the instrument"


async def test_a_frequency_that_did_not_arrive_passes_nothing_and_counts_against_the_source(
    rig: Rig, sequence: ReadySequence
) -> None:
    """The certificate would say 60 Hz of a withstand at 50 Hz, and nothing else would look odd."""
    on_the_way(rig, "HV1", lambda line: line.replace("FREQuency 60", "FREQuency 50"))
    (withstand,) = only(sequence, "withstand").steps
    changed = withstand.settings.model_copy(update={"frequency": 60.0})
    at_60_hz = replace(sequence, steps=(replace(withstand, settings=changed),))
    engine, notebook = engine_for(rig, at_60_hz)
    await run(engine)
    assert notebook.of("1")["withstand"] == (Verdict.NOT_RUN, Cause.INSTRUMENT)
    (doubt,) = notebook.performed[0][1].grade.doubts
    assert doubt.instrument == "HV1" and "FREQuency? with '50' before its start" in doubt.text


def assert_one_step_lost(notebook: Notebook) -> None:
    """At most one step of one unit could not be done; the other unit passes all of its steps."""
    lost = [each for each in notebook.attempts if each[2] is not Verdict.PASS]
    own = [each for each in lost if each[3] is not Cause.UNIT_HALTED]
    assert len(own) <= 1, "\n".join(map(str, own))
    assert all(verdict is Verdict.NOT_RUN for _, _, verdict, _, _ in lost), lost
    assert len({nest for nest, *_ in lost}) <= 1, lost


@pytest.mark.parametrize("instrument", ["HV1", "GB1", "MX1", "GD1"])
@pytest.mark.parametrize("which", range(1, 60, 3))
async def test_one_answer_too_many_costs_one_step_and_no_more(
    rig: Rig, sequence: ReadySequence, instrument: str, which: int
) -> None:
    """Wherever it comes: every later answer would be off by one, for good."""
    carrying_on = tuple(replace(step, on_fail="carry_on") for step in sequence.steps)
    engine, notebook = engine_for(rig, replace(sequence, steps=carrying_on), "12")
    count = 0

    def twice_once(line: str, told: str) -> str:
        nonlocal count
        count += 1
        return f"{told}\n{told}" if count == which else told

    said(rig, instrument, twice_once)
    await run(engine)
    again, clean = engine_for(rig, replace(sequence, steps=carrying_on), "12")
    await run(again)  # where the last answer of all was told twice, it shows only here
    notebook.attempts += [(f"{each[0]} again", *each[1:]) for each in clean.attempts]
    assert (notebook.state, clean.state) == ("finished", "finished"), notebook.note
    assert_one_step_lost(notebook)


@pytest.mark.parametrize("which", range(16))
async def test_a_link_that_closes_under_a_relay_command_costs_one_step(
    rig: Rig, sequence: ReadySequence, which: int
) -> None:
    carrying_on = tuple(replace(step, on_fail="carry_on") for step in sequence.steps)
    engine, notebook = engine_for(rig, replace(sequence, steps=carrying_on), "12")
    link, count = rig.bench.matrix.link, 0
    write = link.write

    async def cut(text: str) -> None:
        nonlocal count
        if text.startswith("ROUTe"):
            count += 1
            if count == which + 1:
                link.close()
        await write(text)

    link.write = cut  # type: ignore[method-assign]
    await run(engine)
    assert notebook.state == "finished", notebook.note
    assert_one_step_lost(notebook)
    assert await rig.bench.switching.read() == frozenset(), "and nothing stays closed"
