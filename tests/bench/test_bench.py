"""The bench on stand-ins: actions, faults of instruments, guard, stop and making safe."""

import asyncio

import pytest

from loricate.bench.bench import Bench
from loricate.bench.care import Care
from loricate.bench.danger import DangerState
from loricate.bench.errors import (
    BenchError,
    ChargeUnknown,
    GuardOpen,
    Implausible,
    InstrumentFault,
    StillCharged,
)
from loricate.core.measuring.actions import Ending, Output
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.quantities import VOLTAGE
from tests.rig import Rig, said, until

NEST = {"L": 1, "N": 2, "PE": 3, "CHASSIS": 4}
POINTS = {"high": ("L", "N"), "low": ("PE",)}
PROGRAM: dict[str, float | str] = {
    "function": "AC", "level_v": 1000.0, "frequency_hz": 50.0, "ramp_s": 0.5, "dwell_s": 1.0,
    "fall_s": 0.1, "trip_a": 5e-3,
}  # fmt: skip


async def withstand(bench: Bench, samples: list[Sample] | None = None, **more: float) -> Output:
    kept: list[Sample] = [] if samples is None else samples
    await bench.connect_unit("HV1", POINTS, [NEST])
    return await bench.outputs.energise("HV1", {**PROGRAM, **more}, [NEST], kept.append)


async def test_an_output_is_followed_by_the_instruments_own_clock(rig: Rig) -> None:
    samples: list[Sample] = []
    output = await withstand(rig.bench, samples)
    assert output.summary["voltage"] == pytest.approx(1000, rel=0.01)
    assert [s.elapsed_s for s in samples] == sorted(s.elapsed_s for s in samples)
    assert samples[-1].elapsed_s <= 1.6
    assert output.reading("voltage", VOLTAGE).uncertainty > 0


async def test_identity_is_read(rig: Rig) -> None:
    states = {state.id: state for state in rig.bench.states()}
    assert "WITHSTAND-SOURCE" in states["HV1"].identity
    assert states["HV1"].due is not None and states["MX1"].due is None


async def test_an_instrument_that_is_off_is_told_and_found_again(rig: Rig) -> None:
    await rig.floor.instruments["GB1"].power(False, "127.0.0.1")
    problems = await rig.bench.look()
    assert list(problems) == ["GB1"] and "refused the connection" in problems["GB1"]
    await rig.floor.instruments["GB1"].power(True, "127.0.0.1")
    assert await rig.bench.look() == {}


async def test_a_setting_out_of_range_is_the_instruments_error(rig: Rig) -> None:
    with pytest.raises(InstrumentFault, match=r"HV1 refused .*-222"):
        await withstand(rig.bench, level_v=99_999.0)
    await withstand(rig.bench)  # and the queue is empty again


async def test_high_voltage_needs_a_closed_guard(rig: Rig) -> None:
    rig.floor.floor.set_guard(False)
    with pytest.raises(GuardOpen):
        await withstand(rig.bench)


async def test_a_guard_that_opens_meanwhile_ends_the_output(rig: Rig) -> None:
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=100.0))
    await until(lambda: rig.floor.instruments["HV1"].output_on)
    rig.floor.floor.set_guard(False)
    with pytest.raises(GuardOpen):
        await running


async def test_stop_takes_the_output_off_while_a_query_is_under_way(rig: Rig) -> None:
    source = rig.floor.instruments["HV1"]
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=100.0))
    await until(lambda: source.output_on)
    rig.bench.stop_now()
    with pytest.raises(InstrumentFault, match="aborted"):
        await running
    assert not source.output_on


async def test_an_instrument_that_falls_silent_fails_the_action(rig: Rig) -> None:
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=100.0))
    await until(lambda: rig.floor.instruments["HV1"].output_on)
    await rig.floor.instruments["HV1"].power(False, "127.0.0.1")
    with pytest.raises(ChargeUnknown, match=r"HV1 cannot say.*treat it as charged"):
        await running
    assert rig.floor.floor.closed, "no relay moves while nobody knows what is left"
    assert rig.bench.danger.state is DangerState.UNKNOWN
    with pytest.raises(ChargeUnknown):
        await rig.bench.disconnect(["HV1"])
    assert await rig.bench.make_safe()
    assert rig.floor.floor.closed
    assert await rig.bench.confirm_earthed() == ()
    assert not rig.floor.floor.closed
    assert str(rig.bench.danger.state) == "safe"


async def test_a_terminal_without_a_column_is_told(rig: Rig) -> None:
    with pytest.raises(InstrumentFault, match="no column for terminal X"):
        await rig.bench.connect_unit("HV1", {"high": ("X",), "low": ("PE",)}, [NEST])


async def test_discharge_waits_until_safe_and_gives_up_when_it_never_is(rig: Rig) -> None:
    await withstand(rig.bench, level_v=1000.0)
    source = rig.bench.instruments["HV1"]
    assert await source.discharge(60.0) <= 60.0
    with pytest.raises(StillCharged, match="Do not touch"):
        await source.discharge(-1.0, care=Care(within_s=0.1))


async def test_making_safe_opens_every_relay(rig: Rig) -> None:
    await withstand(rig.bench)
    assert rig.floor.floor.closed
    await rig.bench.make_safe()
    assert not rig.floor.floor.closed and not rig.floor.floor.outputs_on


async def test_capabilities_come_from_the_profiles(rig: Rig) -> None:
    assert rig.bench.capabilities()[WITHSTAND][0].spans["ac_level_v"] == (50, 5000)


async def test_nonsense_is_not_read_as_a_number(rig: Rig) -> None:
    source = rig.bench.instruments["HV1"]
    assert source.profile.sample is not None
    for answer in ("RAMP,1,2", "RAMP,1,2,3,4,ODD,5"):
        with pytest.raises(InstrumentFault, match="answered FETCh"):
            source.parse(answer, source.profile.sample)


async def test_the_matrix_must_say_that_what_was_asked_for_is_closed(rig: Rig) -> None:
    """A relay that closed somewhere else would have another unit measured in this one's place."""
    floor = rig.floor.floor
    matrix = rig.floor.instruments["MX1"]
    say = matrix.perform

    async def astray(line: str, owner: object | None = None) -> str | None:
        answer = await say(line, owner)
        if "CLOS" in line.upper() and "?" not in line:
            floor.closed.add((1, 9))
        return answer

    matrix.perform = astray  # type: ignore[method-assign]
    with pytest.raises(InstrumentFault, match=r"MX1 says that .*1!9.* is closed, asked for"):
        await withstand(rig.bench)


async def test_an_output_that_outlasts_its_programme_is_stopped(rig: Rig) -> None:
    rig.bench.instruments["HV1"].overrun_s = 0.2
    said(rig, "HV1", lambda line, answer: answer.replace("DONE", "FALL"))
    with pytest.raises(Implausible, match="is still in fall"):
        await withstand(rig.bench)
    assert not rig.floor.instruments["HV1"].output_on


async def test_the_end_of_another_output_is_no_result(rig: Rig) -> None:
    """DONE for ever: what a source still shows of the last unit is not taken for this one's."""
    await withstand(rig.bench)

    def done(line: str, answer: str) -> str:
        return f"DONE{answer[answer.index(',') :]}" if line == "FETCh?" else answer

    said(rig, "HV1", done)
    with pytest.raises(BenchError):  # its summary is not there yet, or it was not seen to start
        await withstand(rig.bench)


async def test_a_summary_that_differs_the_second_time_is_no_result(rig: Rig) -> None:
    told = iter(range(10))
    said(rig, "HV1", lambda line, answer: f"{answer}{next(told)}" if "SUMM" in line else answer)
    with pytest.raises(Implausible, match="summed up one output as"):
        await withstand(rig.bench)


async def test_a_clock_that_outruns_ours_is_not_believed(rig: Rig) -> None:
    rig.bench.instruments["HV1"].pace = 1.0  # the stand-ins go twenty times as fast
    output = await withstand(rig.bench, dwell_s=10.0)  # 0.5 s of it: a machine held up tells still
    assert any("after its start" in each.text for each in output.doubts)


async def test_who_is_held_up_as_an_output_starts_believes_its_clock(
    rig: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A machine under load may lose a moment between the start and its own look at the time."""
    source = rig.bench.instruments["HV1"]
    write = source.link.write

    async def held_up(line: str) -> None:
        await write(line)
        if line == source.profile.start:
            await asyncio.sleep(0.04)

    monkeypatch.setattr(source.link, "write", held_up)
    output = await withstand(rig.bench)
    assert output.ending is Ending.FINISHED and output.doubts == ()


async def test_who_answers_at_the_end_is_who_was_asked(rig: Rig) -> None:
    is_started = False

    def another(line: str, answer: str) -> str:
        nonlocal is_started
        is_started = is_started or "FETC" in line.upper()
        return "SOMEBODY,ELSE,1,1" if is_started and "IDN" in line else answer

    said(rig, "HV1", another)
    with pytest.raises(ChargeUnknown, match=r"answers as 'SOMEBODY.* not maker Loricate") as left:
        await withstand(rig.bench)
    refused = left.value.__cause__
    assert refused is not None and "answered as 'SOMEBODY" in str(refused.__context__)


async def test_who_answers_before_a_step_is_who_was_met(rig: Rig) -> None:
    """Another one on the same link: nothing is put on, and the link is made anew."""
    said(rig, "HV1", lambda line, answer: "SOMEBODY,ELSE,1,1" if "IDN" in line else answer)
    with pytest.raises(Implausible, match="answered as 'SOMEBODY,ELSE,1,1' before its step"):
        await withstand(rig.bench)
    assert not rig.bench.instruments["HV1"].link.is_open
    assert rig.bench.danger.state == "safe"


@pytest.mark.parametrize(("left_v", "error"), [("494", StillCharged), ("0.2", Implausible)])
async def test_an_answer_that_comes_twice_is_not_the_volts_that_are_left(
    rig: Rig, left_v: str, error: type[Exception]
) -> None:
    """The 0 of an output that is off, told twice, answers the question for the volts."""
    await withstand(rig.bench)

    def twice(line: str, answer: str) -> str:
        if "RES" in line.upper():
            return left_v
        return f"{answer}\n{answer}" if line.upper().startswith("OUTP") else answer

    said(rig, "HV1", twice)
    source = rig.bench.instruments["HV1"]
    assert await source.link.query(source.profile.output) == "0"
    with pytest.raises(error):
        await source.discharge(60.0, care=Care(within_s=0.1))


async def test_danger_is_told_by_the_bench_itself(rig: Rig) -> None:
    assert rig.bench.danger.state is DangerState.SAFE
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=10.0))
    await until(lambda: rig.bench.danger.volts == pytest.approx(1000, rel=0.02))
    danger = rig.bench.danger
    assert (danger.state, danger.nests) == (DangerState.HIGH_VOLTAGE, ("1",))
    await running
    assert str(rig.bench.danger.state) == "safe"


async def test_what_a_dead_service_left_is_measured_before_anything_moves(rig: Rig) -> None:
    """Relays that are closed at the start may lead to a charged unit; a silent source says so."""
    await withstand(rig.bench)
    assert await rig.bench.find_safe() == () and not rig.floor.floor.closed
    await withstand(rig.bench)
    await rig.floor.instruments["HV1"].power(False, "127.0.0.1")
    (why,) = await rig.bench.find_safe()
    assert "treat it as charged" in why and rig.floor.floor.closed


async def test_whoever_asks_at_the_same_time_shares_one_link(rig: Rig) -> None:
    """The guard is asked for by every nest; after a link was lost each finds it closed."""
    guard, opened = rig.bench.guard, 0
    open_link = guard.link.open

    async def counted() -> None:
        nonlocal opened
        opened += 1
        await open_link()

    guard.link.open = counted  # type: ignore[method-assign]
    guard.link.close()
    assert await asyncio.gather(*(rig.bench.guard_is_closed() for _ in range(8))) == [True] * 8
    assert opened == 1
