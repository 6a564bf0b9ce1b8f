"""Measuring where the contacts of a nest are wired to: touched one by one, or by a known part."""

from collections.abc import Awaitable, Callable

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.core.fixtures.mapping import Mapped, NotMapped, map_by_part, map_by_probe, name_of
from loricate.core.measuring.roles import WIRING
from loricate.core.wiring.description import Wiring
from loricate.execution.touching import Probing

KeepMap = Callable[[Mapped], Awaitable[None]]


class Mapping(Probing):
    """Finds the column of each contact of a nest, and says how the bench file differs."""

    kind = "map"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nest: str,
        part: str,
        wiring: Wiring | None,
        keep: KeepMap,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.part, self.wiring, self.keep = nest, part, wiring, keep

    async def perform(self) -> tuple[str, ...]:
        try:
            mapped = await self._map()
        except NotMapped as error:
            return (str(error),)
        finally:
            await self.bench.disconnect([self._using()[WIRING]])
        await self.keep(mapped)
        return mapped.differences

    async def _map(self) -> Mapped:
        place = f"nest {self.nest} of {self.fixture.code}"
        file = self.fixture.nests[self.nest]
        if self.wiring is not None:
            await self._have_done("part", f"Put {self.part} into {place}, all of it plugged in.")
            self.log.publish("progress", text=f"Measuring what hangs together in {place}")
            return await self._measure(map_by_part(file, self.wiring), [file])
        await self._have_done("empty", f"Empty {place}, and take the probe.")
        self.log.publish("progress", text=f"The probe at {place}")
        columns = sorted(
            {
                column
                for fixture in self.bench.plan.fixtures
                for nest in fixture.nests.values()
                for column in nest.values()
            }
        )
        wires = {name_of(column): column for column in columns}
        return await self._probe(map_by_probe(file, columns), wires)
