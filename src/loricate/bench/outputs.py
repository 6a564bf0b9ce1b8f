"""Outputs: put on, followed, held and taken off; whatever goes wrong, the unit is measured safe."""

import asyncio
import contextlib
import logging
import math
from collections.abc import (
    AsyncIterator,
    Awaitable,
    Callable,
    Iterable,
    Iterator,
    Mapping,
    Sequence,
)
from dataclasses import dataclass, field

from loricate.bench.care import USUAL_CARE, Care
from loricate.bench.danger import LiveOutput
from loricate.bench.errors import (
    BenchError,
    ChargeUnknown,
    GuardOpen,
    InstrumentFault,
    NotArmed,
    StillCharged,
)
from loricate.bench.instrument import POLL_S, Instrument
from loricate.bench.plan import BenchPlan
from loricate.bench.reach import Reach
from loricate.bench.resting import Rests
from loricate.bench.switching import Nest
from loricate.core.measuring.actions import Ending, Held, Level, Output, Programme
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.hazards import Hazard, hazard_of
from loricate.core.measuring.holding import Holding, Until

logger = logging.getLogger("loricate.bench")
RESTING = "resting"  # the phase of a sample that shows how long nothing may be put on
REST_LOOK_S = 0.1
AT_LEVEL = "dwell"  # the phase in which an output stands at its level


def _unseen(sample: Sample) -> None:
    """Samples that nobody watches."""


@contextlib.contextmanager
def _each_for_itself(name: str) -> Iterator[None]:
    """Whatever goes wrong with one instrument, the next is made safe all the same."""
    try:
        yield
    except BenchError:
        pass
    except Exception:
        logger.exception("making safe went wrong", extra={"instrument": name})


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


class Outputs:
    """What a bench's instruments put on units, and what it may have left in them.

    No relay moves under an output, nor while a unit may be charged. ``guard_is_closed`` reads the
    guard, ``reach`` keeps hands away.
    """

    def __init__(
        self,
        plan: BenchPlan,
        instruments: Mapping[str, Instrument],
        reach: Reach,
        guard_is_closed: Callable[[], Awaitable[bool]],
    ) -> None:
        self.plan, self.instruments, self.reach = plan, instruments, reach
        self.guard_is_closed = guard_is_closed
        self.live: dict[str, LiveOutput] = {}  # hazardous ones, by instrument
        self.charged: dict[str, str] = {}  # by instrument: why nobody may touch the fixture
        self._held: dict[str, _Held] = {}  # those that stay on, by instrument
        self._flowing: set[str] = set()  # those whose current a winding may keep, off or not
        self._leaving: set[asyncio.Future[None]] = set()
        self._rests = Rests(instruments)

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
        Raises NotArmed for high voltage that ``care`` does not allow.
        """
        instrument = self.instruments[name]
        await instrument.program(programme)
        self._refuse_while_charged()
        hazard = hazard_of(instrument.sure, instrument.capability)
        if not hazard.is_hazardous:
            try:
                output = await self._run_to_end(instrument, hazard, on_sample)
            except Exception:
                # Its link may be closed, and the stop with it: no relay moves under a current.
                with contextlib.suppress(BenchError):
                    await self._take_off(instrument)
                raise
            if name in self._flowing:
                await self._take_off(instrument)
            return output
        if not care.may_be_hazardous:
            raise NotArmed(name)
        async with self.reach.output():
            if not await self.guard_is_closed():
                raise GuardOpen
            live = self.live[name] = LiveOutput(self.plan.nest_names(nests), hazard, care)

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
            try:
                await instrument.follow(lambda sample: False, on_sample)
            finally:
                self._rests.begin(instrument)
            await self._rests.end(instrument)
            return await instrument.read_summary()
        except BaseException:
            instrument.stop_now()
            raise

    async def _start(self, instrument: Instrument, hazard: Hazard) -> None:
        """Put an output on. A guard that opened since it was read is told as what it is.

        Raises TooSoon where its role has not rested.
        """
        await self._rests.refuse_too_soon(instrument)
        self._rests.begin(instrument)  # whatever comes of it
        if instrument.keeps_current:
            self._flowing.add(instrument.name)
        try:
            await instrument.start()
        except InstrumentFault as error:
            instrument.stop_now()
            if hazard.is_hazardous and not await self.guard_is_closed():
                raise GuardOpen from error
            raise

    async def rest(self, name: str, on_sample: Callable[[Sample], None]) -> None:
        """Return once an instrument may put an output on again; shows how long that takes."""
        instrument = self.instruments[name]
        await instrument.ready()
        whole_s = await self._rests.left_s(instrument)
        while (left_s := await self._rests.left_s(instrument)) > 0:
            on_sample(Sample(whole_s - left_s, left_s, RESTING, {}))
            await asyncio.sleep(min(REST_LOOK_S, POLL_S + left_s / instrument.pace))

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
        is_new = held is None
        if held is None:
            instrument.refuse_unless_ends_early()
            await instrument.program(programme)
            self._refuse_while_charged()
            hazard = hazard_of(instrument.sure, instrument.capability)
            if hazard.is_hazardous and not care.may_be_hazardous:
                raise NotArmed(name)
            held = await self._hold_open(name, hazard)
            if held.hazard.is_hazardous:
                self.live[name] = LiveOutput(self.plan.nest_names(nests), held.hazard, care)
        held.on_sample = on_sample
        is_at_level = _AtLevel(instrument)
        async with self._kept_on(name):
            if is_new:
                await self._start(instrument, held.hazard)
            else:
                if instrument.is_running:
                    await instrument.adjust(programme)
                if not instrument.is_running:  # it ended by itself; nobody asked for it once more
                    return Level(None)
                await self._keep_hazard(name, held)
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
        if (live := self.live.get(name)) is not None:
            live.hazard = hazard

    def _look_of(self, name: str) -> Callable[[Sample], None]:
        """Take in a sample of an output that stays on, for danger and for who watches."""

        def look(sample: Sample) -> None:
            if (live := self.live.get(name)) is not None:
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
            if sample.phase != AT_LEVEL:
                return True  # it falls by itself: nothing of that is held
            met = holding.see(sample)
            if met is None and answered() and holding.may_be_answered:
                met = holding.question
            return True  # after each sample, so that the others are looked at in between

        async with self._kept_on(name):
            while met is None:
                sample = await instrument.follow(is_enough, look)
                if instrument.is_running and sample.phase != AT_LEVEL:
                    sample = await instrument.follow(lambda sample: False, look)
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
            runner_up=dict(holding.runner_up),
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
            if name in self.live:
                await self._discharge(name, look)
            else:
                await self._take_off(self.instruments[name])
        finally:
            self._let_go(name)

    def _let_go(self, name: str) -> None:
        """Forget an output that stayed on; what it may have left stands in ``live`` still."""
        instrument = self.instruments[name]
        instrument.stop_now()
        self._rests.begin(instrument)
        instrument.energised = False
        if (held := self._held.pop(name, None)) is not None:
            leaving = asyncio.ensure_future(held.stack.aclose())
            self._leaving.add(leaving)
            leaving.add_done_callback(self._leaving.discard)

    async def _discharge(
        self, name: str, on_sample: Callable[[Sample], None] | None = None
    ) -> None:
        """Measure until the unit is safe what an instrument's output left; no relay moves before.

        An answer that does not fit is asked for once more, over a new link; that it did not fit is
        raised when the unit is safe. Raises Charged, and remembers it until a person confirms, when
        nothing can say so.
        """
        live = self.live.get(name)
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
            except Exception as error:  # a defect of ours knows no more of it than a dead link
                if isinstance(error, BenchError) and not misfit and not instrument.link.is_open:
                    misfit = error
                    continue
                unknown = ChargeUnknown(instrument.name, str(error).rstrip("."))
                self.charged[instrument.name] = str(unknown)
                raise unknown from error
        del self.live[name]
        if (wrong := misfit or broken) is not None:
            raise wrong

    async def _take_off(self, instrument: Instrument) -> None:
        """Reach an instrument, over a new link if need be, until it says that its output is off.

        Where a winding may keep its current, it is off only when that is gone; what is not known of
        it stays dangerous until a person confirms, and raises ChargeUnknown.
        """
        try:
            if not instrument.link.is_open or not instrument.identity:
                instrument.identity = ""
                await instrument.connect()
                instrument.stop_now()
            if not await instrument.is_off():
                instrument.stop_now()
                await self._until_off(instrument)
        except Exception as error:
            if instrument.name not in self._flowing:
                raise
            unknown = ChargeUnknown(instrument.name, str(error).rstrip("."))
            self.charged[instrument.name] = str(unknown)
            raise unknown from error
        self._flowing.discard(instrument.name)

    @staticmethod
    async def _until_off(instrument: Instrument) -> None:
        """Ask until it is off, as long as its make may take for that."""
        loop = asyncio.get_running_loop()
        until = loop.time() + instrument.profile.off_within_s
        while not await instrument.is_off():
            if loop.time() >= until:
                raise InstrumentFault(instrument.name, "does not take its output off")
            await asyncio.sleep(POLL_S)

    def may_be_charged(self, holder: str | None) -> bool:
        """Whether what an instrument reaches may be charged; what nobody holds may be by any."""
        # No relay moves under a current either.
        on = self.live.keys() | self._held.keys() | self._flowing
        return bool(on) if holder is None else holder in on

    def _refuse_while_charged(self) -> None:
        for name in self.charged:
            raise ChargeUnknown(name, "nobody has confirmed yet that it was earthed")

    def stop_now(self, names: Iterable[str] | None = None) -> None:
        """Take outputs off at once, every one by default: the first act of any abort."""
        for name, instrument in self.instruments.items():
            if names is None or name in names:
                instrument.stop_now()

    async def make_safe(
        self, on_residual: Callable[[Sample], None] | None = None
    ) -> tuple[str, ...]:
        """Every output off and every unit discharged; tries each, whatever the others do.

        Gives what stands in the way of touching the fixture, if anything does.
        """
        self.stop_now()
        for name in list(self._held):
            self._let_go(name)
        for name, instrument in self.instruments.items():
            with _each_for_itself(name):  # its dead-man takes the output off
                if instrument.link.is_open and not await instrument.is_off():
                    instrument.stop_now()
        for name in list(self._flowing):
            with _each_for_itself(name):
                await self._take_off(self.instruments[name])
        for name in list(self.live):
            with _each_for_itself(name):  # what is charged is kept in ``charged``
                await self._discharge(name, on_residual)
        return tuple(self.charged.values())

    def suspect(self, name: str) -> None:
        """Take what an instrument reaches for charged: somebody else may have left it so.

        Of one whose current a winding keeps, take the current for flowing.
        """
        if self.instruments[name].keeps_current:
            self._flowing.add(name)
            return
        self.live[name] = LiveOutput((), Hazard(math.nan))

    async def confirm_earthed(self) -> tuple[str, ...]:
        """A person has earthed the unit by hand: forget the charge.

        Gives what still stands in the way, if an output is still on.
        """
        self.stop_now()
        for name in (*self.live, *self._flowing):
            with contextlib.suppress(BenchError):
                if not await self.instruments[name].is_off():
                    return (f"Instrument {name} still has its output on.",)
        self.live.clear()
        self._flowing.clear()
        self.charged.clear()
        return ()
