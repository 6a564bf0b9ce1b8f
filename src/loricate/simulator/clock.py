"""The stand-ins' clock: real time times ``pace``."""

import asyncio
import time


class PacedClock:
    """A clock that runs ``pace`` times as fast as real time."""

    def __init__(self, pace: float = 1.0) -> None:
        self.pace = pace
        self._origin = time.monotonic()

    def now(self) -> float:
        """Seconds of stand-in time since the clock was made."""
        return (time.monotonic() - self._origin) * self.pace

    async def sleep(self, seconds: float) -> None:
        """Wait for ``seconds`` of stand-in time."""
        await asyncio.sleep(seconds / self.pace)
