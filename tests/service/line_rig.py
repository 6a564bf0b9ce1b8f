"""Somebody at the line who plugs cables in and pulls them out."""

from collections.abc import Callable
from typing import Any

from tests.service.live_rig import Live

NEST = "FX-C/1"
CABLE = "REF-CABLE"


def ended(found: Any) -> list[Any]:
    """The units of a series whose runs are over."""
    return [each for each in found["units"] if each["state"] not in ("created", "running")]


class Line:
    """Somebody at the line who plugs cables in and pulls them out."""

    def __init__(self, live: Live) -> None:
        self.live, self.floor = live, live.floor.floor
        self.id = ""

    def plug(self, *faults: str, nest: str = NEST) -> None:
        """Plug a cable in."""
        self.floor.put_in(nest, CABLE, faults, "by hand")

    def pull(self, nest: str = NEST) -> None:
        """Pull it out."""
        self.floor.take_out(nest)

    async def begin(self, status: int | None = None, arm: bool = True, **more: Any) -> Any:
        """Begin a series and arm it."""
        body = {"sequence": CABLE, "fixture": "FX-C", "count_from": "RC-###", **more}
        made = await self.live.post("/series", body, status)
        if status is None:
            self.id = made["id"]
            if arm:
                made = await self.live.post(f"/series/{self.id}/arm")
        return made

    async def look(self) -> Any:
        """The series as it stands."""
        return await self.live.get(f"/series/{self.id}")

    async def until(self, holds: Callable[[Any], bool]) -> Any:
        """The series, once something holds of it."""

        async def seen() -> Any:
            found = await self.look()
            return found if holds(found) else None

        return await self.live.until(seen)

    async def plug_in(self, *faults: str) -> None:
        """Plug a cable in once that is asked for."""
        await self.until(lambda s: s["now"].startswith(("Plug", "Scan")))
        self.plug(*faults)

    async def test(self, *faults: str) -> Any:
        """Exchange the cable and wait for the verdict."""
        before = len(ended(await self.look()))
        self.pull()
        await self.plug_in(*faults)
        return await self.until(lambda s: len(ended(s)) > before and not s["run"])

    async def under_voltage(self) -> Any:
        """The series, with high voltage on its cable."""
        found = await self.until(lambda s: s["run"] != "")

        async def is_live() -> bool:
            return bool((await self.live.get("/bench/danger"))["state"] == "high_voltage")

        await self.live.until(is_live)
        return found


def slow(line: Line) -> None:
    """Let high voltage last long enough to do something meanwhile."""
    line.floor.clock.pace = 1.0
