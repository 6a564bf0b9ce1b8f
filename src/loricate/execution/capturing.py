"""Capturing a known-good unit: somebody plugs it in, and what is in it is found."""

from collections.abc import Awaitable, Callable, Mapping, Sequence

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.core.capture.cables import NotCaptured, capture
from loricate.core.capture.seen import SeenCable, SeenUnit, SeenWindings, SeenWiring
from loricate.core.capture.windings import capture_windings
from loricate.core.fixtures.mapping import name_of
from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.roles import IMPEDANCE, LOW_RESISTANCE, RATIO_METER, WIRING
from loricate.execution.upkeep import Upkeep

WINDING_ROLES = (WIRING, LOW_RESISTANCE, IMPEDANCE, RATIO_METER)
KeepUnit = Callable[[SeenUnit], Awaitable[str]]


class CapturingCable(Upkeep):
    """Measures one cable in a nest, in each position of its switch, with nothing to go by."""

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
        seen = SeenCable(self.serial, contacts, tuple(wirings), using, is_zeroed)
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


class CapturingWindings(Upkeep):
    """Finds the windings of one unit in a nest, and which channels beside it lead nowhere."""

    kind = "capture"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nest: str,
        serial: str,
        temperature_c: float | None,
        leads: Mapping[str, Zero],
        keep: KeepUnit,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.serial, self.temperature_c, self.keep = nest, serial, temperature_c, keep
        self.leads = leads

    async def perform(self) -> tuple[str, ...]:
        columns = self.fixture.nests[self.nest]
        place = f"nest {self.nest} of {self.fixture.code}"
        await self._have_done("good_unit", f"Put the known-good unit {self.serial} into {place}.")
        self.log.publish("progress", text=f"Looking for the windings of {self.serial}")
        beside = {name_of(each): each for each in self.bench.plan.free_beside(columns)}
        procedure = capture_windings(tuple(columns), tuple(beside))
        using = self._using()
        try:
            found = await self._measure(procedure, [{**beside, **columns}], self.leads)
        except NotCaptured as error:
            return (str(error),)
        finally:
            await self.bench.disconnect([using[role] for role in WINDING_ROLES])
        seen = SeenWindings(
            self.serial,
            tuple(columns),
            columns,
            tuple(beside[each] for each in found.skipped),
            found.windings,
            self.temperature_c,
            found.remarks,
            ", ".join(using[role] for role in WINDING_ROLES),
        )
        self.made = await self.keep(seen)
        return ()
