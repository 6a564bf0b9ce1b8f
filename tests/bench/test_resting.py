"""Rests between pulses: kept by the bench, whoever asks for the second, over any restart."""

import asyncio
from collections.abc import AsyncIterator

import pytest
import pytest_asyncio

from loricate.bench.bench import Bench
from loricate.bench.care import Care
from loricate.bench.errors import BenchError, TooSoon
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.roles import PULSE, ROLES
from loricate.simulator.instruments.pulse_source import PulseSource
from tests.rig import Rig, connected_rig, said, until

NEST = {"PE": 163, "CASE": 164, "POLE": 165, "P1": 166, "C1": 170}
PROGRAMME = {"level_v": 5000.0, "ramp_s": 4.0, "dwell_s": 0.2}
ARMED = Care(may_be_hazardous=True)
RESTS_S = ROLES[PULSE].rests_s


def unseen(sample: Sample) -> None:
    """Nobody watches."""


@pytest_asyncio.fixture
async def rig() -> AsyncIterator[Rig]:
    async with connected_rig() as made:
        await made.bench.connect_unit("PS1", {"high": ("C1",), "earthed": ("PE",)}, [NEST])
        yield made


def source(rig: Rig) -> PulseSource:
    made = rig.floor.instruments["PS1"]
    assert isinstance(made, PulseSource)
    return made


def stand_still(rig: Rig) -> None:
    """Let the stand-ins' clock go as slowly as ours: no rest is over by the way."""
    rig.floor.clock.pace = 1.0


async def pulse(bench: Bench, dwell_s: float = 0.2) -> float:
    """A pulse as any procedure may ask for one; gives what it was charged to."""
    programme = {**PROGRAMME, "dwell_s": dwell_s}
    output = await bench.outputs.energise("PS1", programme, [NEST], unseen, ARMED)
    return output.summary["voltage"]


async def test_the_second_pulse_is_refused_until_the_role_has_rested(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    assert await pulse(rig.bench) == pytest.approx(5000, rel=0.01)
    stand_still(rig)
    began = source(rig).clock.now()
    with pytest.raises(TooSoon, match=r"must rest .* more before its next output") as refused:
        await pulse(rig.bench)
    assert 0 < refused.value.left_s <= RESTS_S
    rig.floor.clock.pace = 20.0
    assert not source(rig).output_on and rig.bench.charged == {}
    shown: list[Sample] = []
    await rig.bench.outputs.rest("PS1", shown.append)
    # It stood still at some time of its rest already, on a machine that is held up.
    assert source(rig).clock.now() - began >= refused.value.left_s - 0.5
    assert {each.phase for each in shown} == {"resting"}
    left = [each.remaining_s for each in shown]
    assert left == sorted(left, reverse=True) and left[0] > RESTS_S / 2
    assert await pulse(rig.bench) == pytest.approx(5000, rel=0.01)


async def test_what_was_pulsed_before_this_process_began_is_not_known(rig: Rig) -> None:
    stand_still(rig)
    with pytest.raises(TooSoon):
        await pulse(rig.bench)


async def test_asking_too_soon_does_not_put_the_rest_off(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    await pulse(rig.bench)
    stand_still(rig)
    left = []
    for _ in range(3):
        with pytest.raises(TooSoon) as refused:
            await pulse(rig.bench)
        left.append(refused.value.left_s)
        await asyncio.sleep(0.05)
    assert left == sorted(left, reverse=True) and left[0] > left[-1]


async def test_an_instrument_switched_off_and_on_has_rested_no_longer(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    await pulse(rig.bench)
    await source(rig).power(False, "127.0.0.1")
    await source(rig).power(True, "127.0.0.1")
    rig.bench.instruments["PS1"].link.close()
    await rig.bench.connect()
    with pytest.raises(TooSoon) as refused:
        await pulse(rig.bench)
    assert refused.value.left_s > RESTS_S - 5


async def test_a_clock_that_runs_ahead_of_ours_makes_no_rest_shorter(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    await pulse(rig.bench)
    ours = source(rig).clock.now()
    said(rig, "PS1", lambda line, told: "1e6" if "CLOC" in line else told)
    await rig.bench.outputs.rest("PS1", unseen)
    assert source(rig).clock.now() - ours >= RESTS_S - 1


@pytest.mark.parametrize("when", ["charging", "pulsing"])
async def test_a_pulse_that_was_broken_off_counts_as_one(rig: Rig, when: str) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    pulsing = asyncio.create_task(pulse(rig.bench, dwell_s=10.0))  # time enough to be seen in
    phase = "RAMP" if when == "charging" else "DWELL"
    await until(lambda: source(rig).phase == phase)
    rig.bench.stop_now()
    with pytest.raises(BenchError):
        await pulsing
    stand_still(rig)
    with pytest.raises(TooSoon):
        await pulse(rig.bench)


async def test_no_relay_moves_while_its_capacitor_is_charged(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    closed = set(rig.floor.floor.closed)
    left: list[float] = []
    pulsing = asyncio.create_task(
        rig.bench.outputs.energise(
            "PS1",
            PROGRAMME,
            [NEST],
            lambda sample: left.append(sample.values.get("voltage", 0.0)),
            ARMED,
        )
    )
    await until(lambda: source(rig).stored_v > 2000)
    rig.bench.stop_now()
    with pytest.raises(BenchError):
        await pulsing
    assert rig.floor.floor.closed == closed
    assert source(rig).residual_v() < 60 and rig.bench.charged == {}


async def test_a_clock_that_is_no_number_takes_the_whole_rest_by_ours(rig: Rig) -> None:
    await rig.bench.outputs.rest("PS1", unseen)
    await pulse(rig.bench)
    said(rig, "PS1", lambda line, told: "9.91E37" if "CLOC" in line else told)
    stand_still(rig)
    rests = rig.bench.outputs._rests
    assert 0 < await rests.left_s(rig.bench.instruments["PS1"]) <= RESTS_S
