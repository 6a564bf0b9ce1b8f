"""The bench: every instrument, the matrix and the guard, performing a procedure's actions."""

import asyncio
import contextlib
import datetime as dt
import math
import time
from collections import deque
from collections.abc import AsyncIterator, Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.claims import Claim, Claimed, instrument_lock
from loricate.bench.danger import Danger, LiveOutput, danger_of
from loricate.bench.errors import (
    BenchError,
    ChargeUnknown,
    GuardOpen,
    InstrumentFault,
    StillCharged,
)
from loricate.bench.instrument import OVERRUN_S, POLL_S, Instrument, Who
from loricate.bench.links import TIMEOUT_S, make_link
from loricate.bench.plan import BenchPlan, InstrumentPlan, LinkedPart
from loricate.bench.profiles import Profile, read_profile
from loricate.bench.reach import Reach
from loricate.bench.switching import Nest, Switching
from loricate.core.kinds.kind import Demand
from loricate.core.measuring.actions import (
    Ending,
    Held,
    Join,
    Level,
    Output,
    Programme,
    Waveform,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.hazards import Hazard, hazard_of
from loricate.core.measuring.holding import Holding, Until
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import Role
from loricate.core.measuring.scpi_values import read_value
from loricate.core.planning.scheduling import Alternative, Need
from loricate.core.sequences.capability import can_do

BEAT_S = 0.05
GAPS_OVER_S = 60.0  # for how long the gaps between beats are known
AT_LEVEL = "dwell"  # the phase in which an output stands at its level
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


def _unseen(sample: Sample) -> None:
    """Samples that nobody watches."""


@dataclass(slots=True)
class _Held:
    """An output that stays on: how hazardous it is, who watches, and what ends with it."""

    hazard: Hazard
    on_sample: Callable[[Sample], None] = _unseen
    stack: contextlib.AsyncExitStack = field(default_factory=contextlib.AsyncExitStack)


class _AtLevel:
    """Whether an output has come to its level, and since when."""

    def __init__(self, instrument: Instrument) -> None:
        self.instrument, self.was_reached = instrument, False

    def __call__(self, sample: Sample) -> bool:
        self.was_reached = sample.phase == AT_LEVEL
        if self.was_reached:
            self.instrument.reached_level(sample)
        return self.was_reached


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
        self.problems: dict[str, str] = {}
        self._held_elsewhere: dict[str, Claimed] = {}
        self._claims: dict[str, Claim] = {}
        self._beating: asyncio.Task[None] | None = None
        self._gaps: deque[float] = deque(maxlen=round(GAPS_OVER_S / BEAT_S))
        self._live: dict[str, LiveOutput] = {}  # by instrument
        self._held: dict[str, _Held] = {}  # outputs that stay on, by instrument
        self._leaving: set[asyncio.Future[None]] = set()
        self.switching = Switching(self.matrix, plan.rows, self._may_be_charged)
        self.reach = Reach()
        self.charged: dict[str, str] = {}  # by instrument: why nobody may touch the fixture
        self.armed_by: set[str] = set()  # what may put high voltage on at any moment

    @property
    def everything(self) -> tuple[Instrument, ...]:
        """All instruments; matrix, guard and inputs included."""
        inputs = () if self.inputs is None else (self.inputs,)
        return (*self.instruments.values(), self.matrix, self.guard, *inputs)

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

    async def units_present(self, fixture: str, nests: Iterable[str]) -> bool:
        """Whether the switch of each of these nests feels a unit; raises BenchError."""
        numbers = self.plan.inputs.presence.get(fixture, {}) if self.plan.inputs else {}
        for nest in nests:
            if nest not in numbers:
                raise InstrumentFault(f"inputs of {fixture}", f"have no switch for nest {nest}")
            level = await self._level(numbers[nest])
            if level not in LEVELS:
                raise self._nonsense_input(level)
            if not LEVELS[level]:
                return False
        return True

    async def _level(self, number: int) -> str:
        return await self._input(lambda profile: profile.level.format(number=number))

    async def _input(self, spelling: Callable[[Profile], str]) -> str:
        if self.inputs is None:
            raise InstrumentFault("inputs", "are not on this bench; add them to the bench file")
        await self.inputs.connect()
        return await self.inputs.ask(spelling(self.inputs.profile))

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

    async def energise(
        self,
        name: str,
        programme: Programme,
        nests: Sequence[Nest],
        on_sample: Callable[[Sample], None],
        care: Care = USUAL_CARE,
    ) -> Output:
        """Program an instrument's output for what is connected, and follow it to its end.

        After a hazardous output, however it ended, the unit is discharged through the relays that
        it was made through. Raises BenchError when an instrument fails, GuardOpen when high
        voltage is asked for behind an open guard or the guard opened meanwhile, and Charged when
        nobody may touch the unit.
        """
        instrument = self.instruments[name]
        await instrument.program(programme)
        self._refuse_while_charged()
        hazard = hazard_of(instrument.sure, instrument.capability)
        if not hazard.is_hazardous:
            try:
                return await self._run_to_end(instrument, hazard, on_sample)
            except Exception:
                # Its link may be closed, and the stop with it: no relay moves under a current.
                with contextlib.suppress(BenchError):
                    await self._take_off(instrument)
                raise
        async with self.reach.output():
            if not await self.guard_is_closed():
                raise GuardOpen
            live = self._live[name] = LiveOutput(self._names(nests), hazard, care)

            def look(sample: Sample) -> None:
                live.see(sample)
                on_sample(sample)

            try:
                output = await self._run_to_end(instrument, hazard, look)
            except Exception:  # whatever it is, of ours as well
                await self._discharge(name, look)
                raise
            await self._discharge(name, look)
        if output.ending is Ending.GUARD_OPEN:
            raise GuardOpen
        return output

    async def _run_to_end(
        self, instrument: Instrument, hazard: Hazard, on_sample: Callable[[Sample], None]
    ) -> Output:
        """Start the output, follow it by the instrument's own clock, give what it did."""
        try:
            await self._start(instrument, hazard)
            await instrument.follow(lambda sample: False, on_sample)
            return await instrument.read_summary()
        except BaseException:
            instrument.stop_now()
            raise

    async def _start(self, instrument: Instrument, hazard: Hazard) -> None:
        """Put an output on. A guard that opened since it was read is told as what it is."""
        try:
            await instrument.start()
        except InstrumentFault as error:
            instrument.stop_now()
            if hazard.is_hazardous and not await self.guard_is_closed():
                raise GuardOpen from error
            raise

    async def source(
        self,
        name: str,
        programme: Programme,
        nests: Sequence[Nest],
        on_sample: Callable[[Sample], None],
        care: Care = USUAL_CARE,
    ) -> Level:
        """Put an instrument's output on and bring it to its level, or to another one.

        It stays on until ``off`` or ``drop``, or until the longest time that it is programmed for.
        Raises as ``energise`` does, and then it is off and the unit discharged.
        """
        instrument = self.instruments[name]
        held = self._held.get(name)
        if held is None:
            instrument.refuse_unless_ends_early()
            await instrument.program(programme)
            self._refuse_while_charged()
            held = await self._hold_open(name, hazard_of(instrument.sure, instrument.capability))
            if held.hazard.is_hazardous:
                self._live[name] = LiveOutput(self._names(nests), held.hazard, care)
        held.on_sample = on_sample
        is_at_level = _AtLevel(instrument)
        async with self._kept_on(name):
            if instrument.is_running:
                await instrument.adjust(programme)
                await self._keep_hazard(name, held)
            else:
                await self._start(instrument, held.hazard)
            sample = await instrument.follow(is_at_level, self._look_of(name))
        return Level(instrument.looked(sample) if is_at_level.was_reached else None)

    async def _hold_open(self, name: str, hazard: Hazard) -> _Held:
        """What belongs to an output that stays on: nobody has hands in, the guard is closed."""
        held = _Held(hazard)
        if hazard.is_hazardous:
            await held.stack.enter_async_context(self.reach.output())
            try:
                if not await self.guard_is_closed():
                    raise GuardOpen
            except BaseException:
                await held.stack.aclose()
                raise
        self._held[name] = held
        return held

    @contextlib.asynccontextmanager
    async def _kept_on(self, name: str) -> AsyncIterator[None]:
        """Keep an output on unless something goes wrong: then it is off and its unit discharged.

        Who is cancelled has no time left: the output is cut, and whoever cancels makes safe.
        """
        try:
            yield
        except Exception:
            await self.drop(name)
            raise
        except BaseException:
            self._let_go(name)
            raise

    async def _keep_hazard(self, name: str, held: _Held) -> None:
        """An output must not become hazardous that was put on as one that is not."""
        instrument = self.instruments[name]
        hazard = hazard_of(instrument.sure, instrument.capability)
        if hazard.is_hazardous and not held.hazard.is_hazardous:
            raise InstrumentFault(name, "would become hazardous under its output; put it on anew")
        if (live := self._live.get(name)) is not None:
            live.hazard = hazard

    def _look_of(self, name: str) -> Callable[[Sample], None]:
        """Take in a sample of an output that stays on, for danger and for who watches."""

        def look(sample: Sample) -> None:
            if (live := self._live.get(name)) is not None:
                live.see(sample)
            if (held := self._held.get(name)) is not None:
                held.on_sample(sample)

        return look

    async def hold(
        self, name: str, holding: Holding, answered: Callable[[], bool] = lambda: False
    ) -> Held:
        """Look at an output that is on until the first of what ends the hold; ``answered`` is one.

        Every other output that is on is looked at as well: when one of them ends, so does the hold.
        Raises BenchError as ``source`` does; then that output is off and its unit discharged.
        """
        instrument = self.instruments[name]
        met: Until | None = None
        look = self._look_of(name)

        def is_enough(sample: Sample) -> bool:
            nonlocal met
            met = holding.see(sample)
            if met is None and answered():
                met = holding.question
            return True  # after each sample, so that the others are looked at in between

        async with self._kept_on(name):
            while met is None:
                sample = await instrument.follow(is_enough, look)
                if not instrument.is_running or not await self._others_are_on(name):
                    break
                await asyncio.sleep(POLL_S)
        last = holding.last or sample
        began_s = last.elapsed_s if math.isnan(holding.began_s) else holding.began_s
        return Held(
            met,
            max(0.0, sample.elapsed_s - began_s),
            instrument.looked(last),
            {mark: instrument.looked(each) for mark, each in holding.at.items()},
            dict(holding.lowest),
            dict(holding.highest),
        )

    async def _others_are_on(self, name: str) -> bool:
        """Look once at every other output that is to stay on; whether all of them are."""
        for other in list(self._held):
            if other != name and self.instruments[other].is_running:
                await self.instruments[other].follow(lambda sample: True, self._look_of(other))
        return all(self.instruments[other].is_running for other in self._held)

    async def off(self, name: str) -> Output:
        """Take off an output that stays on, give what it did, and discharge the unit.

        Raises as ``energise`` does.
        """
        instrument = self.instruments[name]
        async with self._kept_on(name):
            if instrument.is_running:
                await instrument.finish()
                await instrument.follow(lambda sample: False, self._look_of(name))
            output = await instrument.read_summary()
        await self._end_held(name)
        if output.ending is Ending.GUARD_OPEN:
            raise GuardOpen
        return output

    async def drop(self, name: str) -> None:
        """Cut an output that stays on, whatever it did, and discharge the unit; quiet when none is.

        Raises Charged when nobody may touch the unit.
        """
        if name in self._held:
            self.instruments[name].stop_now()
            await self._end_held(name)

    async def _end_held(self, name: str) -> None:
        look = self._look_of(name)
        try:
            if name in self._live:
                await self._discharge(name, look)
            else:
                await self._take_off(self.instruments[name])
        finally:
            self._let_go(name)

    def _let_go(self, name: str) -> None:
        """Forget an output that stayed on; what it may have left stands in ``_live`` still."""
        instrument = self.instruments[name]
        instrument.stop_now()
        instrument.energised = False
        if (held := self._held.pop(name, None)) is not None:
            leaving = asyncio.ensure_future(held.stack.aclose())
            self._leaving.add(leaving)
            leaving.add_done_callback(self._leaving.discard)

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

    async def _discharge(
        self, name: str, on_sample: Callable[[Sample], None] | None = None
    ) -> None:
        """Measure until the unit is safe what an instrument's output left; no relay moves before.

        An answer that does not fit is asked for once more, over a new link; that it did not fit is
        raised when the unit is safe. Raises Charged, and remembers it until a person confirms, when
        nothing can say so.
        """
        live = self._live.get(name)
        if live is None or name in self.charged:
            return
        live.is_discharging = True
        instrument = self.instruments[name]

        broken: Exception | None = None

        def look(sample: Sample) -> None:
            nonlocal broken
            live.see(sample)
            if on_sample is not None and broken is None:
                try:
                    on_sample(sample)
                except Exception as error:  # whoever watches must not keep a unit charged
                    broken = error

        misfit: BenchError | None = None
        while True:
            try:
                await self._take_off(instrument)
                await instrument.discharge(live.hazard.safe_v, look, live.care)
                break
            except StillCharged as error:
                self.charged[instrument.name] = str(error)
                raise
            except BenchError as error:
                if misfit is None and not instrument.link.is_open:
                    misfit = error
                    continue
                unknown = ChargeUnknown(instrument.name, str(error).rstrip("."))
                self.charged[instrument.name] = str(unknown)
                raise unknown from error
        del self._live[name]
        if (wrong := misfit or broken) is not None:
            raise wrong

    @staticmethod
    async def _take_off(instrument: Instrument) -> None:
        """Reach an instrument, over a new link if need be, until it says that its output is off."""
        if not instrument.link.is_open or not instrument.identity:
            instrument.identity = ""
            await instrument.connect()
            instrument.stop_now()
        if not await instrument.is_off():
            instrument.stop_now()
            if not await instrument.is_off():
                raise InstrumentFault(instrument.name, "does not take its output off")

    def _may_be_charged(self, holder: str | None) -> bool:
        """Whether what an instrument reaches may be charged; what nobody holds may be by any."""
        on = self._live.keys() | self._held.keys()  # no relay moves under a current either
        return bool(on) if holder is None else holder in on

    def _refuse_while_charged(self) -> None:
        for name in self.charged:
            raise ChargeUnknown(name, "nobody has confirmed yet that it was earthed")

    @property
    def danger(self) -> Danger:
        """How dangerous the fixture is now."""
        return danger_of(self._live, self.charged, self.reach.inside, bool(self.armed_by))

    async def confirm_earthed(self) -> tuple[str, ...]:
        """A person has earthed the unit by hand: forget the charge, and let the relays open.

        Gives what still stands in the way, if an output is still on.
        """
        self.stop_now()
        for name in list(self._live):
            with contextlib.suppress(BenchError):
                if not await self.instruments[name].is_off():
                    return (f"Instrument {name} still has its output on.",)
        self._live.clear()
        self.charged.clear()
        await self.switching.open_all()
        return ()

    def _names(self, nests: Sequence[Nest]) -> tuple[str, ...]:
        """The names of nests by their columns."""
        return tuple(
            name
            for fixture in self.plan.fixtures
            for name, columns in fixture.nests.items()
            if any(columns == nest for nest in nests)
        )

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
        for name, instrument in self.instruments.items():
            if names is None or name in names:
                instrument.stop_now()

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
        self.stop_now()
        for name in list(self._held):
            self._let_go(name)
        for instrument in self.instruments.values():
            with contextlib.suppress(BenchError):  # its dead-man takes the output off
                if instrument.link.is_open and not await instrument.is_off():
                    instrument.stop_now()
        for name in list(self._live):
            with contextlib.suppress(BenchError):  # what is charged is kept in ``charged``
                await self._discharge(name, on_residual)
        if not self._live and not self.charged:
            # Through open relays a unit would keep what is in it.
            await self.switching.open_all()
        return tuple(self.charged.values())

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
            if instrument.profile.residual and is_joined:
                self._live[name] = LiveOutput((), Hazard(math.nan))
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
