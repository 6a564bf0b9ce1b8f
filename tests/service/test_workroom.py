"""Work in processes of their own: bounded in time, memory and number; nothing of it is lost."""

import asyncio
import operator
import time
from collections.abc import AsyncIterator

import pytest

from loricate.core.errors import DocumentError, Finding
from loricate.core.kinds import find_kind
from loricate.service.problems import Busy, NotReady
from loricate.service.workroom import Workroom


@pytest.fixture
async def room() -> AsyncIterator[Workroom]:
    room = Workroom("test", within_s=2.0, most_waiting=2, most_bytes=1 * 2**30)
    yield room
    room.close()


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


async def test_what_takes_too_long_is_ended(room: Workroom) -> None:
    with pytest.raises(NotReady, match="steps: takes more than 2 s"):
        await room.do(time.sleep, 60, field="steps")
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
