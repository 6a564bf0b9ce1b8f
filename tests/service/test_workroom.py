"""Work in processes of their own: bounded in time, memory and number; nothing of it is lost."""

import asyncio
import operator
import threading
import time
from collections.abc import AsyncIterator
from typing import Any

import pytest
from pebble import ProcessPool

from loricate.core.errors import DocumentError, Finding
from loricate.core.kinds import find_kind
from loricate.service.errors import Busy, NotReady
from loricate.service.workroom import Workroom
from tests.rig import PATIENCE_S


@pytest.fixture
async def room(within_s: float) -> AsyncIterator[Workroom]:
    room = Workroom("test", within_s=within_s, most_waiting=2, most_bytes=1 * 2**30)
    yield room
    room.close()


@pytest.fixture
def within_s() -> float:
    """How long a work may take; a worker that is new reads this module within it."""
    return PATIENCE_S


def refuse() -> None:
    """Something to be done that is refused."""
    raise DocumentError("document", (Finding("place", "is wrong."),))


class Odd(Exception):
    """An error that cannot be sent to another process."""

    def __init__(self, first: str, second: str) -> None:
        super().__init__(f"{first} {second}")


def go_wrong() -> None:
    """Something that goes wrong with an error that cannot be sent."""
    raise Odd("very", "odd")


async def test_work_is_done_and_what_it_raises_is_raised(room: Workroom) -> None:
    assert await room.do(operator.add, 2, 3) == 5
    with pytest.raises(DocumentError) as refused:
        await room.do(refuse)
    assert refused.value.findings == (Finding("place", "is wrong."),)


async def test_what_cannot_be_sent_back_is_told_and_holds_nobody_up(room: Workroom) -> None:
    with pytest.raises(RuntimeError, match="Odd: very odd"):
        await room.do(go_wrong)
    assert await room.do(operator.add, 2, 3) == 5


@pytest.mark.parametrize("within_s", [2.0])
async def test_what_takes_too_long_is_ended(room: Workroom) -> None:
    with pytest.raises(NotReady, match="steps: takes more than 2 s"):
        await room.do(time.sleep, PATIENCE_S, field="steps")
    assert await room.do(operator.add, 2, 3) == 5


async def test_what_takes_too_much_memory_is_ended(room: Workroom) -> None:
    with pytest.raises(NotReady, match="more memory"):
        await room.do(bytearray, 2 * 2**30)
    assert await room.do(operator.add, 2, 3) == 5


async def test_who_comes_when_too_many_wait_is_told_at_once(room: Workroom) -> None:
    going = [asyncio.ensure_future(room.do(time.sleep, 0.2)) for _ in range(3)]
    await asyncio.sleep(0)
    with pytest.raises(Busy):
        await room.do(operator.add, 2, 3)
    await asyncio.gather(*going)
    assert await room.do(operator.add, 2, 3) == 5


async def test_a_kind_goes_between_processes_by_its_name(room: Workroom) -> None:
    kind = find_kind("withstand")
    assert await room.do(find_kind, "withstand") is kind


@pytest.fixture
def held_back(monkeypatch: pytest.MonkeyPatch) -> threading.Event:
    """Workers come only once this is set; who waits for that on the loop never sets it."""
    let_go, schedule = threading.Event(), ProcessPool.schedule

    def slowly(self: ProcessPool, *given: Any, **more: Any) -> Any:
        if not let_go.wait(PATIENCE_S):
            raise AssertionError("the loop waits for the workers to come")
        return schedule(self, *given, **more)

    monkeypatch.setattr(ProcessPool, "schedule", slowly)
    return let_go


async def test_the_loop_goes_on_while_workers_come(
    room: Workroom, held_back: threading.Event
) -> None:
    asyncio.get_running_loop().call_later(0.05, held_back.set)
    both = await asyncio.gather(room.do(operator.add, 2, 3), room.do(operator.add, 4, 5))
    assert list(both) == [5, 9]


async def test_a_room_is_closed_while_its_workers_come(
    room: Workroom, held_back: threading.Event
) -> None:
    going = asyncio.create_task(room.do(time.sleep, 60))
    await asyncio.sleep(0.05)
    going.cancel()
    closing = asyncio.create_task(asyncio.to_thread(room.close))
    held_back.set()
    async with asyncio.timeout(PATIENCE_S):
        await closing
    with pytest.raises(asyncio.CancelledError):
        await going
    with pytest.raises(RuntimeError, match="not active"):
        await room.do(operator.add, 2, 3)
