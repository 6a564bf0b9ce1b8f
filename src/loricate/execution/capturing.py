"""Capturing a known-good unit: somebody plugs it in, and what is between its contacts is found."""

from collections.abc import Awaitable, Callable, Mapping, Sequence

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.core.capture.measuring import NotCaptured, capture
from loricate.core.capture.seen import SeenUnit, SeenWiring
from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.roles import WIRING
from loricate.execution.upkeep import Upkeep

KeepUnit = Callable[[SeenUnit], Awaitable[str]]


class Capturing(Upkeep):
    """Measures one unit in a nest, in each position of its switch, with nothing to go by."""

    kind = "capture"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nest: str,
        serial: str,
        positions: Sequence[str],
        zeroes: Mapping[str, Zero],
        keep: KeepUnit,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.serial, self.positions = nest, serial, positions
        self.zeroes, self.keep = zeroes, keep

    async def perform(self) -> tuple[str, ...]:
        wirings: list[SeenWiring] = []
        contacts = tuple(self.fixture.nests[self.nest])
        for number, position in enumerate(self.positions or ("",)):
            await self._have_done("turn" if number else "good_unit", self._request(position))
            where = f", position {position}" if position else ""
            self.log.publish("progress", text=f"Measuring {self.serial}{where}")
            columns = self.fixture.nests[self.nest]
            try:
                wiring = await self._measure(capture(contacts, position, self.zeroes), [columns])
                self._refuse_same(wiring, wirings)
            except NotCaptured as error:
                return (str(error),)
            finally:
                await self.bench.disconnect([self._using()[WIRING]])
            wirings.append(wiring)
        is_zeroed = set(contacts) <= set(self.zeroes)
        using = self._using()[WIRING]
        seen = SeenUnit(self.serial, contacts, tuple(wirings), using, is_zeroed)
        self.made = await self.keep(seen)
        return ()

    def _request(self, position: str) -> str:
        place = f"nest {self.nest} of {self.fixture.code}"
        if not position:
            return f"Put the known-good unit {self.serial} into {place}."
        if position == self.positions[0]:
            return (
                f"Put the known-good unit {self.serial} into {place}, its switch in position "
                f"{position}."
            )
        return f"Put the switch of {self.serial} into position {position}."

    @staticmethod
    def _refuse_same(wiring: SeenWiring, before: Sequence[SeenWiring]) -> None:
        """A switch that was not turned shows the wiring of another position."""
        for each in before:
            if each.sets == wiring.sets:
                raise NotCaptured(
                    f"Position {wiring.position} shows the same wiring as {each.position}: the "
                    "switch was not turned, or does not join anything. Capture again, or leave the "
                    "position out."
                )
