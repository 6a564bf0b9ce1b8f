"""The stand-ins' clock: real time times ``pace``."""

import asyncio
import time


class PacedClock:
    """A clock that runs ``pace`` times as fast as real time; a new pace does not let it jump."""

    def __init__(self, pace: float = 1.0) -> None:
        self._pace, self._passed_s, self._since = pace, 0.0, time.monotonic()

    @property
    def pace(self) -> float:
        """How many times as fast as real time it runs."""
        return self._pace

    @pace.setter
    def pace(self, pace: float) -> None:
        self._passed_s, self._since = self.now(), time.monotonic()
        self._pace = pace

    def now(self) -> float:
        """Seconds of stand-in time since the clock was made."""
        return self._passed_s + (time.monotonic() - self._since) * self._pace

    async def sleep(self, seconds: float) -> None:
        """Wait for ``seconds`` of stand-in time."""
        await asyncio.sleep(seconds / self.pace)
