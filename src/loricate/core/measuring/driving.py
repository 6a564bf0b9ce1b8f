"""Driving a procedure: each of its actions is performed by somebody, and what came of it sent back.

There is one driver for whoever performs procedures: runs and rehearsals, the upkeep of a fixture,
challenges. What one of them cannot do it refuses by name; an action that nobody thought of fails
the type check of ``perform``.
"""

from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Coroutine, Iterable
from contextlib import AsyncExitStack, asynccontextmanager
from dataclasses import replace
from typing import Any, TypeVar, assert_never

from loricate.core.errors import ProcedureError
from loricate.core.measuring.actions import (
    Acquire,
    Answer,
    AnyAction,
    Ask,
    Asking,
    At,
    Connect,
    Energise,
    Enter,
    FixtureZero,
    Form,
    HandsIn,
    Held,
    Hold,
    Join,
    Keep,
    KeepZero,
    LeadOhms,
    LeadZero,
    Level,
    Off,
    OtherCables,
    Output,
    Procedure,
    Recall,
    Rest,
    Scan,
    Scanned,
    Source,
    Switch,
    Tell,
    UnitTemperature,
    Wait,
    Watch,
    Watched,
    Waveform,
)
from loricate.core.measuring.curves import Curve, course_of
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.holding import Answered, Holding, Until, asks_hands_in
from loricate.core.measuring.impedance import ImpedanceZero
from loricate.core.measuring.readings import Doubt, Reading
from loricate.core.measuring.roles import Role
from loricate.core.wiring.description import Wiring

TOUCHED = Answered("", (), hands_in=True)
R = TypeVar("R")


class Driver(ABC):
    """Performs procedures; what each action does is the subclass's.

    The curves and doubts of the outputs are kept here, so that no procedure can forget them.
    """

    def __init__(self) -> None:
        self.point = ""
        self.on: list[Role] = []  # the roles whose outputs stay on, in the order in which they went
        self._is_reached = False  # whether hands may be in
        self.curves: list[Curve] = []
        self.doubts: list[Doubt] = []

    async def drive(self, procedure: Asking[R]) -> R:
        """Perform a procedure and give what it hands back."""
        async with AsyncExitStack() as self._hands:
            try:
                return await self._drive(procedure)
            finally:
                self._is_reached = False

    async def _drive(self, procedure: Asking[R]) -> R:
        try:
            action = next(procedure)
            while True:
                action = procedure.send(await self.perform(action))
        except StopIteration as done:
            result: R = done.value
        except Exception:
            await self._end_outputs()
            raise
        if self.on:
            left = " and ".join(self.on)
            await self._end_outputs()
            raise ProcedureError(f"A procedure came to its end with its output on: {left}.")
        return result

    async def _end_outputs(self) -> None:
        """Take off what a procedure left on; whatever stands in the way of that comes first."""
        while self.on:
            await self.drop(self.on.pop())

    async def measure(self, procedure: Procedure) -> Measured:
        """Perform a step's procedure; gives what it measured, with its outputs' curves and doubts.

        The curves are in order of time, those that the procedure made itself after them.
        """
        self.point, self.curves, self.doubts = "", [], []
        measured = await self.drive(procedure)
        return replace(
            measured,
            curves=(*self.curves, *measured.curves),
            doubts=(*measured.doubts, *self.doubts),
        )

    async def perform(self, action: AnyAction) -> object:
        """Perform one action and give what came of it."""
        match action:
            case Ask():
                self._refuse_while_on(action)
                return await self.ask(action)
            case Enter():
                self._refuse_while_on(action)
                return await self.enter(action)
            case Form():
                self._refuse_while_on(action)
                return await self.fill_in(action)
            case Wait():
                self._refuse_while_on(action)
                await self.wait(action.seconds)
            case At():
                self.point = action.point
                self.come_to(action)
            case Tell():
                self.tell(action)
            case HandsIn():
                self._refuse_while_on(action)
                await self._hands.enter_async_context(self.reaching((TOUCHED,)))
                self._is_reached = True
            case Recall():
                return self.recall(action)
            case UnitTemperature():
                return self.unit_temperature()
            case Keep():
                await self.keep(action)
            case OtherCables():
                return self.other_cables()
            case FixtureZero():
                return self.fixture_zero(action)
            case LeadZero():
                return self.lead_zero(action)
            case KeepZero():
                await self.keep_zero(action)
            case Connect():
                self._refuse_while_on(action, action.role)
                await self.connect(action)
            case Switch():
                self._refuse_while_on(action, action.role)
                await self.switch(action)
            case Join():
                self._refuse_while_on(action)
                await self.join(action)
            case Energise():
                self._refuse_while_on(action, action.role)
                return self._seen(await self.energise(action))
            case Source():
                return await self._source(action)
            case Hold():
                return await self._hold(action)
            case Off():
                return await self._off(action.role)
            case Watch():
                return await self._watch(action)
            case Rest():
                self._refuse_while_on(action)
                await self.rest(action)
            case Acquire():
                self._refuse_while_on(action, action.role)
                waveform = await self.acquire(action)
                self.curves.append(replace(waveform.curve, point=self.point))
                return waveform
            case Scan():
                self._refuse_while_on(action)
                scanned = await self.scan(action)
                self.doubts.extend(scanned.output.doubts)  # its samples are of many points
                return scanned
            case _:
                assert_never(action)
        return None

    def _refuse_while_on(self, action: AnyAction, role: Role | None = None) -> None:
        """Nothing is asked, waited for or connected anew under an output, but what ``Hold`` does.

        Of another role than the one that is on, connections may change: the bench sees to it that
        they do not touch what is on.
        """
        if self.on if role is None else role in self.on:
            raise ProcedureError(f"A procedure asked for {action!r} with its output on.")

    def _refuse_unless_on(self, action: AnyAction, role: Role) -> None:
        if role not in self.on:
            raise ProcedureError(f"A procedure asked for {action!r} with no output on.")

    async def _source(self, action: Source) -> Level:
        if action.role not in self.on:
            self.on.append(action.role)
        return self._looked(await self.source(action))

    def _looked(self, level: Level) -> Level:
        if level.look is not None:
            self.doubts.extend(level.look.doubts)
        return level

    async def _hold(self, action: Hold) -> Held:
        self._refuse_unless_on(action, action.role)
        if not self._is_reached and any(asks_hands_in(each) for each in action.until):
            raise ProcedureError("Nobody touches a unit under an output but in a Watch.")
        held = await self.hold(action, Holding(action.until))
        for look in (held.last, *held.at.values()):
            self.doubts.extend(look.doubts)
        return held

    async def _off(self, role: Role) -> Output:
        self._refuse_unless_on(Off(role), role)
        self.on.remove(role)
        return self._seen(await self.off(Off(role)))

    async def _watch(self, action: Watch) -> Watched:
        self._refuse_while_on(action, action.role)
        if self._is_reached:
            return await self._watched(action)
        async with self.reaching(action.until):
            self._is_reached = True
            try:
                return await self._watched(action)
            finally:
                self._is_reached = False

    async def _watched(self, action: Watch) -> Watched:
        held = None
        level = await self._source(Source(action.role, action.programme))
        if level.look is not None:
            held = await self._hold(Hold(action.role, action.until))
        return Watched(held, await self._off(action.role))

    @asynccontextmanager
    async def reaching(self, until: Iterable[Until]) -> AsyncIterator[None]:
        """Let somebody touch the unit while this is entered, where one of these ends asks it."""
        yield

    def _seen(self, output: Output) -> Output:
        if output.samples:
            self.curves.append(course_of(output.samples, output.dimensions, self.point))
        self.doubts.extend(output.doubts)
        return output

    @abstractmethod
    def other_cables(self) -> tuple[tuple[str, Wiring], ...]:
        """The other cables that are known here."""

    @abstractmethod
    def tell(self, action: Tell) -> None:
        """Say something to whoever stands there."""

    @abstractmethod
    async def ask(self, action: Ask) -> Answer:
        """Put a question."""

    @abstractmethod
    async def enter(self, action: Enter) -> Answer:
        """Ask for a figure."""

    @abstractmethod
    async def fill_in(self, action: Form) -> Answer:
        """Ask for several entries."""

    @abstractmethod
    async def wait(self, seconds: float) -> None:
        """Let time pass."""

    @abstractmethod
    def come_to(self, action: At) -> None:
        """Show that a point has been come to."""

    @abstractmethod
    def recall(self, action: Recall) -> Reading | None:
        """Look up what an earlier step read."""

    @abstractmethod
    def unit_temperature(self) -> Reading | None:
        """Look up what temperature the unit has."""

    @abstractmethod
    async def keep(self, action: Keep) -> None:
        """Keep readings of a step that goes on."""

    @abstractmethod
    def lead_zero(self, action: LeadZero) -> LeadOhms | None:
        """Look up the zero of leads."""

    @abstractmethod
    async def keep_zero(self, action: KeepZero) -> None:
        """Keep the zero of leads."""

    @abstractmethod
    def fixture_zero(self, action: FixtureZero) -> ImpedanceZero | None:
        """Look up a path's zero."""

    @abstractmethod
    async def connect(self, action: Connect) -> None:
        """Connect an instrument to the unit."""

    @abstractmethod
    async def switch(self, action: Switch) -> None:
        """Change what an instrument is connected to."""

    @abstractmethod
    async def join(self, action: Join) -> None:
        """Close crosspoints."""

    @abstractmethod
    async def energise(self, action: Energise) -> Output:
        """Program an output and follow it to its end."""

    @abstractmethod
    async def source(self, action: Source) -> Level:
        """Bring an output to a level."""

    @abstractmethod
    async def hold(self, action: Hold, holding: Holding) -> Held:
        """Sample until the hold ends."""

    @abstractmethod
    async def off(self, action: Off) -> Output:
        """Take an output off and give what it did."""

    @abstractmethod
    async def drop(self, role: Role) -> None:
        """Take an output off that nobody wants any more."""

    @abstractmethod
    async def rest(self, action: Rest) -> None:
        """Wait until a role may put an output on again."""

    @abstractmethod
    async def acquire(self, action: Acquire) -> Waveform:
        """Fetch a record."""

    @abstractmethod
    async def scan(self, action: Scan) -> Scanned:
        """Measure path after path."""


def at_once(work: Coroutine[Any, Any, R]) -> R:
    """The result of what never waits, without an event loop; RuntimeError if it does wait."""
    try:
        work.send(None)
    except StopIteration as done:
        result: R = done.value
        return result
    work.close()
    raise RuntimeError("What should be done at once waits for something.")
