"""Looking at trends by itself: what is seen in watched ones, and in daily checks, becomes items.

It looks after runs and checks, and every few minutes; in a reader's thread, in nobody's way.
"""

import asyncio
import contextlib
import datetime as dt
import logging
import sqlite3
from collections.abc import Awaitable, Sequence
from dataclasses import dataclass
from functools import partial
from urllib.parse import urlencode

from loricate.api.trends import TrendAsked
from loricate.core.measuring.readings import Measurand
from loricate.core.quantities import DIMENSIONS
from loricate.core.trends.flags import Flag, flags_of
from loricate.papers.wording import zone_of
from loricate.records import items
from loricate.records.items import Watch
from loricate.records.store import Store
from loricate.service.errors import ServiceError
from loricate.service.places import Places
from loricate.service.trending import box_trends, read_trend

LOOK_S, SETTLE_S = 300.0, 2.0
CHECKS = 400
logger = logging.getLogger("loricate.service")


@dataclass(frozen=True, slots=True)
class Seen:
    """What was seen in one trend, of whom it is, and where in the console it is looked at."""

    about: str
    flags: Sequence[Flag]
    address: str
    owner: str


class Watcher:
    """Begun and closed by the desk; ``wake`` has it look soon."""

    def __init__(self, store: Store, places: Places, zone: str, fixtures: Sequence[str]) -> None:
        self._store, self._places = store, places
        self._zone, self._fixtures = zone, fixtures
        self._wanted = asyncio.Event()
        self._going: asyncio.Task[None] | None = None

    def open(self) -> None:
        """Begin to look."""
        self._going = asyncio.create_task(self._look_on())

    def wake(self) -> None:
        """Something new was tested."""
        self._wanted.set()

    async def close(self) -> None:
        """Look no longer."""
        if self._going is not None:
            self._going.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._going

    async def _look_on(self) -> None:
        while True:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(LOOK_S):
                    await self._wanted.wait()
            await asyncio.sleep(SETTLE_S)  # the last of a load is kept by then
            self._wanted.clear()
            try:
                await self.look()
            except Exception:
                logger.exception("trends not looked at; looked at again soon")

    async def look(self, name: str = "") -> list[str]:
        """Look at every watched trend and every check, or at one watch; gives new items' ids."""
        at = dt.datetime.now(dt.UTC)
        watches = await self._store.read(items.list_watches)
        made = list[str]()
        for watch in watches:
            if not name or watch.name.casefold() == name.casefold():
                made += await self._raised(watch.name, self._watched(watch, at))
        for fixture in () if name else self._fixtures:
            checks = self._store.read(partial(_checked, fixture))
            made += await self._raised(f"checks of {fixture}", checks)
        return made

    async def _raised(self, trend: str, looking: Awaitable[Sequence[Seen]]) -> list[str]:
        """The items of what is seen; a look that goes wrong keeps no other from being done."""
        try:
            found = await looking
        except Exception:
            logger.exception("a trend was not looked at", extra={"trend": trend})
            return []
        return [item for seen in found for item in await self._raise(seen)]

    async def _raise(self, seen: Seen) -> list[str]:
        if not seen.flags:
            return []
        return await self._store.write(
            lambda conn: items.raise_flags(conn, seen.about, seen.flags, seen.address, seen.owner)
        )

    async def _watched(self, watch: Watch, at: dt.datetime) -> Sequence[Seen]:
        try:
            asked = TrendAsked.model_validate(watch.asked)
            span = asked.search.span(zone_of(self._zone), at)
            trend, found = await read_trend(self._places, asked, span)
        except (ServiceError, ValueError) as error:
            told = {"watch": watch.name, "reason": str(error)}
            logger.warning("a watched trend cannot be looked at", extra=told)
            return ()
        flags = flags_of(trend, DIMENSIONS[found.dimension or "number"], asked.by)
        return (Seen(watch.name, flags, address_of(asked), watch.owner),)


def address_of(asked: TrendAsked) -> str:
    """Where in the console a trend is seen."""
    told = asked.model_dump(mode="json", exclude_defaults=True)
    told.pop("count", None)
    return f"/trends?{urlencode(told, doseq=True)}"


def _checked(fixture: str, conn: sqlite3.Connection) -> list[Seen]:
    """What is seen in what a fixture's checks have read of their boxes, where a limit is on it.

    What nothing limits, such as the time that an output took, is charted and no item.
    """
    found = []
    for each in box_trends(conn, fixture, CHECKS):
        if each.trend.minimum is None and each.trend.maximum is None:
            continue
        of, last = each.of, each.readings[-1]
        about = (
            f"{of.instrument} on the {of.box} box {of.serial} of {fixture}, {last.title}:"
            f" {Measurand(of.quantity, of.point)}"
        )
        key = "|".join((of.box, of.serial, of.step, of.quantity, of.point, of.instrument))
        query = {"view": "boxes", "of": fixture, "reading": key, "chart": "individuals"}
        flags = flags_of(each.trend, DIMENSIONS[each.dimension])
        owner = last.observed.group("operator")
        found.append(Seen(about, flags, f"/trends?{urlencode(query)}", owner))
    return found
