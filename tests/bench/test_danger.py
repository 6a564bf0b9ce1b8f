"""Hands and outputs kept apart, and the danger that the bench tells of itself."""

import asyncio
import math
import time
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from loricate.bench.danger import SILENT_S, Danger, DangerState, LiveOutput, danger_of
from loricate.bench.reach import Reach
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.hazards import Hazard
from loricate.core.measuring.roles import WITHSTAND
from tests.rig import PATIENCE_S


@given(st.lists(st.tuples(st.booleans(), st.integers(0, 3), st.integers(0, 3)), max_size=12))
def test_hands_and_hazardous_outputs_are_never_in_at_once(
    plan: list[tuple[bool, int, int]],
) -> None:
    """In whatever order they come and however long they stay; and each comes to its turn."""
    reach = Reach()
    now = {"hands": 0, "outputs": 0}
    done: list[bool] = []

    async def one(is_hands: bool, wait: int, stay: int) -> None:
        name = "hands" if is_hands else "outputs"
        for _ in range(wait):
            await asyncio.sleep(0)
        async with reach.hands("1") if is_hands else reach.output():
            now[name] += 1
            for _ in range(stay):
                assert not (now["hands"] and now["outputs"])
                await asyncio.sleep(0)
            now[name] -= 1
        done.append(True)

    async def all_of_them() -> None:
        async with asyncio.timeout(PATIENCE_S):
            await asyncio.gather(*(one(*each) for each in plan))

    asyncio.run(all_of_them())
    assert len(done) == len(plan) and reach.inside == ()


async def test_whoever_stops_waiting_keeps_nobody_out() -> None:
    reach = Reach()
    async with reach.output():
        waiting = asyncio.create_task(_enter(reach))
        await asyncio.sleep(0)
        waiting.cancel()
        await asyncio.gather(waiting, return_exceptions=True)
    async with asyncio.timeout(PATIENCE_S), reach.output():
        assert reach.inside == ()


async def _enter(reach: Reach) -> None:
    async with reach.hands("1"):
        pass


LIVE = LiveOutput(("1",), Hazard(1000.0))


def test_the_gravest_danger_is_told() -> None:
    fresh = LiveOutput(("2",), Hazard(500.0, is_dc=True))
    fresh.see(Sample(0.1, 1.0, "dwell", {"voltage": 480.0}))
    found = danger_of({WITHSTAND: fresh}, {}, ("1",), is_armed=True)
    assert (found.state, found.nests, found.volts) == (DangerState.HIGH_VOLTAGE, ("2",), 480.0)
    fresh.is_discharging = True
    assert danger_of({WITHSTAND: fresh}, {}, (), True).state is DangerState.DISCHARGING
    assert danger_of({}, {}, ("1",), True).state is DangerState.HANDS_IN
    assert danger_of({}, {}, (), True).state is DangerState.ARMED
    assert danger_of({}, {}, (), False).state is DangerState.SAFE
    charged = danger_of({}, {"HV1": "Treat it as charged."}, ("1",), False)
    assert (charged.state, charged.reasons) == (DangerState.UNKNOWN, ("Treat it as charged.",))


def test_a_silent_output_is_unknown() -> None:
    silent = LiveOutput(("1",), Hazard(1000.0), seen_at=time.monotonic() - SILENT_S - 0.1)
    found = danger_of({WITHSTAND: silent}, {}, (), False)
    assert found.state is DangerState.UNKNOWN and "silent" in found.reasons[0]


def test_a_meters_last_digits_are_no_other_danger_and_everything_else_is() -> None:
    seen = Danger(DangerState.HIGH_VOLTAGE, ("FX-M/1",), 503.2, wait_s=61.3)
    assert replace(seen, volts=497.9, wait_s=61.9).in_short == seen.in_short
    for other in (
        replace(seen, volts=540.0),
        replace(seen, volts=None),
        replace(seen, wait_s=62.1),
        replace(seen, nests=()),
        replace(seen, must_earth=True),
        replace(seen, reasons=("HV1 does not answer.",)),
        replace(seen, state=DangerState.UNKNOWN),
    ):
        assert other.in_short != seen.in_short
    least = replace(seen, volts=0.04, wait_s=0.2).in_short
    for nonsense in (math.nan, math.inf, -math.inf, 9.91e37):
        told = replace(seen, volts=nonsense, wait_s=nonsense).in_short
        assert told.state is seen.state and told != seen.in_short
    assert least.volts == 0.04 and least.wait_s == 1, "nothing is rounded away to safety"
