"""Who holds the bench: a run, an act of upkeep, a rehearsal; one at a time."""

import asyncio
from collections.abc import Callable

from loricate.bench.bench import Bench
from loricate.service.errors import WrongState


class BenchHolders:
    """Everything that may hold the bench; each says in words what it does with it, or nothing.

    Whoever takes the bench does so within ``starting``, from asking whether it is free to having
    it, so that no two can.
    """

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.starting = asyncio.Lock()
        self._asked: list[Callable[[], str]] = []

    def add(self, holding: Callable[[], str]) -> None:
        """Add somebody who may hold the bench."""
        self._asked.append(holding)

    @property
    def busy_with(self) -> str:
        """What the bench is busy with; empty when it is free."""
        return self.busy_but("")

    def busy_but(self, own: str) -> str:
        """What the bench is busy with, but for what the asker does with it itself."""
        return next((words for ask in self._asked if (words := ask()) and words != own), "")

    def refuse_if_busy(self, own: str = "") -> None:
        """Raise WrongState while somebody has the bench, or nobody may touch what is in it.

        ``own`` is what the asker has the bench for already, in words.
        """
        for why in self.bench.charged.values():
            raise WrongState(why)
        if words := self.busy_but(own):
            raise WrongState(f"The bench is busy with {words}; wait for its end.")

    async def look(self, own: str = "") -> None:
        """Ask every instrument who it is, unless somebody is measuring with them."""
        if not self.busy_but(own):
            await self.bench.look()
            self.bench.claim(self.bench.plan.code)
