"""The driver of runs: a procedure's actions go to the bench, its questions to the operator."""

import asyncio
import datetime as dt
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable, Mapping, Sequence
from contextlib import AbstractAsyncContextManager, asynccontextmanager
from dataclasses import dataclass, replace

from loricate.bench.bench import Bench
from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.outputs import AT_LEVEL
from loricate.bench.switching import Nest
from loricate.core.errors import ProcedureError
from loricate.core.fixtures.zeroes import Zero, is_young, lead_ohms
from loricate.core.measuring.actions import (
    Acquire,
    Answer,
    Ask,
    At,
    Connect,
    Energise,
    Enter,
    FixtureZero,
    Form,
    Held,
    Hold,
    Join,
    Keep,
    KeepZero,
    LeadOhms,
    LeadZero,
    Level,
    Off,
    Output,
    Recall,
    Rest,
    Scan,
    Scanned,
    Source,
    Switch,
    Tell,
    Waveform,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.driving import Driver
from loricate.core.measuring.holding import Holding, Until, asks_hands_in
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.measuring.roles import Role
from loricate.core.wiring.description import Wiring

PathZeroes = Mapping[ImpedancePath, ImpedanceZero]
Asking = Callable[[Ask | Enter | Form], Awaitable[Answer]]
Cables = tuple[tuple[str, Wiring], ...]
Reaching = Callable[[], AbstractAsyncContextManager[None]]
Recalling = Callable[[str, Measurand], Reading | None]
Zeroing = Callable[[KeepZero], Awaitable[None]]
Keeping = Callable[[Keep, str], Awaitable[None]]  # with the point that it is of


def _unshown(action: At) -> None:
    """Points that nobody watches."""


def _unheard(action: Tell) -> None:
    """What nobody is told."""


def _unwaited(text: str) -> None:
    """What is waited for, where nobody watches."""


async def _nobody_asked(action: Ask | Enter | Form) -> Answer:
    raise ProcedureError(f"There is nobody here to be asked {action!r} under an output.")


def _nobody_reaches() -> AbstractAsyncContextManager[None]:
    raise ProcedureError("There is nobody here to touch a unit under an output.")


async def _zeroed_for_nobody(action: KeepZero) -> None:
    """A zero that nobody takes off afterwards."""


async def _kept_nowhere(action: Keep, point: str) -> None:
    """What nobody keeps."""


def no_temperature() -> Reading | None:
    """No earlier step has said what temperature the unit has."""
    return None


def nothing_recalled(step: str, measurand: Measurand) -> None:
    """No earlier step has read anything."""


@dataclass(slots=True)
class _Standing:
    """Shows samples of a level with how long it is still meant to stand, where that is known."""

    lasts_s: float
    show: Callable[[Sample], None]
    since_s: float | None = None
    is_by_hold: bool = False

    def hold(self, holding: Holding) -> None:
        """Stand as long as a hold lasts, from its first sample on, where nothing else is known."""
        if self.is_by_hold or not self.lasts_s:
            self.lasts_s, self.since_s, self.is_by_hold = holding.longest_s, None, True

    def __call__(self, sample: Sample) -> None:
        if self.is_by_hold and self.since_s is None:
            self.since_s = sample.elapsed_s
        if self.lasts_s and self.since_s is not None and sample.phase == AT_LEVEL:
            left_s = self.lasts_s - (sample.elapsed_s - self.since_s)
            sample = replace(sample, remaining_s=max(0.0, left_s))
        self.show(sample)


class BenchDriver(Driver):
    """Performs procedures on the unit in a nest, or on those of several nests in parallel.

    ``using`` names the instrument of each role. ``zeroes`` of paths, and of ``leads`` by contact,
    are those of the nest that are young enough; ``lead_in_s`` is waited once when the unit is
    connected, and again after a question, for which it is let go. ``meanwhile`` puts a question
    while an output stays on, and lets nothing go for it; ``reach`` is entered while somebody
    touches the unit meanwhile. Actions raise BenchError as the bench does.
    """

    def __init__(
        self,
        bench: Bench,
        using: Mapping[Role, str],
        nests: Sequence[Nest],
        ask: Asking,
        on_sample: Callable[[Sample], None],
        zeroes: PathZeroes,
        lead_in_s: float = 0.0,
        care: Care = USUAL_CARE,
        meanwhile: Asking = _nobody_asked,
        on_point: Callable[[At], None] = _unshown,
        recall: Recalling = nothing_recalled,
        reach: Reaching = _nobody_reaches,
        on_tell: Callable[[Tell], None] = _unheard,
        cables: Cables = (),
        temperature: Callable[[], Reading | None] = no_temperature,
        keep: Keeping = _kept_nowhere,
        on_hold: Callable[[str], None] = _unwaited,
        leads: Mapping[str, Zero] = {},
        keep_zero: Zeroing = _zeroed_for_nobody,
    ) -> None:
        super().__init__()
        self.bench, self.using, self.nests, self.care = bench, using, nests, care
        self.zeroes, self.leads, self.lead_in_s = zeroes, leads, lead_in_s
        self._ask, self._on_sample, self._on_point, self._recall = (
            ask,
            on_sample,
            on_point,
            recall,
        )
        self._meanwhile, self._reach, self._on_tell = meanwhile, reach, on_tell
        self._cables, self._temperature, self._keep = cables, temperature, keep
        self._on_hold, self._keep_zero = on_hold, keep_zero
        self._left_in_s = lead_in_s
        self._stands: dict[Role, _Standing] = {}

    async def ask(self, action: Ask) -> Answer:
        return await self._asked(action)

    async def enter(self, action: Enter) -> Answer:
        return await self._asked(action)

    async def _asked(self, action: Ask | Enter | Form) -> Answer:
        answer = await self._ask(action)
        self._left_in_s = self.lead_in_s  # what was connected has been let go
        return answer

    async def wait(self, seconds: float) -> None:
        await asyncio.sleep(seconds)

    def come_to(self, action: At) -> None:
        self._on_point(action)

    def other_cables(self) -> Cables:
        return self._cables

    def tell(self, action: Tell) -> None:
        self._on_tell(action)

    def recall(self, action: Recall) -> Reading | None:
        return self._recall(action.step, action.measurand)

    def unit_temperature(self) -> Reading | None:
        return self._temperature()

    async def keep(self, action: Keep) -> None:
        await self._keep(action, self.point)

    def lead_zero(self, action: LeadZero) -> LeadOhms | None:
        at = dt.datetime.now(dt.UTC)
        young = {
            contact: zero
            for contact, zero in self.leads.items()
            if action.within_s is None or is_young(zero.measured_at, action.within_s, at)
        }
        return lead_ohms(action.contacts, young)

    async def keep_zero(self, action: KeepZero) -> None:
        await self._keep_zero(action)

    def fixture_zero(self, action: FixtureZero) -> ImpedanceZero | None:
        return self.zeroes.get(action.path)

    async def connect(self, action: Connect) -> None:
        await self.bench.connect_unit(self.using[action.role], action.points, self.nests)
        if self._left_in_s:
            await asyncio.sleep(self._left_in_s)
            self._left_in_s = 0.0

    async def fill_in(self, action: Form) -> Answer:
        return await self._asked(action)

    async def switch(self, action: Switch) -> None:
        name = self.using[action.role]
        await self.bench.switch_unit(name, action.add, action.remove, self.nests)

    async def join(self, action: Join) -> None:
        await self.bench.join(action)

    async def energise(self, action: Energise) -> Output:
        name = self.using[action.role]
        return await self.bench.outputs.energise(
            name, action.programme, self.nests, self._on_sample, self.care
        )

    async def source(self, action: Source) -> Level:
        name = self.using[action.role]
        stands = self._stands[action.role] = _Standing(action.lasts_s, self._on_sample)
        level = await self.bench.outputs.source(
            name, action.programme, self.nests, stands, self.care
        )
        if level.look is not None and stands.lasts_s:
            stands.since_s = level.look.sample.elapsed_s
        return level

    async def hold(self, action: Hold, holding: Holding) -> Held:
        name = self.using[action.role]
        question = holding.question
        self._on_hold(holding.text)
        self._stands[action.role].hold(holding)
        if question is None:
            return await self.bench.outputs.hold(name, holding)
        ask: Ask | Form = Ask(
            question.question, question.choices, hands_in=question.hands_in, touch=question.touch
        )
        if question.entries:
            ask = Form(question.question, question.entries)
        asked = asyncio.ensure_future(self._meanwhile(ask))
        try:
            held = await self.bench.outputs.hold(name, holding, asked.done)
            return replace(held, answer=asked.result()) if asked.done() else held
        finally:
            asked.cancel()

    @asynccontextmanager
    async def reaching(self, until: Iterable[Until]) -> AsyncIterator[None]:
        if not any(map(asks_hands_in, until)):
            yield
            return
        async with self._reach():
            yield

    async def off(self, action: Off) -> Output:
        return await self.bench.outputs.off(self.using[action.role])

    async def drop(self, role: Role) -> None:
        await self.bench.outputs.drop(self.using[role])

    async def rest(self, action: Rest) -> None:
        await self.bench.outputs.rest(self.using[action.role], self._on_sample)

    async def acquire(self, action: Acquire) -> Waveform:
        return await self.bench.acquire(self.using[action.role], action.name)

    async def scan(self, action: Scan) -> Scanned:
        if len(self.nests) != 1:
            raise ProcedureError("The paths of one unit are scanned at a time.")
        if self._left_in_s:
            await asyncio.sleep(self._left_in_s)
            self._left_in_s = 0.0
        name = self.using[action.role]
        return await self.bench.scanning.scan(name, action, self.nests[0], self._on_sample)
