"""The bench on stand-ins: actions, faults of instruments, guard, stop and making safe."""

import asyncio

import pytest

from loricate.bench.bench import Bench
from loricate.bench.care import Care
from loricate.bench.danger import DangerState
from loricate.bench.errors import ChargeUnknown, GuardOpen, InstrumentFault, StillCharged
from loricate.core.actions import Connect, Energise, Output, Program, Role, Sample
from loricate.core.quantities import VOLTAGE
from tests.rig import Rig

NEST = {"L": 1, "N": 2, "PE": 3, "CHASSIS": 4}
POINTS = {"high": ("L", "N"), "low": ("PE",)}
PROGRAM: dict[str, float | str] = {
    "function": "AC", "level_v": 1000.0, "frequency_hz": 50.0, "ramp_s": 0.5, "dwell_s": 1.0,
    "fall_s": 0.1, "trip_a": 5e-3,
}  # fmt: skip


async def withstand(bench: Bench, samples: list[Sample] | None = None, **more: float) -> Output:
    kept: list[Sample] = [] if samples is None else samples
    await bench.perform(Connect(Role.WITHSTAND, POINTS), [NEST], kept.append)
    await bench.perform(Program(Role.WITHSTAND, {**PROGRAM, **more}), [NEST], kept.append)
    output = await bench.perform(Energise(Role.WITHSTAND), [NEST], kept.append)
    assert isinstance(output, Output)
    return output


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
    await asyncio.sleep(0.3)
    rig.floor.floor.set_guard(False)
    with pytest.raises(GuardOpen):
        await running


async def test_stop_takes_the_output_off_while_a_query_is_under_way(rig: Rig) -> None:
    source = rig.floor.instruments["HV1"]
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=100.0))
    while not source.output_on:  # noqa: ASYNC110 - the stand-in has no event for this
        await asyncio.sleep(0.01)
    rig.bench.stop_now()
    with pytest.raises(InstrumentFault, match="aborted"):
        await running
    assert not source.output_on


async def test_an_instrument_that_falls_silent_fails_the_action(rig: Rig) -> None:
    running = asyncio.ensure_future(withstand(rig.bench, dwell_s=100.0))
    await asyncio.sleep(0.3)
    await rig.floor.instruments["HV1"].power(False, "127.0.0.1")
    with pytest.raises(ChargeUnknown, match=r"HV1 cannot say.*treat it as charged"):
        await running
    assert rig.floor.floor.closed, "no relay moves while nobody knows what is left"
    assert rig.bench.danger.state is DangerState.UNKNOWN
    with pytest.raises(ChargeUnknown):
        await rig.bench.disconnect([Role.WITHSTAND])
    assert await rig.bench.make_safe()
    assert rig.floor.floor.closed
    assert await rig.bench.confirm_earthed() == ()
    assert not rig.floor.floor.closed
    assert str(rig.bench.danger.state) == "safe"


async def test_a_terminal_without_a_column_is_told(rig: Rig) -> None:
    with pytest.raises(InstrumentFault, match="no column for terminal X"):
        await rig.bench.perform(
            Connect(Role.WITHSTAND, {"high": ("X",), "low": ("PE",)}), [NEST], lambda sample: None
        )


async def test_discharge_waits_until_safe_and_gives_up_when_it_never_is(rig: Rig) -> None:
    await withstand(rig.bench, level_v=1000.0)
    source = rig.bench.instruments[Role.WITHSTAND]
    assert await source.discharge(60.0) <= 60.0
    with pytest.raises(StillCharged, match="Do not touch"):
        await source.discharge(-1.0, care=Care(within_s=0.1))


async def test_making_safe_opens_every_relay(rig: Rig) -> None:
    await withstand(rig.bench)
    assert rig.floor.floor.closed
    await rig.bench.make_safe()
    assert not rig.floor.floor.closed and not rig.floor.floor.outputs_on


async def test_capabilities_come_from_the_profiles(rig: Rig) -> None:
    assert rig.bench.capabilities()[Role.WITHSTAND].spans["ac_level_v"] == (50, 5000)


async def test_nonsense_is_not_read_as_a_number(rig: Rig) -> None:
    source = rig.bench.instruments[Role.WITHSTAND]
    assert source.profile.sample is not None
    for answer in ("RAMP,1,2", "RAMP,1,2,3,4,ODD,5"):
        with pytest.raises(InstrumentFault, match="answered FETCh"):
            source._parse(answer, source.profile.sample)
