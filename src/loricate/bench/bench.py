"""The bench: every instrument, the matrix and the guard, performing a procedure's actions."""

import asyncio
import contextlib
import datetime as dt
import math
import time
from collections import deque
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from loricate.bench.claims import Claim, Claimed, instrument_lock
from loricate.bench.danger import Danger, danger_of
from loricate.bench.errors import BenchError, InstrumentFault
from loricate.bench.instrument import OVERRUN_S, Instrument, Who
from loricate.bench.links import TIMEOUT_S, make_link
from loricate.bench.outputs import Outputs
from loricate.bench.plan import BenchPlan, InstrumentPlan, LinkedPart
from loricate.bench.profiles import Profile, read_profile
from loricate.bench.reach import Reach
from loricate.bench.scanning import Scanning
from loricate.bench.switching import Nest, Switching
from loricate.core.kinds.kind import Demand
from loricate.core.measuring.actions import Join, Waveform
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.measuring.scpi_values import read_value
from loricate.core.planning.scheduling import Alternative, Need
from loricate.core.sequences.capability import can_do

BEAT_S = 0.05
COLDEST_C, HOTTEST_C = -40.0, 70.0  # of the air where people test units
GAPS_OVER_S = 60.0  # for how long the gaps between beats are known
LEVELS = {"0": False, "1": True}  # of an input


@dataclass(frozen=True, slots=True)
class Patience:
    """How long (s) an answer is waited for, and an output past the end of its programme."""

    link_s: float = TIMEOUT_S
    overrun_s: float = OVERRUN_S


USUAL_PATIENCE = Patience()


@dataclass(frozen=True, slots=True)
class InstrumentState:
    """What is known of one instrument: who answers, and what is wrong, if anything.

    ``unseen`` is what it cannot say of itself: nobody knows whether it is so.
    """

    id: str
    role: str
    title: str
    address: str
    serial: str
    identity: str
    problem: str
    calibrated: dt.date | None
    due: dt.date | None
    certificate: str
    unseen: tuple[str, ...] = ()


class Bench:
    """Owns every link. Procedures may act at the same time if they share no resource."""

    def __init__(
        self, plan: BenchPlan, folder: Path | None = None, patience: Patience = USUAL_PATIENCE
    ) -> None:
        self.plan = plan

        def make(part: LinkedPart) -> Instrument:
            link = make_link(part.id, part.address, patience.link_s)
            spelled = read_profile(part.profile, folder)
            who = Who(part.maker, part.model, part.serial)
            return Instrument(part.id, link, spelled, plan.pace, patience.overrun_s, who)

        self.instruments = {each.id: make(each) for each in plan.instruments}
        self.matrix, self.guard = make(plan.matrix), make(plan.guard)
        self.inputs = None if plan.inputs is None else make(plan.inputs)
        self.climate = None if plan.climate is None else make(plan.climate)
        self.problems: dict[str, str] = {}
        self._held_elsewhere: dict[str, Claimed] = {}
        self._claims: dict[str, Claim] = {}
        self._beating: asyncio.Task[None] | None = None
        self._gaps: deque[float] = deque(maxlen=round(GAPS_OVER_S / BEAT_S))
        self.reach = Reach()
        self.outputs = Outputs(plan, self.instruments, self.reach, self.guard_is_closed)
        self.switching = Switching(self.matrix, plan.rows, self.outputs.may_be_charged)
        self.scanning = Scanning(self.instruments, self.switching, self.outputs)
        self.armed_by: set[str] = set()  # what may put high voltage on at any moment

    @property
    def everything(self) -> tuple[Instrument, ...]:
        """All instruments; matrix, guard, inputs and climate included."""
        others = [each for each in (self.inputs, self.climate) if each is not None]
        return (*self.instruments.values(), self.matrix, self.guard, *others)

    def of_role(self, role: Role) -> tuple[Instrument, ...]:
        """The instruments of a role, in the order of the bench file."""
        return tuple(self.instruments[each.id] for each in self.plan.of_role(role))

    def capabilities(self) -> dict[Role, tuple[Capability, ...]]:
        """What the bench can do, by role, from the profiles of its instruments."""
        return {
            role: tuple(instrument.capability for instrument in self.of_role(role))
            for role in dict.fromkeys(each.role for each in self.plan.instruments)
        }

    async def connect(self) -> dict[str, str]:
        """Reach every instrument that can be reached; gives the problem of each that cannot."""
        self._held_elsewhere.clear()

        async def reach(instrument: Instrument) -> None:
            try:
                await instrument.connect()
                self.problems.pop(instrument.name, None)
            except BenchError as error:
                instrument.identity = ""
                self.problems[instrument.name] = str(error)
                if isinstance(error, Claimed):
                    self._held_elsewhere[instrument.name] = error

        await asyncio.gather(*(reach(each) for each in self.everything))
        if self._beating is None:
            self._beating = asyncio.get_running_loop().create_task(self._beat())
        return dict(self.problems)

    def claim(self, claimant: str) -> None:
        """Take every instrument that answers for this process alone; raises Claimed."""
        for instrument in self.everything:
            address = getattr(instrument.link, "address", "")
            held = self._held_elsewhere.get(instrument.name)
            if (instrument.identity or held) and address not in self._claims:
                what = f"Instrument {instrument.name} at {address}"
                self._claims[address] = Claim(instrument_lock(address), what, claimant)
            if held is not None:  # by nobody on this machine
                raise held

    async def look(self) -> dict[str, str]:
        """Ask every instrument who it is, reconnecting where needed; gives the problems."""

        async def ask(instrument: Instrument) -> None:
            if instrument.link.is_open:
                with contextlib.suppress(BenchError):
                    await instrument.check_same("when it was looked at")

        # At one time: those that are dead are waited for once.
        await asyncio.gather(*(ask(each) for each in self.everything))
        return await self.connect()

    def states(self) -> list[InstrumentState]:
        """The state of each instrument, matrix and guard as last seen."""
        plans: dict[str, InstrumentPlan] = {each.id: each for each in self.plan.instruments}
        found = []
        for instrument in self.everything:
            plan = plans.get(instrument.name)
            found.append(
                InstrumentState(
                    id=instrument.name,
                    role=instrument.profile.role,
                    title=plan.title if plan else instrument.profile.role.capitalize(),
                    address=getattr(instrument.link, "address", ""),
                    serial=plan.serial if plan else "",
                    identity=instrument.identity,
                    problem=self.problems.get(instrument.name, ""),
                    calibrated=plan.calibrated if plan else None,
                    due=plan.due if plan else None,
                    certificate=plan.certificate if plan else "",
                    unseen=instrument.profile.unseen,
                )
            )
        return found

    async def guard_is_closed(self) -> bool:
        """Read the guard; raises BenchError when it does not answer."""
        await self.guard.connect()
        return await self.guard.ask(self.guard.profile.state) == self.guard.profile.closed

    async def foot_presses(self) -> int:
        """How often the foot switch was pressed since its inputs were switched on.

        Raises BenchError when there are no inputs or they do not answer.
        """
        told = await self._input(lambda profile: profile.presses)
        counted = read_value(told)
        if not math.isfinite(counted) or counted < 0 or counted != int(counted):
            raise self._nonsense_input(told)
        return int(counted)

    def _nonsense_input(self, answer: str) -> InstrumentFault:
        if self.inputs is None:
            return InstrumentFault("inputs", f"answered '{answer}'")
        return self.inputs.misfit("what they were asked", answer)

    async def units_present(self, fixture: str, nests: Iterable[str]) -> dict[str, bool]:
        """Whether the switch of each of these nests feels a unit; raises BenchError."""
        numbers = self.plan.inputs.presence.get(fixture, {}) if self.plan.inputs else {}
        felt = {}
        for nest in nests:
            if nest not in numbers:
                raise InstrumentFault(f"inputs of {fixture}", f"have no switch for nest {nest}")
            level = await self._level(numbers[nest])
            if level not in LEVELS:
                raise self._nonsense_input(level)
            felt[nest] = LEVELS[level]
        return felt

    async def _level(self, number: int) -> str:
        return await self._input(lambda profile: profile.level.format(number=number))

    async def _input(self, spelling: Callable[[Profile], str]) -> str:
        if self.inputs is None:
            raise InstrumentFault("inputs", "are not on this bench; add them to the bench file")
        await self.inputs.connect()
        return await self.inputs.ask(spelling(self.inputs.profile))

    async def air(self) -> tuple[float, float]:
        """Temperature in °C and relative humidity as a fraction, as they are measured now.

        Raises BenchError where nothing on the bench measures them, it does not answer, or what it
        says is no air that people test units in.
        """
        climate = self.climate
        if climate is None:
            raise InstrumentFault("climate", "is not measured on this bench")
        await climate.connect()
        temperature = read_value(await climate.ask(climate.profile.temperature))
        humidity = read_value(await climate.ask(climate.profile.humidity)) / 100
        if not (COLDEST_C <= temperature <= HOTTEST_C and 0.0 <= humidity <= 1.0):
            said = f"{temperature:g} °C, {humidity * 100:g} %"
            raise climate.misfit("the air about the units", said)
        return temperature, humidity

    async def connect_unit(
        self, name: str, terminals: Mapping[str, tuple[str, ...]], nests: Sequence[Nest]
    ) -> None:
        """Connect an instrument to the unit in a nest, or to those of several in parallel.

        ``terminals`` gives the unit's by the instrument's. Raises BenchError when something fails.
        """
        await self.instruments[name].ready()
        points = {each for nest in nests for each in self.switching.points(name, terminals, nest)}
        await self.switching.close(name, points)

    async def join(self, action: Join) -> None:
        """Close crosspoints for nobody in particular; raises BenchError."""
        await self.switching.close(None, set(action.points))

    async def acquire(self, name: str, waveform: str) -> Waveform:
        """Fetch a record of an instrument's last output; raises BenchError."""
        return await self.instruments[name].acquire(waveform)

    async def switch_unit(
        self,
        name: str,
        add: Mapping[str, tuple[str, ...]],
        remove: Mapping[str, tuple[str, ...]],
        nests: Sequence[Nest],
    ) -> None:
        """Change what an instrument is connected to by what differs; raises BenchError."""
        await self.instruments[name].ready()
        added = {each for nest in nests for each in self.switching.points(name, add, nest)}
        removed = {each for nest in nests for each in self.switching.points(name, remove, nest)}
        await self.switching.change(name, added, removed)

    @property
    def danger(self) -> Danger:
        """How dangerous the fixture is now."""
        return danger_of(self.outputs.live, self.charged, self.reach.inside, bool(self.armed_by))

    @property
    def charged(self) -> Mapping[str, str]:
        """Why nobody may touch the fixture, by the instrument that left it so."""
        return self.outputs.charged

    async def confirm_earthed(self) -> tuple[str, ...]:
        """A person has earthed the unit by hand: forget the charge, and let the relays open.

        Gives what still stands in the way, if an output is still on.
        """
        left = await self.outputs.confirm_earthed()
        if not left:
            await self.switching.open_all()
        return left

    async def disconnect(self, holders: Iterable[str | None]) -> None:
        """Open the paths of these holders, so that other nests may use their columns."""
        await self.switching.open(holders)

    async def _beat(self) -> None:
        """Beat for every output that is on, as long as the bench lives."""
        before = time.monotonic()
        while True:
            for instrument in self.instruments.values():
                if instrument.energised:
                    instrument.beat()
            await asyncio.sleep(BEAT_S)
            now = time.monotonic()
            self._gaps.append(now - before)
            before = now

    @property
    def beat_gap_s(self) -> float:
        """The longest time between two beats (s) of the last minute or so; 0 before the second."""
        return max(self._gaps, default=0.0)

    def stop_now(self, names: Iterable[str] | None = None) -> None:
        """Take outputs off at once, every one by default: the first act of any abort."""
        self.outputs.stop_now(names)

    def needs_of(self, demands: Sequence[Demand], unfit: Collection[str] = ()) -> tuple[Need, ...]:
        """What a step with these demands holds while it runs: of each role one that can do it.

        An instrument holds its rows of the matrix with it; those that are ``unfit`` are not taken.
        """
        return tuple(
            tuple(
                Alternative(
                    instrument.name,
                    frozenset(f"row {row}" for row in self.switching.rows_of(instrument.name)),
                )
                for instrument in self.of_role(role)
                if instrument.name not in unfit and can_do(instrument.capability, role, demands)
            )
            for role in sorted({demand.role for demand in demands})
        )

    async def make_safe(
        self, on_residual: Callable[[Sample], None] | None = None
    ) -> tuple[str, ...]:
        """Outputs off, units discharged, every relay open; tries each, whatever the others do.

        Gives what stands in the way of touching the fixture, if anything does: then no relay moves.
        """
        left = await self.outputs.make_safe(on_residual)
        if not self.outputs.live and not left:
            # Through open relays a unit would keep what is in it.
            await self.switching.open_all()
        return left

    async def find_safe(self) -> tuple[str, ...]:
        """Make safe what somebody else may have left: a service that died, before this one began.

        Whatever the matrix connects may be charged; without a matrix to ask, everything may be.
        """
        closed: frozenset[tuple[int, int]] | None = None
        with contextlib.suppress(BenchError):
            await self.matrix.connect()
            closed = await self.switching.read()
        for name, instrument in self.instruments.items():
            rows = self.switching.rows_of(name)
            is_joined = closed is None or any(row in rows for row, _ in closed)
            keeps = instrument.profile.residual or instrument.keeps_current
            if keeps and is_joined:
                self.outputs.suspect(name)
        return await self.make_safe()

    async def close(self) -> None:
        """Make safe and hang up."""
        await self.make_safe()
        self.hang_up()

    def hang_up(self) -> None:
        """Close every link as things stand, and let others have the instruments."""
        if self._beating is not None:
            self._beating.cancel()
            self._beating = None
        for instrument in self.everything:
            instrument.link.close()
        for claim in self._claims.values():
            claim.let_go()
        self._claims.clear()
