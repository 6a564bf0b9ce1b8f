"""The stand-ins' clock: real time times ``pace``."""

import asyncio
import math
import time

TICK_S, STALL_S = 0.02, 0.05


class PacedClock:
    """A clock that runs ``pace`` times as fast as real time; a new pace does not let it jump.

    One that is faster than real time does not outrun those who watch: while it ticks, a moment for
    which this process was held up counts for ``STALL_S`` at most. On a machine that stops for a
    second so do the instruments, rather than be on for half a minute unseen.
    """

    def __init__(self, pace: float = 1.0) -> None:
        self._pace, self._passed_s, self._looked = pace, 0.0, time.monotonic()
        self._most_s = math.inf  # that may pass between two looks

    @property
    def pace(self) -> float:
        """How many times as fast as real time it runs."""
        return self._pace

    @pace.setter
    def pace(self, pace: float) -> None:
        self.now()
        self._pace = pace

    def now(self) -> float:
        """Seconds of stand-in time since the clock was made."""
        looked = time.monotonic()
        since_s = looked - self._looked
        self._passed_s += (min(since_s, self._most_s) if self.pace > 1 else since_s) * self.pace
        self._looked = looked
        return self._passed_s

    async def tick(self) -> None:
        """Look at it often, until cancelled: then what it was not looked at for is a stall."""
        self._most_s = STALL_S
        try:
            while True:
                self.now()
                await asyncio.sleep(TICK_S)
        finally:
            self._most_s = math.inf

    async def sleep(self, seconds: float) -> None:
        """Wait for ``seconds`` of stand-in time."""
        until = self.now() + seconds
        while (left_s := until - self.now()) > 0:  # noqa: ASYNC110 - it tells nobody
            await asyncio.sleep(left_s / self.pace)
