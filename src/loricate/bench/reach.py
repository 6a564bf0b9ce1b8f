"""Hands in: while somebody reaches into the fixture, no hazardous output starts on any nest."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager


class Reach:
    """Keeps hands and hazardous outputs apart: who comes waits for the other to be gone.

    Whoever wants in has precedence over outputs that have not started, so that nobody waits for
    ever. Hands are counted by name, which is said where they are shown.
    """

    def __init__(self) -> None:
        self._inside: dict[str, int] = {}
        self._wanting = 0
        self._outputs = 0
        self._changed = asyncio.Condition()

    @property
    def inside(self) -> tuple[str, ...]:
        """Where somebody may have their hands, or has asked to put them in."""
        return tuple(self._inside)

    @asynccontextmanager
    async def hands(self, place: str) -> AsyncIterator[None]:
        """Hands are in at a place while this is entered; waits for every hazardous output to end.

        Whoever leaves it must have made sure that they are out and the guard is closed.
        """
        self._wanting += 1
        try:
            async with self._changed:
                await self._changed.wait_for(lambda: not self._outputs)
                self._inside[place] = self._inside.get(place, 0) + 1
        finally:
            self._wanting -= 1
        try:
            yield
        finally:
            self._inside[place] -= 1
            if not self._inside[place]:
                del self._inside[place]
            await self._tell()

    @asynccontextmanager
    async def output(self) -> AsyncIterator[None]:
        """A hazardous output is on while this is entered; waits until nobody is inside."""
        async with self._changed:
            await self._changed.wait_for(lambda: not self._inside and not self._wanting)
            self._outputs += 1
        try:
            yield
        finally:
            self._outputs -= 1
            await self._tell()

    async def _tell(self) -> None:
        async with self._changed:
            self._changed.notify_all()
