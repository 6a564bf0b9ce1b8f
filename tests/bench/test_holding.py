"""Outputs that stay on: sourced, held, changed, taken off; and whatever may go wrong meanwhile."""

import asyncio
from collections.abc import Callable

import pytest

from loricate.bench.care import Care
from loricate.bench.danger import DangerState
from loricate.bench.errors import BenchError, ChargeUnknown, GuardOpen, Implausible, InstrumentFault
from loricate.bench.instrument import DISCHARGING
from loricate.core.errors import ProcedureError
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    Asking,
    Connect,
    Ending,
    Energise,
    Enter,
    Form,
    Hold,
    Level,
    Off,
    Output,
    Source,
    Switch,
    Wait,
    Watch,
    do,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.holding import Answered, For, Leaves, Marks, Settled
from loricate.core.measuring.readings import Bound
from loricate.core.measuring.roles import BOND, LEAKAGE, WITHSTAND
from loricate.core.quantities import CURRENT, VOLTAGE
from loricate.execution.driving import BenchDriver
from tests.rig import PATIENCE_S, Rig, on_the_way, said, until

NEST = {"L": 1, "N": 2, "PE": 3, "CHASSIS": 4}
USING = {WITHSTAND: "HV1", BOND: "GB1", LEAKAGE: "LK1"}
HIGH = Connect(WITHSTAND, {"high": ("L", "N"), "low": ("PE",)})
LOW = Connect(BOND, {"high": ("PE",), "low": ("CHASSIS",)})
DC: dict[str, float | str] = {
    "function": "DC", "level_v": 500.0, "frequency_hz": 50.0, "ramp_s": 0.5, "dwell_s": 60.0,
    "fall_s": 0.2, "trip_a": 5e-3,
}  # fmt: skip
EARTH: dict[str, float | str] = {"level_a": 10.0, "dwell_s": 60.0}


async def nobody(ask: Ask | Enter | Form) -> Answer:
    raise AssertionError(f"nobody is to be asked {ask}")


def driver(
    rig: Rig, meanwhile: Callable[[Ask | Enter | Form], object] = nobody, samples: object = None
) -> BenchDriver:
    kept: list[Sample] = samples if isinstance(samples, list) else []
    return BenchDriver(
        rig.bench, USING, [NEST], nobody, kept.append, {},
        meanwhile=meanwhile,  # type: ignore[arg-type]
    )  # fmt: skip


def is_safe(rig: Rig) -> bool:
    """Nothing is on, nothing is charged, and nobody is kept from touching it."""
    floor = rig.floor.floor
    return (
        not floor.outputs_on
        and not rig.bench.charged
        and rig.bench.danger.state is DangerState.SAFE
    )


async def test_a_level_is_reached_held_and_taken_off(rig: Rig) -> None:
    samples: list[Sample] = []

    def procedure() -> Asking[tuple[Output, float]]:
        yield from do(HIGH)
        level = yield from do(Source(WITHSTAND, DC))
        assert level.look is not None
        volts = level.look.reading("voltage", VOLTAGE)
        assert volts.value == pytest.approx(500, rel=0.01) and volts.uncertainty > 0
        held = yield from do(Hold(WITHSTAND, (For(5.0),)))
        assert held.met == For(5.0) and held.held_s >= 5.0 and held.last.instrument == "HV1"
        output = yield from do(Off(WITHSTAND))
        return output, held.held_s

    driven = driver(rig, samples=samples)
    output, held_s = await driven.drive(procedure())
    assert output.ending is Ending.FINISHED and output.doubts == ()
    assert output.at_level_s is not None
    assert held_s - 0.1 <= output.at_level_s <= held_s + 20.0, "a machine held up holds longer"
    assert output.summary["voltage"] == pytest.approx(500, rel=0.01)
    assert [each.elapsed_s for each in samples] == sorted(each.elapsed_s for each in samples)
    assert {"ramp", "dwell"} <= {each.phase for each in samples}
    (curve,) = driven.curves
    times = [each for each in curve.x.values if each is not None]
    assert times == sorted(times) and is_safe(rig)


async def test_a_ladder_of_levels_is_one_output(rig: Rig) -> None:
    def procedure() -> Asking[list[float]]:
        yield from do(HIGH)
        found = []
        for volts in (500.0, 1000.0, 1500.0):
            level = yield from do(Source(WITHSTAND, {**DC, "level_v": volts}))
            assert level.look is not None
            held = yield from do(Hold(WITHSTAND, (Marks((0.5, 1.0)),)))
            assert sorted(held.at) == [0.5, 1.0]
            found.append(held.at[1.0].reading("voltage", VOLTAGE).value)
        output = yield from do(Off(WITHSTAND))
        assert output.doubts == () and output.summary["voltage"] == pytest.approx(1500, rel=0.01)
        return found

    assert await driver(rig).drive(procedure()) == pytest.approx([500, 1000, 1500], rel=0.01)
    assert is_safe(rig)


async def test_what_a_make_cannot_change_under_its_output_is_refused(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Source(WITHSTAND, {**DC, "trip_a": 1e-3}))

    with pytest.raises(InstrumentFault, match="cannot change trip under its output"):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


async def test_a_make_that_cannot_end_an_output_early_holds_none(rig: Rig) -> None:
    instrument = rig.bench.instruments["HV1"]
    instrument.profile = instrument.profile.model_copy(update={"finish": ""})

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))

    with pytest.raises(InstrumentFault, match="add finish to it"):
        await driver(rig).drive(procedure())
    assert is_safe(rig) and rig.floor.instruments["HV1"].ending == "NONE"  # type: ignore[attr-defined]


async def test_one_stays_on_while_another_is_looked_at(rig: Rig) -> None:
    """Both are connected first: PE is common to them, and nothing is connected to what is on."""

    def procedure() -> Asking[tuple[Output, Output]]:
        yield from do(HIGH)
        yield from do(LOW)
        yield from do(Source(WITHSTAND, DC))
        current = yield from do(Source(BOND, EARTH))
        assert current.look is not None
        held = yield from do(Hold(BOND, (For(3.0),)))
        assert held.last.reading("current", CURRENT).value == pytest.approx(10, rel=0.02)
        low = yield from do(Off(BOND))
        return low, (yield from do(Off(WITHSTAND)))

    low, high = await driver(rig).drive(procedure())
    assert low.doubts == high.doubts == ()
    assert high.at_level_s > low.at_level_s > 2 and is_safe(rig)


async def test_nothing_is_connected_to_what_is_on(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(LOW)

    with pytest.raises(InstrumentFault, match="would connect GB1 to what HV1 has"):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


@pytest.mark.parametrize(
    "action",
    [
        Ask("Seen?", ("yes",)), Enter("How much?", VOLTAGE), Form("Which?", ()), Wait(1.0), HIGH,
        Switch(WITHSTAND, remove={"low": ("PE",)}), Source(BOND, EARTH),
    ],
    ids=lambda action: type(action).__name__,
)  # fmt: skip
async def test_under_an_output_nothing_is_asked_waited_for_or_switched(
    rig: Rig, action: Ask
) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(action)

    with pytest.raises((ProcedureError, BenchError)):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


@pytest.mark.parametrize("action", [Hold(WITHSTAND, (For(1.0),)), Off(WITHSTAND)])
async def test_what_is_not_on_is_neither_held_nor_taken_off(rig: Rig, action: Off) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(action)

    with pytest.raises(ProcedureError, match="no output on"):
        await driver(rig).drive(procedure())


async def test_an_output_that_a_procedure_forgets_is_taken_off_and_told(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))

    with pytest.raises(ProcedureError, match="came to its end with its output on: withstand"):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


async def test_a_defect_under_an_output_leaves_nothing_on(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


@pytest.mark.parametrize("phase", ["ramp", "dwell", DISCHARGING])
@pytest.mark.parametrize("held", [True, False])
async def test_a_watcher_that_breaks_leaves_nothing_on_or_charged(
    rig: Rig, phase: str, held: bool
) -> None:
    """A display, a recorder, a kind's own sum: what it raises comes up when the unit is safe."""
    short = {**DC, "dwell_s": 1.0}

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        if held:
            yield from do(Source(WITHSTAND, short))
            yield from do(Hold(WITHSTAND, (For(0.5),)))
            yield from do(Off(WITHSTAND))
        else:
            yield from do(Energise(WITHSTAND, short))

    def watch(sample: Sample) -> None:
        if sample.phase == phase:
            raise ZeroDivisionError

    driven = BenchDriver(rig.bench, USING, [NEST], nobody, watch, {}, care=Care(earthed_s=0.02))
    with pytest.raises(ZeroDivisionError):
        await driven.drive(procedure())
    assert is_safe(rig)


async def test_a_breakdown_ends_a_hold_and_is_told_by_the_output(rig: Rig) -> None:
    rig.floor.floor.put_in("FX-A/1", "DC-40", ("cracked_insulator",), "B-1")

    def procedure() -> Asking[Output]:
        yield from do(HIGH)
        level = yield from do(Source(WITHSTAND, {**DC, "level_v": 3000.0}))
        if level.look is not None:
            held = yield from do(Hold(WITHSTAND, (For(30.0),)))
            assert held.met is None
        return (yield from do(Off(WITHSTAND)))

    output = await driver(rig).drive(procedure())
    assert output.ending in (Ending.BREAKDOWN, Ending.OVER_CURRENT) and is_safe(rig)


async def test_an_output_that_is_on_for_its_longest_ends_by_itself(rig: Rig) -> None:
    def procedure() -> Asking[tuple[object, Output]]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, {**DC, "dwell_s": 2.0}))
        held = yield from do(Hold(WITHSTAND, (For(30.0),)))
        return held.met, (yield from do(Off(WITHSTAND)))

    met, output = await driver(rig).drive(procedure())
    assert met is None and output.ending is Ending.FINISHED
    assert output.doubts == () and output.at_level_s == pytest.approx(2.0, abs=0.1)
    assert is_safe(rig)


@pytest.mark.parametrize("refuses", [False, True])
async def test_an_output_that_ended_by_itself_is_not_told_as_one_that_was_changed(
    rig: Rig, monkeypatch: pytest.MonkeyPatch, refuses: bool
) -> None:
    """Held up between two levels for longer than it may stay on: it never came to the second."""
    source, link = rig.floor.instruments["HV1"], rig.bench.instruments["HV1"].link
    write, short = link.write, {**DC, "dwell_s": 2.0}

    async def late(line: str) -> None:
        if "VOLTage 800" in line:
            async with asyncio.timeout(PATIENCE_S):
                while source.output_on:  # noqa: ASYNC110 - nothing tells of it
                    await asyncio.sleep(0.01)
            line = line.replace("800", "99999") if refuses else line
        await write(line)

    monkeypatch.setattr(link, "write", late)

    def procedure() -> Asking[tuple[Level, Output]]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, short))
        yield from do(Hold(WITHSTAND, (For(1.0),)))
        level = yield from do(Source(WITHSTAND, {**short, "level_v": 800.0}))
        return level, (yield from do(Off(WITHSTAND)))

    level, output = await driver(rig).drive(procedure())
    assert level.look is None and output.doubts == ()
    assert output.summary["voltage"] == pytest.approx(500, rel=0.01)
    assert rig.bench.instruments["HV1"].programmed["level_v"] == 500.0
    assert source.level_v == 500.0, "and so it is set"  # type: ignore[attr-defined]
    assert is_safe(rig)


async def test_an_output_that_has_ended_is_not_put_on_again_by_another_level(
    rig: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It would stand at the level of before, and be taken for the one that was asked for."""
    instrument, short, starts = rig.bench.instruments["HV1"], {**DC, "dwell_s": 2.0}, []
    start = instrument.start

    async def counted() -> None:
        starts.append(instrument.programmed["level_v"])
        await start()

    monkeypatch.setattr(instrument, "start", counted)

    def procedure() -> Asking[tuple[Level, Output]]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, short))
        yield from do(Hold(WITHSTAND, (For(50.0),)))
        level = yield from do(Source(WITHSTAND, {**short, "level_v": 800.0}))
        return level, (yield from do(Off(WITHSTAND)))

    level, output = await driver(rig).drive(procedure())
    assert level.look is None and starts == [500.0]
    assert output.summary["voltage"] == pytest.approx(500, rel=0.01)
    assert is_safe(rig)


async def test_a_guard_that_opens_ends_whatever_is_on(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Hold(WITHSTAND, (For(50.0),)))
        yield from do(Off(WITHSTAND))

    running = asyncio.ensure_future(driver(rig).drive(procedure()))
    await until(lambda: rig.bench.danger.state is DangerState.HIGH_VOLTAGE)
    rig.floor.floor.set_guard(False)
    with pytest.raises(GuardOpen):
        await running
    rig.floor.floor.set_guard(True)
    assert is_safe(rig)


@pytest.mark.parametrize("held", [True, False])
async def test_a_guard_that_opens_just_before_the_start_is_told_as_what_it_is(
    rig: Rig, held: bool
) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        if held:
            yield from do(Source(WITHSTAND, DC))
        else:
            yield from do(Energise(WITHSTAND, DC))

    def opened(line: str) -> str:
        if line.strip() == rig.bench.instruments["HV1"].profile.start:
            rig.floor.floor.set_guard(False)
        return line

    on_the_way(rig, "HV1", opened)
    with pytest.raises(GuardOpen):
        await driver(rig).drive(procedure())
    rig.floor.floor.set_guard(True)
    assert is_safe(rig)


async def test_an_open_guard_lets_nothing_on(rig: Rig) -> None:
    rig.floor.floor.set_guard(False)

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))

    with pytest.raises(GuardOpen):
        await driver(rig).drive(procedure())
    rig.floor.floor.set_guard(True)
    async with (
        asyncio.timeout(PATIENCE_S),
        rig.bench.reach.hands("nest 1"),
    ):
        assert not rig.floor.floor.outputs_on


async def test_who_is_cancelled_leaves_the_bench_to_be_made_safe(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Hold(WITHSTAND, (For(50.0),)))

    running = asyncio.ensure_future(driver(rig).drive(procedure()))
    await until(lambda: rig.bench.danger.state is DangerState.HIGH_VOLTAGE)
    running.cancel()
    with pytest.raises(asyncio.CancelledError):
        await running
    assert await rig.bench.make_safe() == ()
    assert is_safe(rig)
    async with asyncio.timeout(PATIENCE_S), rig.bench.reach.hands("nest 1"):
        pass


async def both_charged(rig: Rig) -> None:
    """Two sources on two nests, cut off by being cancelled: nothing is measured yet."""
    for name, column in (("HV1", 1), ("HV2", 5)):
        nest = {"L": column, "N": column + 1, "PE": column + 2, "CHASSIS": column + 3}
        await rig.bench.connect_unit(name, HIGH.points, [nest])
        running = asyncio.ensure_future(
            rig.bench.outputs.energise(name, DC, [nest], lambda sample: None)
        )
        source = rig.floor.instruments[name]
        await until(lambda source=source: source.output_on)  # type: ignore[misc]
        running.cancel()
        with pytest.raises(asyncio.CancelledError):
            await running
    assert set(rig.bench.outputs.live) == {"HV1", "HV2"}


async def test_making_safe_is_for_each_whatever_breaks_with_another(rig: Rig) -> None:
    """A screen that breaks at the first one's discharge keeps nobody from the second."""
    await both_charged(rig)

    def broken(sample: Sample) -> None:
        raise ZeroDivisionError

    rig.bench.outputs.live["HV1"].care = Care(earthed_s=0.02)
    assert await rig.bench.make_safe(broken) == ()
    assert is_safe(rig) and not rig.floor.floor.closed


async def test_a_defect_of_ours_while_a_unit_is_discharged_leaves_it_taken_for_charged(
    rig: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    await both_charged(rig)

    async def defect(*given: object) -> float:
        raise ZeroDivisionError("division by zero")

    monkeypatch.setattr(rig.bench.instruments["HV1"], "discharge", defect)
    (why,) = await rig.bench.make_safe()
    assert "HV1 cannot say what is left at the unit (division by zero)" in why
    assert rig.bench.danger.must_earth and rig.floor.floor.closed, "no relay moves"
    assert "HV2" not in rig.bench.outputs.live, "the other was measured all the same"
    assert await rig.bench.confirm_earthed() == () and is_safe(rig)


async def test_hands_wait_for_what_stays_on(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Hold(WITHSTAND, (For(20.0),)))
        yield from do(Off(WITHSTAND))

    running = asyncio.ensure_future(driver(rig).drive(procedure()))
    await until(lambda: rig.bench.danger.state is DangerState.HIGH_VOLTAGE)
    async with asyncio.timeout(PATIENCE_S), rig.bench.reach.hands("nest 1"):
        assert not rig.floor.floor.outputs_on and is_safe(rig) is False
    await running
    assert is_safe(rig)


async def test_nobody_knowing_what_is_left_is_told_above_all(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        said(rig, "HV1", lambda line, answer: "nonsense" if "RESidual" in line else answer)
        raise ZeroDivisionError

    with pytest.raises(ChargeUnknown):
        await driver(rig).drive(procedure())
    assert rig.bench.danger.must_earth and "HV1" in rig.bench.charged


async def test_a_link_that_breaks_under_an_output_leaves_it_off_and_measured(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        rig.bench.instruments["HV1"].link.close()
        yield from do(Hold(WITHSTAND, (For(5.0),)))

    with pytest.raises(BenchError, match="HV1"):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


async def test_one_that_says_it_held_and_did_not_is_not_believed(rig: Rig) -> None:
    """Its summary tells of less time at its level than it was held for."""
    said(rig, "HV1", lambda line, answer: _shorter(answer) if "SUMMary" in line else answer)

    def procedure() -> Asking[Output]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Hold(WITHSTAND, (For(5.0),)))
        return (yield from do(Off(WITHSTAND)))

    driven = driver(rig)
    output = await driven.drive(procedure())
    assert any("held its level" in each.text for each in output.doubts)
    assert driven.doubts == list(output.doubts)


def _shorter(answer: str) -> str:
    return ",".join([*answer.split(",")[:-1], "0.5000"])


async def test_one_that_does_not_end_is_stopped(rig: Rig) -> None:
    rig.bench.instruments["HV1"].overrun_s = 0.3
    on_the_way(rig, "HV1", lambda line: "*CLS" if "DWELl:END" in line else line)

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        yield from do(Off(WITHSTAND))

    with pytest.raises(Implausible, match="is still in dwell"):
        await driver(rig).drive(procedure())
    assert is_safe(rig)


async def test_the_operator_is_asked_under_an_output_that_is_watched(rig: Rig) -> None:
    """A lead is bent while its continuity is watched; whoever bends it says when it is done."""
    seen: list[bool] = []

    async def bend(ask: Ask | Enter | Form) -> Answer:
        await asyncio.sleep(0.1)
        seen.append("GB1" in rig.floor.floor.outputs_on)
        return Answer("done", account="mara")

    until_done = (Answered("Bend the lead.", ("done",)), Leaves("current", 5.0), For(55.0))

    def procedure() -> Asking[None]:
        yield from do(LOW)
        watched = yield from do(Watch(BOND, EARTH, until_done))
        assert watched.held is not None and watched.held.met == until_done[0]
        assert watched.held.answer == Answer("done", account="mara")
        assert watched.held.lowest["current"] == pytest.approx(10, rel=0.02)
        assert watched.output.ending is Ending.FINISHED

    await driver(rig, bend).drive(procedure())
    assert seen == [True] and is_safe(rig)


async def test_a_watch_sees_what_leaves_its_band(rig: Rig) -> None:
    async def never(ask: Ask | Enter | Form) -> Answer:
        await asyncio.sleep(60)
        raise AssertionError

    leaves = Leaves("current", maximum=5.0)

    def procedure() -> Asking[None]:
        yield from do(LOW)
        watched = yield from do(
            Watch(BOND, EARTH, (Answered("Bend the lead.", ("done",)), leaves, For(50.0)))
        )
        assert watched.held is not None and watched.held.met == leaves
        assert watched.held.answer is None

    await driver(rig, never).drive(procedure())
    assert is_safe(rig)


async def test_a_current_settles(rig: Rig) -> None:
    def procedure() -> Asking[None]:
        yield from do(HIGH)
        yield from do(Source(WITHSTAND, DC))
        settled = Settled("voltage", 0.05, 1.0)
        held = yield from do(Hold(WITHSTAND, (settled, For(50.0))))
        assert held.met == settled and held.held_s >= 1.0
        yield from do(Off(WITHSTAND))

    await driver(rig).drive(procedure())


async def test_a_floor_is_a_bound_in_a_look_as_well(rig: Rig) -> None:
    rig.floor.floor.take_out("FX-A/1")

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        level = yield from do(Source(WITHSTAND, DC))
        assert level.look is not None
        assert level.look.reading("current", CURRENT).bound is Bound.BELOW
        yield from do(Off(WITHSTAND))

    await driver(rig).drive(procedure())


async def test_switching_by_difference_leaves_the_rest_closed(rig: Rig) -> None:
    closed: list[frozenset[tuple[int, int]]] = []

    def procedure() -> Asking[None]:
        yield from do(HIGH)
        closed.append(frozenset(rig.floor.floor.closed))
        opened_before = len(orders)
        yield from do(Switch(WITHSTAND, {"high": ("CHASSIS",)}, {"high": ("N",)}))
        closed.append(frozenset(rig.floor.floor.closed))
        moved = " ".join(orders[opened_before:])
        assert "OPEN" in moved.upper() and moved.count("@") == 2

    orders: list[str] = []
    said(rig, "MX1", lambda line, answer: answer)
    hear = rig.floor.instruments["MX1"].perform

    async def heard(line: str, owner: object | None = None) -> str | None:
        if "(@" in line:
            orders.append(line)
        return await hear(line, owner)

    rig.floor.instruments["MX1"].perform = heard  # type: ignore[method-assign]
    await driver(rig).drive(procedure())
    before, after = closed
    assert len(before - after) == len(after - before) == 1 and len(before & after) == 2
