"""The bench's side of a service, on a loop of its own: whoever serves HTTP asks through here.

Nothing of it may be touched from elsewhere. ``do`` and ``look`` are the one way in, as ``read`` and
``write`` are to the records.
"""

import asyncio
import logging
import time
from collections.abc import Awaitable, Callable
from functools import partial
from typing import TypeVar

from loricate.bench.bench import Bench
from loricate.bench.danger import Danger
from loricate.bench.plan import BenchPlan
from loricate.core.measuring.roles import DC_SOURCE, SURGE, TURNED_SOURCE
from loricate.core.sequences.capability import Instruments
from loricate.execution.own_loop import OwnLoop
from loricate.records.store import Store
from loricate.service.holding import BenchHolders
from loricate.service.recording import Issue
from loricate.service.rehearsing import Rehearsals
from loricate.service.running import Runs
from loricate.service.series_keeping import SeriesKeeper
from loricate.service.settings import Settings
from loricate.service.sign_in import may_still_run
from loricate.service.upkeep import Upkeeps

logger = logging.getLogger("loricate.service")
R = TypeVar("R")
STOPPING = "The service is stopping."
RECKONING = frozenset({SURGE, DC_SOURCE, TURNED_SOURCE})  # whose procedures reckon with arrays
SEEN_FRESH_S = 0.08  # what was looked at for one watcher serves the others


class BenchSide:
    """The bench and everything that acts on it."""

    def __init__(self, settings: Settings, store: Store, plan: BenchPlan, issue: Issue) -> None:
        self.bench = Bench(plan, settings.bench_file.parent)
        self.holders = BenchHolders(self.bench)
        self.upkeeps = Upkeeps(store, self.bench, self.holders)
        self.runs = Runs(settings, store, self.bench, issue, self.upkeeps, self.holders)
        signed_in = partial(may_still_run, settings.idle_minutes)
        self.series = SeriesKeeper(store, self.bench, self.holders, self.runs, signed_in)
        self.rehearsals = Rehearsals(store, self.bench, self.upkeeps, self.holders)

    async def open(self) -> None:
        """Reach the instruments, and make safe what a dead service may have left.

        Raises Claimed where another service has one of them: nothing of it is touched then.
        """
        if RECKONING & {each.role for each in self.bench.plan.instruments}:
            import numpy  # noqa: F401 - while an output is on it would hold up the beat
        await self.bench.connect()
        self.bench.claim(self.bench.plan.code)
        for danger in await self.bench.find_safe():
            logger.error("treat the fixture as charged", extra={"reason": danger})

    async def hang_up(self) -> None:
        """Leave a bench that somebody else has as it is."""
        self.bench.hang_up()

    def begin_stop(self) -> None:
        """Outputs fall at once, whatever of the stop takes longer."""
        self.series.drop()
        self.runs.stop()
        for act in (*self.upkeeps.acts.values(), *self.rehearsals.engines):
            act.abort(STOPPING)
        self.bench.stop_now()

    async def close(self) -> None:
        """Abort what runs, make safe, hang up."""
        await self.series.close()
        await self.runs.close()
        await self.upkeeps.close()
        await self.rehearsals.close()
        await self.bench.close()


class BenchAccess:
    """The way from the loop that serves HTTP to the bench's side."""

    def __init__(self, settings: Settings, store: Store, plan: BenchPlan) -> None:
        self._settings, self._store, self.plan = settings, store, plan
        self._loop = OwnLoop("bench")
        self._side: BenchSide | None = None
        self.capabilities: Instruments = {}
        self._seen: tuple[float, Danger] | None = None
        self._seeing = asyncio.Lock()

    async def open(self, issue: Issue) -> None:
        """Start the bench's loop; runs that end there have ``issue`` called here, soon."""
        here = asyncio.get_running_loop()

        def issue_here(run_id: str) -> None:
            here.call_soon_threadsafe(issue, run_id)

        self._loop.start()
        make = partial(BenchSide, self._settings, self._store, self.plan, issue_here)
        side = await self._loop.look(make)
        self.capabilities = side.bench.capabilities()  # of profiles, which do not change
        try:
            await self._loop.do(side.open)
        except BaseException:
            await self._loop.do(side.hang_up)
            raise
        self._side = side

    async def do(self, work: Callable[[BenchSide], Awaitable[R]]) -> R:
        """Do something at the bench; it is done to its end even if the caller has gone."""
        side = self._opened()
        return await self._loop.do(lambda: work(side))

    async def look(self, work: Callable[[BenchSide], R]) -> R:
        """See what is there at one moment; take nothing away that still changes."""
        side = self._opened()
        return await self._loop.look(lambda: work(side))

    async def danger(self) -> Danger:
        """How dangerous the fixture is at this moment."""
        return await self.look(lambda side: side.bench.danger)

    async def watched_danger(self) -> Danger:
        """The same for those who watch: at most ``SEEN_FRESH_S`` old, however many they are."""
        async with self._seeing:
            if self._seen is None or time.monotonic() - self._seen[0] > SEEN_FRESH_S:
                asked = time.monotonic()
                self._seen = (asked, await self.danger())
            return self._seen[1]

    def _opened(self) -> BenchSide:
        if self._side is None:
            raise RuntimeError("The bench's side is not open.")
        return self._side

    def begin_stop(self) -> None:
        """Have outputs fall now; from any thread."""
        if self._side is not None:
            self._loop.call(self._side.begin_stop)

    async def close(self) -> None:
        """Make the bench safe and end its loop."""
        if self._side is not None:
            await self.do(lambda side: side.close())
            self._side = None
        await self._loop.close()
