"""What goes on by itself on the bench ends whole, whenever it is called off."""

import asyncio

import pytest

from loricate.execution.background import Background
from tests.rig import PATIENCE_S, Rig


class Work(Background):
    """Work that would take an hour; it writes down what of it was done."""

    done: tuple[str, ...] = ()

    async def _run(self) -> None:
        try:
            self.done += ("begun",)
            await asyncio.sleep(3600)
        except asyncio.CancelledError:
            self.done += (self.abort_reason,)
        finally:
            await self._to_its_end(self._end())

    async def _end(self) -> None:
        await self.bench.make_safe()
        self._let_go()
        self.done += ("safe",)


@pytest.mark.parametrize("turns", range(4))
async def test_what_is_called_off_at_any_moment_still_comes_to_its_end(
    rig: Rig, turns: int
) -> None:
    """Before its first step as well: its end is what makes the bench safe, and is recorded."""
    work = Work(rig.bench)
    work.start()
    for _ in range(turns):
        await asyncio.sleep(0)
    work.abort("no more")
    work.abort("once more")
    async with asyncio.timeout(PATIENCE_S):
        await work.wait()
    assert work.done == ("begun", "no more", "safe")
    assert not rig.bench.armed_by and not work.has_bench
