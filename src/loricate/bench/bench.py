"""The bench: every instrument, the matrix and the guard, performing a procedure's actions."""

import asyncio
import contextlib
import datetime as dt
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from loricate.bench.errors import BenchError, GuardOpen, InstrumentFault, StillCharged
from loricate.bench.instrument import Instrument
from loricate.bench.links import make_link
from loricate.bench.plan import BenchPlan, InstrumentPlan
from loricate.bench.profiles import Profile, read_profile
from loricate.core.actions import (
    Connect,
    Discharge,
    Ending,
    Energise,
    Join,
    Outcome,
    Program,
    Role,
    Sample,
)  # fmt: skip
from loricate.core.capability import Capability

BEAT_S = 0.05
SAFE_V = 30.0  # the lower of the two safe levels of IEC 61010-1 6.3
BenchAction = Join | Connect | Program | Energise | Discharge
Nest = Mapping[str, int]  # the matrix column of each terminal


@dataclass(frozen=True, slots=True)
class InstrumentState:
    """What is known of one instrument: who answers, and what is wrong, if anything."""

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


class Bench:
    """Owns every link. Procedures may act at the same time if they share no resource."""

    def __init__(self, plan: BenchPlan, folder: Path | None = None) -> None:
        self.plan = plan

        def make(name: str, address: str, profile: str) -> Instrument:
            return Instrument(name, make_link(name, address), read_profile(profile, folder))

        self.instruments = {
            each.role: make(each.id, each.address, each.profile) for each in plan.instruments
        }
        self.matrix = make(plan.matrix.id, plan.matrix.address, plan.matrix.profile)
        self.guard = make(plan.guard.id, plan.guard.address, plan.guard.profile)
        self.inputs = None
        if plan.inputs is not None:
            self.inputs = make(plan.inputs.id, plan.inputs.address, plan.inputs.profile)
        self.problems: dict[str, str] = {}
        self._beating: asyncio.Task[None] | None = None
        self._switching = asyncio.Lock()
        self._closed: dict[Role | None, str] = {}

    @property
    def everything(self) -> tuple[Instrument, ...]:
        """All instruments; matrix, guard and inputs included."""
        inputs = () if self.inputs is None else (self.inputs,)
        return (*self.instruments.values(), self.matrix, self.guard, *inputs)

    def capabilities(self) -> dict[Role, Capability]:
        """What the bench can do, by role, from its instruments' profiles."""
        return {
            role: instrument.profile.capability(instrument.name)
            for role, instrument in self.instruments.items()
        }

    async def connect(self) -> dict[str, str]:
        """Reach every instrument that can be reached; gives the problem of each that cannot."""

        async def reach(instrument: Instrument) -> None:
            try:
                await instrument.connect()
                self.problems.pop(instrument.name, None)
            except BenchError as error:
                instrument.identity = ""
                self.problems[instrument.name] = str(error)

        await asyncio.gather(*(reach(each) for each in self.everything))
        if self._beating is None:
            self._beating = asyncio.get_running_loop().create_task(self._beat())
        return dict(self.problems)

    async def look(self) -> dict[str, str]:
        """Ask every instrument who it is, reconnecting where needed; gives the problems."""
        for instrument in self.everything:
            if instrument.link.is_open:
                with contextlib.suppress(BenchError):
                    await instrument.link.query(instrument.profile.identify)
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
                )
            )
        return found

    async def guard_is_closed(self) -> bool:
        """Read the guard; raises BenchError when it does not answer."""
        await self.guard.connect()
        return await self.guard.link.query(self.guard.profile.state) == self.guard.profile.closed

    async def foot_presses(self) -> int:
        """How often the foot switch was pressed since its inputs were switched on.

        Raises BenchError when there are no inputs or they do not answer.
        """
        return int(await self._input(lambda profile: profile.presses))

    async def units_present(self, fixture: str, nests: Iterable[str]) -> bool:
        """Whether the switch of each of these nests feels a unit; raises BenchError."""
        numbers = self.plan.inputs.presence.get(fixture, {}) if self.plan.inputs else {}
        for nest in nests:
            if nest not in numbers:
                raise InstrumentFault(f"inputs of {fixture}", f"have no switch for nest {nest}")
            if await self._level(numbers[nest]) != "1":
                return False
        return True

    async def _level(self, number: int) -> str:
        return await self._input(lambda profile: profile.level.format(number=number))

    async def _input(self, spelling: Callable[[Profile], str]) -> str:
        if self.inputs is None:
            raise InstrumentFault("inputs", "are not on this bench; add them to the bench file")
        await self.inputs.connect()
        return await self.inputs.link.query(spelling(self.inputs.profile))

    async def perform(
        self, action: BenchAction, nests: Sequence[Nest], on_sample: Callable[[Sample], None]
    ) -> Outcome:
        """Do one action for the unit in a nest, or for the units of several nests in parallel.

        Raises BenchError when an instrument fails, and GuardOpen when high voltage is asked for
        behind an open guard or the guard opened meanwhile.
        """
        match action:
            case Connect():
                await self._instrument(action.role).connect()
                points = [point for nest in nests for point in self._points(action, nest)]
                await self._close_points(action.role, points)
                return None
            case Join():
                await self._close_points(None, list(action.points))
                return None
            case Program():
                await self._instrument(action.role).program(action.settings)
                return None
            case Discharge():
                return await self._instrument(action.role).discharge(action.safe_v, on_sample)
            case Energise():
                if action.hazardous and not await self.guard_is_closed():
                    raise GuardOpen
                output = await self._instrument(action.role).energise(on_sample)
                if output.ending is Ending.GUARD_OPEN:
                    raise GuardOpen
                return output

    def _instrument(self, role: Role) -> Instrument:
        instrument = self.instruments.get(role)
        if instrument is None:
            raise InstrumentFault(role, "is not on this bench")
        return instrument

    def _points(self, action: Connect, nest: Nest) -> list[tuple[int, int]]:
        """The crosspoints, row and column, that connect an instrument to the unit in a nest."""
        rows = self.plan.matrix.rows.get(action.role, {})
        points = []
        for terminal, contacts in action.points.items():
            if terminal not in rows:
                raise InstrumentFault(
                    self.matrix.name, f"has no rows for {action.role} {terminal}; add them"
                )
            for contact in contacts:
                if contact not in nest:
                    raise InstrumentFault(
                        self.matrix.name, f"has no column for terminal {contact} in this nest"
                    )
                points += [(row, nest[contact]) for row in rows[terminal]]
        return points

    async def _close_points(self, holder: Role | None, points: Iterable[tuple[int, int]]) -> None:
        """Close crosspoints for a holder, an instrument or nobody, in place of its last ones."""
        await self.matrix.connect()
        profile = self.matrix.profile
        spelled = ",".join(profile.point.format(row=row, column=column) for row, column in points)
        async with self._switching:
            await self._open_points(holder)
            if not spelled:
                return
            self._closed[holder] = spelled
            await self.matrix.link.write(profile.close.format(points=spelled))
            await self.matrix.link.query(profile.settled)
            await self.matrix.check_errors("did not connect the unit")

    async def _open_points(self, holder: Role | None) -> None:
        points = self._closed.pop(holder, "")
        if points:
            await self.matrix.link.write(self.matrix.profile.open.format(points=points))

    async def disconnect(self, holders: Iterable[Role | None]) -> None:
        """Open the paths of these holders, so that other nests may use their columns."""
        async with self._switching:
            for holder in holders:
                await self._open_points(holder)

    async def _beat(self) -> None:
        """Beat for every output that is on, as long as the bench lives."""
        while True:
            for instrument in self.instruments.values():
                if instrument.energised:
                    instrument.beat()
            await asyncio.sleep(BEAT_S)

    def stop_now(self, roles: Iterable[Role] | None = None) -> None:
        """Take outputs off at once, every one by default: the first act of any abort."""
        for role, instrument in self.instruments.items():
            if roles is None or role in roles:
                instrument.stop_now()

    def resources(self, roles: Iterable[Role]) -> frozenset[str]:
        """What a step with these instruments holds while it runs: them, and their matrix rows."""
        rows = {
            f"row {row}"
            for role in roles
            for contacts in self.plan.matrix.rows.get(role, {}).values()
            for row in contacts
        }
        return frozenset(rows | set(roles))

    async def make_safe(
        self, on_residual: Callable[[Sample], None] | None = None
    ) -> tuple[str, ...]:
        """Outputs off, units discharged, every relay open; tries each, whatever the others do.

        Gives what stands in the way of touching the fixture, if anything does.
        """
        self.stop_now()
        dangers = []
        for instrument in self.instruments.values():
            try:
                if not instrument.link.is_open:
                    instrument.identity = ""
                    await instrument.connect()
                    instrument.stop_now()
                await instrument.link.query(instrument.profile.error)
                if instrument.profile.residual:
                    await instrument.discharge(SAFE_V, on_residual)
            except StillCharged as error:
                dangers.append(str(error))
            except BenchError:
                pass  # its dead-man has taken its output off; the next run will say that it is gone
        if not dangers:  # through open relays a unit would keep what is in it
            await self.open_relays()
        return tuple(dangers)

    async def open_relays(self) -> None:
        """Open every relay; quiet when the matrix does not answer, for nothing is on by then."""
        self._closed.clear()
        with contextlib.suppress(BenchError):
            if not self.matrix.link.is_open:
                self.matrix.identity = ""
                await self.matrix.connect()
            await self.matrix.link.write(self.matrix.profile.open_all)
            await self.matrix.link.query(self.matrix.profile.settled)

    async def close(self) -> None:
        """Make safe and hang up."""
        await self.make_safe()
        if self._beating is not None:
            self._beating.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._beating
        for instrument in self.everything:
            instrument.link.close()
