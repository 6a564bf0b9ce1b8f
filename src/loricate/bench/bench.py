"""The bench: every instrument, the matrix and the guard, performing a procedure's actions."""

import asyncio
import contextlib
import datetime as dt
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from loricate.bench.errors import BenchError, GuardOpen, InstrumentFault
from loricate.bench.instrument import Instrument
from loricate.bench.links import make_link
from loricate.bench.plan import BenchPlan, InstrumentPlan
from loricate.bench.profiles import read_profile
from loricate.core.actions import (
    Connect,
    Discharge,
    Ending,
    Energise,
    Outcome,
    Program,
    Role,
    Sample,
)  # fmt: skip
from loricate.core.capability import Capability

BEAT_S = 0.05
SAFE_V = 30.0  # the lower of the two safe levels of IEC 61010-1 6.3
BenchAction = Connect | Program | Energise | Discharge


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
        self.problems: dict[str, str] = {}
        self._beating: asyncio.Task[None] | None = None
        self._switching = asyncio.Lock()
        self._closed: dict[Role, str] = {}

    @property
    def everything(self) -> tuple[Instrument, ...]:
        """All instruments, matrix and guard included."""
        return (*self.instruments.values(), self.matrix, self.guard)

    def capabilities(self) -> dict[Role, Capability]:
        """What the bench can do, by role, from its instruments' profiles."""
        return {
            role: Capability(instrument.name, instrument.profile.span)
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

    async def perform(
        self, action: BenchAction, nest: Mapping[str, int], on_sample: Callable[[Sample], None]
    ) -> Outcome:
        """Do one action for the unit whose terminals are at matrix columns ``nest``.

        Raises BenchError when an instrument fails, and GuardOpen when high voltage is asked for
        behind an open guard or the guard opened meanwhile.
        """
        match action:
            case Connect():
                await self._connect_points(action, nest)
                return None
            case Program():
                await self._instrument(action.role).program(action.settings)
                return None
            case Discharge():
                return await self._instrument(action.role).discharge(action.safe_v)
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

    async def _connect_points(self, action: Connect, nest: Mapping[str, int]) -> None:
        await self._instrument(action.role).connect()
        await self.matrix.connect()
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
                points += [
                    self.matrix.profile.point.format(row=row, column=nest[contact])
                    for row in rows[terminal]
                ]
        profile = self.matrix.profile
        async with self._switching:
            await self._open_points(action.role)
            self._closed[action.role] = ",".join(points)
            await self.matrix.link.write(profile.close.format(points=self._closed[action.role]))
            await self.matrix.link.query(profile.settled)
            await self.matrix.check_errors("did not connect the unit")

    async def _open_points(self, role: Role) -> None:
        points = self._closed.pop(role, "")
        if points:
            await self.matrix.link.write(self.matrix.profile.open.format(points=points))

    async def disconnect(self, roles: Iterable[Role]) -> None:
        """Open the paths of these instruments, so that other nests may use their columns."""
        async with self._switching:
            for role in roles:
                await self._open_points(role)

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

    async def make_safe(self) -> None:
        """Outputs off, units discharged, every relay open; tries each, whatever the others do."""
        self.stop_now()
        for instrument in self.instruments.values():
            with contextlib.suppress(BenchError):
                if not instrument.link.is_open:
                    instrument.identity = ""
                    await instrument.connect()
                    instrument.stop_now()
                await instrument.link.query(instrument.profile.error)
                if instrument.profile.residual:
                    await instrument.discharge(SAFE_V)
        await self.open_relays()

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
