"""Measuring where the contacts of a nest are wired to: touched one by one, or by a known part."""

from collections.abc import Awaitable, Callable, Sequence

from loricate.bench.bench import Bench
from loricate.bench.plan import FixturePlan
from loricate.core.capture.cables import NotCaptured
from loricate.core.fixtures.mapping import Mapped, NotMapped, map_by_part, map_by_probe, name_of
from loricate.core.fixtures.mapping_windings import map_by_windings, skipped
from loricate.core.measuring.roles import LOW_RESISTANCE, WIRING, Role
from loricate.core.products.families.winding import NamedWinding
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
        known: Wiring | Sequence[NamedWinding] | None,
        keep: KeepMap,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.part, self.known, self.keep = nest, part, known, keep

    @property
    def roles(self) -> tuple[Role, ...]:
        """What it measures with."""
        is_by_windings = not (self.known is None or isinstance(self.known, Wiring))
        return (WIRING, LOW_RESISTANCE) if is_by_windings else (WIRING,)

    async def perform(self) -> tuple[str, ...]:
        try:
            mapped = await self._map()
        except (NotMapped, NotCaptured) as error:
            return (str(error),)
        finally:
            using = self._using()
            await self.bench.disconnect([using[role] for role in self.roles])
        await self.keep(mapped)
        return mapped.differences

    async def _map(self) -> Mapped:
        place = f"nest {self.nest} of {self.fixture.code}"
        file = self.fixture.nests[self.nest]
        if self.known is not None:
            await self._have_done("part", f"Put {self.part} into {place}, all of it plugged in.")
            self.log.publish("progress", text=f"Measuring what hangs together in {place}")
        if isinstance(self.known, Wiring):
            return await self._measure(map_by_part(file, self.known), [file])
        if self.known is not None:
            beside = self.bench.plan.free_beside(file)
            channels = {name_of(each): each for each in (*beside, *file.values())}
            mapped = await self._measure(map_by_windings(file, beside, self.known), [channels])
            for each in skipped(mapped, beside):
                self.log.publish("progress", text=f"Nothing is at {name_of(each)}: it is skipped.")
            return mapped
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
