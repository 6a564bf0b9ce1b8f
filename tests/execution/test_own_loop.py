"""The bench's own loop: nothing that goes on elsewhere holds it up, and what it does is done."""

import asyncio
import threading
import time
from collections.abc import AsyncIterator

import pytest

from loricate.execution.events import EventLog
from loricate.execution.own_loop import OwnLoop
from tests.rig import until


@pytest.fixture
async def own() -> AsyncIterator[OwnLoop]:
    loop = OwnLoop("test")
    loop.start()
    yield loop
    await loop.close()


async def test_work_is_done_in_its_thread_and_comes_back(own: OwnLoop) -> None:
    async def work() -> str:
        await asyncio.sleep(0)
        return threading.current_thread().name

    assert await own.do(work) == "test"
    assert await own.look(lambda: threading.current_thread().name) == "test"


async def test_what_goes_wrong_there_is_raised_here(own: OwnLoop) -> None:
    async def work() -> None:
        raise LookupError("not there")

    with pytest.raises(LookupError, match="not there"):
        await own.do(work)


async def test_a_loop_that_is_blocked_does_not_hold_it_up(own: OwnLoop) -> None:
    """The loop that serves HTTP does something long: the other beats on."""
    beats: list[float] = []

    async def beat() -> None:
        while len(beats) < 40:
            beats.append(time.monotonic())
            await asyncio.sleep(0.01)

    beating = asyncio.ensure_future(own.do(beat))
    await until(lambda: bool(beats))
    blocked_until = time.monotonic() + 30.0
    while len(beats) < 20 and time.monotonic() < blocked_until:
        time.sleep(0.01)  # noqa: ASYNC251 - that is what is tried
    assert len(beats) >= 20
    await beating


async def test_who_goes_away_ends_nothing(own: OwnLoop) -> None:
    begun, gone, done = threading.Event(), threading.Event(), threading.Event()

    async def work() -> None:
        begun.set()
        await asyncio.to_thread(gone.wait, 2.0)
        done.set()

    asking = asyncio.ensure_future(own.do(work))
    await until(begun.is_set)
    asking.cancel()
    with pytest.raises(asyncio.CancelledError):
        await asking
    gone.set()
    assert await asyncio.to_thread(done.wait, 2.0)


async def test_events_published_there_are_followed_here(own: OwnLoop) -> None:
    log = EventLog()

    async def publish() -> None:
        for number in range(50):
            log.publish("n", n=number)
            await asyncio.sleep(0.001)
        log.close()

    publishing = asyncio.ensure_future(own.do(publish))
    seen = [event.data["n"] async for event in log.follow()]
    await publishing
    assert seen == list(range(50))
