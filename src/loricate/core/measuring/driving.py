"""Driving a procedure: each of its actions is performed by somebody, and its outcome sent back.

There is one driver for whoever performs procedures: runs and rehearsals, the upkeep of a fixture,
challenges. What one of them cannot do it refuses by name; an action that nobody thought of fails
the type check of ``perform``.
"""

from abc import ABC, abstractmethod
from collections.abc import Coroutine
from dataclasses import replace
from typing import Any, TypeVar, assert_never

from loricate.core.measuring.actions import (
    Answer,
    AnyAction,
    Ask,
    Asking,
    At,
    Connect,
    Energise,
    Enter,
    FixtureZero,
    Join,
    Output,
    Procedure,
    Recall,
    Wait,
)
from loricate.core.measuring.curves import Curve, course_of
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.impedance import ImpedanceZero
from loricate.core.measuring.readings import Doubt, Reading

R = TypeVar("R")


class Driver(ABC):
    """Performs procedures; what each action does is the subclass's.

    The curves and doubts of the outputs are kept here, so that no procedure can forget them.
    """

    def __init__(self) -> None:
        self.point = ""
        self.curves: list[Curve] = []
        self.doubts: list[Doubt] = []

    async def drive(self, procedure: Asking[R]) -> R:
        """Perform a procedure and give what it hands back."""
        try:
            action = next(procedure)
            while True:
                action = procedure.send(await self.perform(action))
        except StopIteration as done:
            result: R = done.value
            return result

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
        """Perform one action and give its outcome."""
        match action:
            case Ask():
                return await self.ask(action)
            case Enter():
                return await self.enter(action)
            case Wait():
                await self.wait(action.seconds)
            case At():
                self.point = action.point
                self.come_to(action)
            case Recall():
                return self.recall(action)
            case FixtureZero():
                return self.fixture_zero(action)
            case Connect():
                await self.connect(action)
            case Join():
                await self.join(action)
            case Energise():
                return self._seen(await self.energise(action))
            case _:
                assert_never(action)
        return None

    def _seen(self, output: Output) -> Output:
        self.curves.append(course_of(output.samples, output.dimensions, self.point))
        self.doubts.extend(output.doubts)
        return output

    @abstractmethod
    async def ask(self, action: Ask) -> Answer:
        """Put a question."""

    @abstractmethod
    async def enter(self, action: Enter) -> Answer:
        """Ask for a figure."""

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
    def fixture_zero(self, action: FixtureZero) -> ImpedanceZero | None:
        """Look up a path's zero."""

    @abstractmethod
    async def connect(self, action: Connect) -> None:
        """Connect an instrument to the unit."""

    @abstractmethod
    async def join(self, action: Join) -> None:
        """Close crosspoints."""

    @abstractmethod
    async def energise(self, action: Energise) -> Output:
        """Program an output and follow it to its end."""


def at_once(work: Coroutine[Any, Any, R]) -> R:
    """The result of what never waits, without an event loop; RuntimeError if it does wait."""
    try:
        work.send(None)
    except StopIteration as done:
        result: R = done.value
        return result
    work.close()
    raise RuntimeError("What should be done at once waits for something.")
