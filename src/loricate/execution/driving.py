"""The driver of runs: a procedure's actions go to the bench, its questions to the operator."""

import asyncio
from collections.abc import Awaitable, Callable, Mapping, Sequence

from loricate.bench.bench import Bench
from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.switching import Nest
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    At,
    Connect,
    Energise,
    Enter,
    FixtureZero,
    Join,
    Output,
    Recall,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.driving import Driver
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.measuring.roles import Role

PathZeroes = Mapping[ImpedancePath, ImpedanceZero]
Asking = Callable[[Ask | Enter], Awaitable[Answer]]
Recalling = Callable[[str, Measurand], Reading | None]


def _unshown(action: At) -> None:
    """Points that nobody watches."""


def nothing_recalled(step: str, measurand: Measurand) -> None:
    """No earlier step has read anything."""


class BenchDriver(Driver):
    """Performs procedures on the unit in a nest, or on those of several nests in parallel.

    ``using`` names the instrument of each role. ``zeroes`` are those of the nest that are young
    enough; ``settle_s`` is waited once when the unit is connected, and again after a question, for
    which it is let go. Actions raise BenchError as the bench does.
    """

    def __init__(
        self,
        bench: Bench,
        using: Mapping[Role, str],
        nests: Sequence[Nest],
        ask: Asking,
        on_sample: Callable[[Sample], None],
        zeroes: PathZeroes,
        settle_s: float = 0.0,
        care: Care = USUAL_CARE,
        on_point: Callable[[At], None] = _unshown,
        recall: Recalling = nothing_recalled,
    ) -> None:
        super().__init__()
        self.bench, self.using, self.nests, self.care = bench, using, nests, care
        self.zeroes, self.settle_s = zeroes, settle_s
        self._ask, self._on_sample, self._on_point, self._recall = (
            ask, on_sample, on_point, recall,
        )  # fmt: skip
        self._left_to_settle_s = settle_s

    async def ask(self, action: Ask) -> Answer:
        return await self._asked(action)

    async def enter(self, action: Enter) -> Answer:
        return await self._asked(action)

    async def _asked(self, action: Ask | Enter) -> Answer:
        answer = await self._ask(action)
        self._left_to_settle_s = self.settle_s  # what was connected has been let go
        return answer

    async def wait(self, seconds: float) -> None:
        await asyncio.sleep(seconds)

    def come_to(self, action: At) -> None:
        self._on_point(action)

    def recall(self, action: Recall) -> Reading | None:
        return self._recall(action.step, action.measurand)

    def fixture_zero(self, action: FixtureZero) -> ImpedanceZero | None:
        return self.zeroes.get(action.path)

    async def connect(self, action: Connect) -> None:
        await self.bench.connect_unit(self.using[action.role], action.points, self.nests)
        if self._left_to_settle_s:
            await asyncio.sleep(self._left_to_settle_s)
            self._left_to_settle_s = 0.0

    async def join(self, action: Join) -> None:
        await self.bench.join(action)

    async def energise(self, action: Energise) -> Output:
        name = self.using[action.role]
        return await self.bench.energise(
            name, action.programme, self.nests, self._on_sample, self.care
        )
