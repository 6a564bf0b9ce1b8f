"""Windings on a bench: no relay moves under their current, and what absorbed charge waits."""

import asyncio
import itertools
from collections.abc import Callable
from typing import Any

import pytest

from loricate.bench.care import Care
from loricate.bench.errors import BenchError
from loricate.bench.instrument import CLOCK, DISCHARGING, _Running
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    Asking,
    Connect,
    Enter,
    Form,
    Hold,
    Keep,
    Level,
    Off,
    Output,
    Source,
    do,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.holding import ByClock, Enters, For, Holding, Settled, Steeper
from loricate.core.measuring.plausibility import Times
from loricate.core.measuring.readings import Reading
from loricate.core.measuring.roles import DC_SOURCE, LOW_RESISTANCE, THERMOMETER, TURNED_SOURCE
from loricate.core.quantities import TEMPERATURE
from loricate.execution.driving import BenchDriver
from loricate.simulator.instruments.dc_source import RANGES_A, DcSource, TurnedSource
from loricate.simulator.instruments.low_resistance_meter import LET_GO_A, LowResistanceMeter
from tests.rig import Rig, said, until

NEST = {"U": 127, "V": 128, "W": 129, "PE": 130, "FRAME": 131}
USING = {
    LOW_RESISTANCE: "LR1", DC_SOURCE: "DS1", TURNED_SOURCE: "TS1", THERMOMETER: "TM1",
}  # fmt: skip
PAIR = Connect(LOW_RESISTANCE, {"high": ("U",), "low": ("V",)})
ACROSS = {"high": ("U", "V", "W"), "low": ("FRAME",)}
CURRENT: dict[str, float | str] = {"level_a": 1.0, "ramp_s": 30.0, "dwell_s": 60.0}
VOLTS: dict[str, float | str] = {
    "function": "DC", "ramp_s": 1.0, "dwell_s": 60.0, "fall_s": 0.5, "trip_a": 2e-3,
    "ranging_s": 5.0, "level_v": 500.0,
}  # fmt: skip


async def nobody(ask: Ask | Enter | Form) -> Answer:
    raise AssertionError(f"nobody is to be asked {ask}")


def driver(rig: Rig, samples: list[Sample] | None = None, care: Care | None = None) -> BenchDriver:
    kept: list[Sample] = [] if samples is None else samples
    return BenchDriver(rig.bench, USING, [NEST], nobody, kept.append, {}, care=care or Care())


def slow(rig: Rig) -> None:
    """A winding whose current takes seconds: 60 H and no less resistance."""
    floor = rig.floor.floor
    model = floor.models["WM-3"]
    coils = {
        name: each.model_copy(update={"value": "60 H"})
        for name, each in model.element.items()
        if each.type == "coil"
    }
    floor.models["SLOW"] = model.model_copy(update={"element": {**model.element, **coils}})
    floor.put_in("FX-M/1", "SLOW", (), "slow")


def meter(rig: Rig) -> LowResistanceMeter:
    found = rig.floor.instruments["LR1"]
    assert isinstance(found, LowResistanceMeter)
    return found


@pytest.fixture
def opened_at(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> list[float]:
    """The currents of the low-resistance meter at which its relays were opened."""
    found: list[float] = []
    matrix: Any = rig.floor.instruments["MX1"]
    switching = matrix._switching

    def noted(points: set[tuple[int, int]]) -> None:
        switching(points)
        if any(27 <= row <= 30 for row, _ in points & rig.floor.floor.closed):
            found.append(meter(rig).true_a if meter(rig).output_on else 0.0)

    monkeypatch.setattr(matrix, "_switching", noted)
    return found


def held(seconds: float) -> Asking[Output]:
    yield from do(PAIR)
    yield from do(Source(LOW_RESISTANCE, CURRENT))
    yield from do(Hold(LOW_RESISTANCE, (For(seconds),)))
    return (yield from do(Off(LOW_RESISTANCE)))


async def test_a_winding_is_let_go_of_only_when_its_current_is_gone(
    rig: Rig, opened_at: list[float]
) -> None:
    slow(rig)

    def two_pairs() -> Asking[Output]:
        output = yield from held(1.0)
        yield from do(Connect(LOW_RESISTANCE, {"high": ("V",), "low": ("W",)}))
        return output

    output = await driver(rig).drive(two_pairs())
    assert output.summary["current"] == pytest.approx(1.0, rel=1e-3)
    assert not meter(rig).output_on
    assert opened_at and max(opened_at) <= LET_GO_A


@pytest.mark.parametrize("moment_s", [0.05, 0.4])
async def test_whoever_is_cut_off_takes_the_current_out_first(
    rig: Rig, opened_at: list[float], moment_s: float
) -> None:
    """An abort while the current rises, and while it stands."""
    slow(rig)
    task = asyncio.ensure_future(driver(rig).drive(held(50.0)))
    await until(lambda: meter(rig).output_on and meter(rig).true_a > 0.01)
    await asyncio.sleep(moment_s)
    task.cancel()
    await asyncio.gather(task, return_exceptions=True)
    assert await rig.bench.make_safe() == ()
    await rig.bench.disconnect(["LR1"])
    assert opened_at and max(opened_at) <= LET_GO_A
    assert not rig.bench.outputs.may_be_charged("LR1")


async def test_a_meter_that_is_not_heard_of_leaves_the_fixture_dangerous(rig: Rig) -> None:
    """Nobody knows whether its current still flows: no relay moves, until a person confirms."""
    slow(rig)
    task = asyncio.ensure_future(driver(rig).drive(held(50.0)))
    await until(lambda: meter(rig).output_on and meter(rig).true_a > 0.01)
    await rig.floor.instruments["LR1"].power(False, "127.0.0.1")
    with pytest.raises(BenchError):
        await task
    assert rig.bench.outputs.may_be_charged("LR1")
    assert any("LR1" in told for told in await rig.bench.make_safe())
    with pytest.raises(BenchError, match="LR1"):
        await driver(rig).drive(volts(1.0))
    await rig.bench.outputs.confirm_earthed()
    assert not rig.bench.outputs.may_be_charged("LR1")


async def test_who_begins_after_a_service_that_died_waits_for_its_current(
    rig: Rig, opened_at: list[float]
) -> None:
    """Its relays are closed and its current flows: nobody here has put it on."""
    slow(rig)
    rig.floor.floor.closed = {(27, 127), (28, 127), (29, 128), (30, 128)}
    left = meter(rig)
    left.level_a, left.ramp_s, left.dwell_s = 1.0, 60.0, 600.0
    left.initiate()
    await until(lambda: left.true_a > 0.05)
    rig.bench.instruments["LR1"].link.close()
    rig.bench.instruments["LR1"].identity = ""
    assert await rig.bench.find_safe() == ()
    await rig.bench.switching.open_all()
    assert opened_at and max(opened_at) <= LET_GO_A


# Volts.


def volts(lasts_s: float) -> Asking[tuple[Level, Output]]:
    yield from do(Connect(DC_SOURCE, ACROSS))
    level = yield from do(Source(DC_SOURCE, VOLTS, lasts_s))
    yield from do(Hold(DC_SOURCE, (For(lasts_s),)))
    return level, (yield from do(Off(DC_SOURCE)))


async def test_it_stays_earthed_for_so_many_times_its_time_under_voltage(rig: Rig) -> None:
    samples: list[Sample] = []
    source = rig.floor.instruments["DS1"]
    assert isinstance(source, DcSource)
    await driver(rig, samples, Care(earthed_times=2.0)).drive(volts(4.0))
    on_s = max(each.elapsed_s for each in samples if each.phase != DISCHARGING)
    assert source.earthed_s >= 2 * on_s * 0.98
    left = [each.remaining_s for each in samples if each.phase == DISCHARGING]
    assert left[0] == pytest.approx(2 * on_s, rel=0.2)
    assert all(later <= earlier + 1e-6 for earlier, later in itertools.pairwise(left))


async def test_what_it_was_on_for_after_the_last_look_counts_too(rig: Rig) -> None:
    """Cut unseen for seconds: it was under voltage until then, and is earthed for that as well."""
    source = rig.floor.instruments["DS1"]
    assert isinstance(source, DcSource)
    work = driver(rig, [], Care(earthed_times=4.0))
    await work.connect(Connect(DC_SOURCE, ACROSS))
    await work.source(Source(DC_SOURCE, VOLTS, 10.0))
    began_s = rig.floor.clock.now()
    await asyncio.sleep(0.2)  # at pace 20: nobody looks meanwhile
    await work.drop(DC_SOURCE)
    assert source.off_at is not None and source.off_at - began_s > 2.0
    assert source.earthed_s >= 4 * (source.off_at - began_s) * 0.95


@pytest.mark.parametrize("pace", [1.0, 20.0])
@pytest.mark.parametrize("late_s", [0.0, 0.3, 3.0])
def test_what_was_not_seen_counts_as_fast_as_its_clock_goes_however_late_it_began(
    pace: float, late_s: float
) -> None:
    """An instrument may begin some time after it was told to, on a machine that has no time."""
    made = _Running(Sample(0.0, 0.0, "IDLE", {}), Times(10.0, 0.0, 0.0), 0.0)
    assert made.unseen_s(2.0, "DONE", pace) >= 2.0 * pace, "nobody has looked at all"
    for asked in (0.5 + late_s, 1.5 + late_s):
        elapsed_s = (asked + 0.01 - late_s) * pace
        if made.last is None:
            made.first_s, made.heard = elapsed_s, asked + 0.02
        made.last, made.looked = Sample(elapsed_s, 1.0, "DWELL", {}), asked
    unseen_s = 2.0
    told = made.unseen_s(made.looked + unseen_s, "DONE", pace * CLOCK)
    assert unseen_s * pace <= told <= unseen_s * pace * CLOCK
    made.last = Sample(40.0, 0.0, "DONE", {})
    assert made.unseen_s(9.0, "DONE", pace) == 0.0


async def test_a_source_cannot_say_that_it_has_earthed_for_longer_than_it_can_have(
    rig: Rig,
) -> None:
    said(rig, "DS1", lambda line, told: "1e9" if "EARTH" in line.upper() else told)
    loop = asyncio.get_running_loop()
    fell_at: list[float] = []

    def noted(sample: Sample) -> None:
        if sample.phase == DISCHARGING and not fell_at:
            fell_at.append(loop.time())

    work = BenchDriver(rig.bench, USING, [NEST], nobody, noted, {}, care=Care(earthed_times=4.0))
    level, output = await work.drive(volts(10.0))
    assert level.look is not None
    # No clock goes faster than the bench file allows.
    assert loop.time() - fell_at[0] >= 4 * output.ended_s / (20 * 1.05) * 0.9


async def test_the_time_left_is_that_of_the_level_not_of_the_programme(rig: Rig) -> None:
    samples: list[Sample] = []
    await driver(rig, samples).drive(volts(10.0))
    standing = [each for each in samples if each.phase == "dwell"]
    assert standing[1].remaining_s <= 10.0 and standing[-1].remaining_s < 3.0


async def test_its_meter_changes_its_range_only_at_the_beginning_of_a_level(rig: Rig) -> None:
    samples: list[Sample] = []
    await driver(rig, samples).drive(volts(30.0))
    standing = [each for each in samples if each.phase == "dwell"]
    began = standing[0].elapsed_s
    late = {each.values["current_range"] for each in standing if each.elapsed_s > began + 6}
    assert len(late) == 1 and late <= set(RANGES_A)


async def test_a_dial_is_followed_into_its_band_and_an_overshoot_is_seen(rig: Rig) -> None:
    source = rig.floor.instruments["TS1"]
    assert isinstance(source, TurnedSource)
    programme: dict[str, float | str] = {
        "function": "DC", "level_v": 1_000.0, "dwell_s": 300.0, "trip_a": 2e-3, "ranging_s": 2.0,
    }  # fmt: skip

    def turned() -> Asking[list[object]]:
        yield from do(Connect(TURNED_SOURCE, ACROSS))
        yield from do(Source(TURNED_SOURCE, programme))
        met: list[object] = []
        band = Enters("voltage", 485.0, 515.0, 1.0)
        source.dial(500.0, 100.0)
        met.append((yield from do(Hold(TURNED_SOURCE, (band, For(60.0))))).met)
        source.dial(900.0, 2_000.0)
        steep = Steeper("voltage", 200.0, 0.05)
        met.append((yield from do(Hold(TURNED_SOURCE, (steep, For(60.0))))).met)
        source.dial(0.0, 1_000.0)
        yield from do(Hold(TURNED_SOURCE, (For(5.0),)))
        yield from do(Off(TURNED_SOURCE))
        return met

    first, second = await driver(rig).drive(turned())
    assert isinstance(first, Enters) and isinstance(second, Steeper)


async def test_a_thermometer_that_shows_no_number_has_read_nothing(rig: Rig) -> None:
    """SCPI's not-a-number, as an open probe gives it."""

    def broken(line: str, told: str) -> str:
        return ",".join((*told.split(",")[:3], "9.91E37")) if line == "FETCh?" else told

    said(rig, "TM1", broken)

    def read() -> Asking[object]:
        yield from do(Source(THERMOMETER, {"dwell_s": 20.0}))
        steady = Settled("temperature", 0.0, 2.0, by=0.3)
        found = yield from do(Hold(THERMOMETER, (steady, For(10.0))))
        yield from do(Off(THERMOMETER))
        return found.met

    assert isinstance(await driver(rig).drive(read()), For)


async def test_what_is_kept_goes_to_whoever_keeps_it_with_its_point(rig: Rig) -> None:
    kept: list[tuple[Keep, str]] = []

    async def keep(action: Keep, point: str) -> None:
        kept.append((action, point))

    work = BenchDriver(
        rig.bench, USING, [NEST], nobody, lambda sample: None, {},
        temperature=lambda: Reading("temperature", 31.7, TEMPERATURE), keep=keep,
    )  # fmt: skip
    work.point = "at 1 kV"
    reading = Reading("temperature", 31.7, TEMPERATURE)
    await work.perform(Keep((reading,), 15.0))
    assert kept == [(Keep((reading,), 15.0), "at 1 kV")]


# Ends of a hold.


def course(*values: float, every_s: float = 1.0) -> Callable[[Holding], list[int]]:
    """Which of these values, one after another, end a hold."""

    def seen(holding: Holding) -> list[int]:
        ended = []
        for place, value in enumerate(values):
            sample = Sample(place * every_s, 0.0, "dwell", {"voltage": value})
            if holding.see(sample) is not None:
                ended.append(place)
        return ended

    return seen


def test_a_band_counts_from_when_it_was_last_entered() -> None:
    band = Enters("voltage", 490.0, 510.0, over_s=2.0)
    holding = Holding((band, For(100.0)))
    assert course(400, 500, 520, 500, 500, 500, 505)(holding) == [5, 6]


def test_a_rise_is_too_steep_over_its_time_and_not_between_two_looks() -> None:
    steep = Steeper("voltage", 100.0, over_s=2.0)
    assert course(0, 90, 180, 270, 600)(Holding((steep, For(100.0)))) == [4]
    assert course(600, 300, 0)(Holding((steep, For(100.0)))) == [2], "down as well"


def test_a_moment_of_the_instruments_clock_ends_a_hold() -> None:
    assert course(1, 1, 1, 1)(Holding((ByClock(2.0),))) == [2, 3]


def test_what_is_near_nothing_settles_by_a_difference() -> None:
    by_share = Settled("voltage", 0.01, over_s=1.0)
    by_difference = Settled("voltage", 0.01, over_s=1.0, by=0.3)
    assert course(0.1, 0.0, 0.1)(Holding((by_share, For(100.0)))) == []
    assert course(0.1, 0.0, 0.1)(Holding((by_difference, For(100.0)))) == [1, 2]
