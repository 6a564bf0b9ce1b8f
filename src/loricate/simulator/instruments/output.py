"""What every sourcing stand-in shares: programmed phases on the paced clock, trip, dead-man."""

import asyncio
import math
import random
import time
from collections.abc import Callable

from loricate.simulator import scpi
from loricate.simulator.clock import STALL_S, PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.network import Capacitor, Element, Network, Solution
from loricate.simulator.scpi import ScpiError
from loricate.simulator.server import Instrument

TICK_S = 0.004
ROUNDING_S = 1e-9
WATCHED_S = 2.0
IDLE, DONE = "IDLE", "DONE"


class OutputInstrument(Instrument):
    """An instrument that runs a programmed output: named phases, each with a length in seconds.

    A subclass says its ``phases()``, computes one moment in ``step(phase, into_s)`` and may end the
    output early with ``finish(ending)``. Only a finished output leaves a summary.
    """

    hazardous = True
    terminals: tuple[str, ...] = ()  # the nodes that its leads end at

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial)
        self.name, self.floor, self.clock = name, floor, clock
        self.chance = random.Random(f"{name}/{serial}")
        self.phase, self.ending = IDLE, "NONE"
        self.started = self.reached = 0.0
        self.starter: object | None = None
        self.is_looked_at = False
        self.dwelt_s = 0.0
        self.plan: list[tuple[str, float]] = []
        self._task: asyncio.Task[None] | None = None
        self.defaults: dict[str, float | str] = {}
        self.command("INITiate[:IMMediate]", self.initiate)
        self.command("ABORt", lambda: self.drop("ABORTED"))
        self.command("SOURce:DWELl:END", self.end_dwell)
        self.command("FETCh?", self.fetch)
        self.command("FETCh:SUMMary?", self.fetch_summary)
        floor.on_guard_open.append(lambda: self.drop("GUARD"))

    def setting(
        self,
        spelling: str,
        name: str,
        low: float,
        high: float,
        unit: str,
        while_on: Callable[[float], None] | None = None,
    ) -> None:
        """Make a numeric setting and its query known.

        While the output is on it is refused, or done by ``while_on``.
        """
        self.defaults[name] = getattr(self, name)

        def write(text: str) -> None:
            value = scpi.number(text, low, high, unit)
            if self.output_on and while_on is not None:
                while_on(value)
                return
            self.refuse_while_on()
            setattr(self, name, value)

        def read(which: str = "") -> str:
            value = scpi.number(which, low, high) if which else getattr(self, name)
            return f"{value:g}"

        self.command(spelling, write)
        self.command(spelling + "?", read)

    def choices(self, spelling: str, name: str, *words: str) -> None:
        """Make a setting by words and its query known: refused while the output is on."""
        self.defaults[name] = getattr(self, name)

        def write(text: str) -> None:
            self.refuse_while_on()
            setattr(self, name, scpi.choice(text, *words))

        self.command(spelling, write)
        self.command(spelling + "?", lambda: str(getattr(self, name)))

    def refuse_while_on(self) -> None:
        """Raise the settings conflict of an output that is on."""
        if self.output_on:
            raise ScpiError(*scpi.SETTINGS_CONFLICT)

    def reset(self) -> None:
        """Back to power-on: output off, settings as they were then, no result."""
        super().reset()
        for name, value in self.defaults.items():
            setattr(self, name, value)
        self.phase, self.ending = IDLE, "NONE"
        self.started = self.reached = 0.0

    # What a subclass fills in.
    def phases(self) -> list[tuple[str, float]]:
        """The phases of the programmed output with their lengths in seconds."""
        raise ScpiError(*scpi.SETTINGS_CONFLICT)

    def begin(self) -> None:
        """Called when the output goes on."""

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        """Compute the moment ``into_s`` seconds into ``phase``."""

    def cut(self) -> None:
        """Called when the output goes off, however it ends."""

    def bleed(self) -> tuple[Element, ...]:
        """What it discharges a unit through while its output is off."""
        return ()

    def values(self) -> list[str]:
        """The live values for FETCh?, after phase, elapsed and remaining seconds."""
        return []

    def summary(self) -> list[str]:
        """The summary's values for FETCh:SUMMary?, after the ending."""
        return []

    step_s = 0.01

    @property
    def output_on(self) -> bool:
        return self.phase not in (IDLE, DONE)

    def initiate(self) -> None:
        """Turn the programmed output on."""
        if self.output_on or (self.hazardous and not self.floor.guard_closed):
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        self.plan = self.phases()
        self.phase, self.ending = self.plan[0][0], "NONE"
        self.starter = self.owner
        self.floor.outputs_on.add(self.name)
        self.floor.rest()
        self.floor.bleeds.pop(self.name, None)
        self.is_looked_at = False
        self.dwelt_s = 0.0
        self.begin()
        self.started = self.reached = self.clock.now()
        self.silence_s = 0.0
        self._task = asyncio.get_running_loop().create_task(self._run())

    def begin_at_once(self, step_s: float) -> None:
        """Put the programmed output on without a clock, to be followed in steps."""
        self.step_s = step_s
        self.plan = self.phases()
        self.phase, self.ending = self.plan[0][0], "NONE"
        self.dwelt_s = self.started = self.reached = 0.0
        self.begin()

    def advance(self, by_s: float) -> None:
        """Follow an output without a clock for a while, every phase to its very end."""
        goal, began = min(self.reached + by_s, self.plan_s), 0.0
        for _, length in self.plan:
            while self.output_on and self.reached < min(goal, began + length):
                self.reached = min(self.reached + self.step_s, began + length, goal)
                self._step_at(self.reached)
            began += length
        if self.reached >= self.plan_s:
            self.finish("FINISHED")

    def end_at_once(self) -> None:
        """Have an output without a clock fall to its end."""
        if self.output_on:
            self.end_dwell()
            self.advance(self.plan_s)

    def end_dwell(self) -> None:
        """Have the output fall now, whatever its programme has left of its time at level."""
        self.refuse_unless_dwelling()
        elapsed = self.reached - self.started
        fall = self.plan[-1] if self.plan[-1][0] == "FALL" else ("FALL", 0.0)
        self.plan = [*self._until(elapsed), fall]

    def _until(self, elapsed_s: float) -> list[tuple[str, float]]:
        """The plan's phases as far as they have come."""
        came: list[tuple[str, float]] = []
        began = 0.0
        for phase, length in self.plan:
            if elapsed_s <= began + length + ROUNDING_S:
                return [*came, (phase, elapsed_s - began)]
            came.append((phase, length))
            began += length
        return came

    def refuse_unless_dwelling(self) -> None:
        """Raise the settings conflict of an output that does not stand at its level."""
        self.catch_up()
        if self.phase != "DWELL":
            raise ScpiError(*scpi.SETTINGS_CONFLICT)

    def raise_to(self, level_v: float) -> None:
        """Bring the output that is on to another level; a source that can overrides this."""
        raise ScpiError(*scpi.SETTINGS_CONFLICT)

    def run_at_once(self, step_s: float) -> None:
        """Run the programmed output without a clock, at most ``step_s`` at a time.

        Every phase is looked at at its end, however long the step is.
        """
        self.begin_at_once(step_s)
        self.advance(self.plan_s)
        self.finish("FINISHED")

    async def _run(self) -> None:
        """Follow the paced clock in small steps until the plan is done."""
        while self.output_on:
            until_end = (self.started + self.plan_s - self.clock.now()) / self.clock.pace
            before = time.monotonic()
            await asyncio.sleep(min(TICK_S, max(0.0, until_end)))
            # Time that this process itself was held up does not count as the other side's silence.
            self.silence_s += min(time.monotonic() - before, STALL_S)
            if self.deadman_s and self.silence_s > self.deadman_s:
                self.drop("DEADMAN")
                return
            self.catch_up()
            is_over = self.reached >= self.started + self.plan_s
            if self.output_on and is_over and (self.is_looked_at or self._is_patient_enough()):
                self.finish("FINISHED")

    def catch_up(self) -> None:
        """Follow the output up to now: whatever held this process up, nobody is told of then."""
        if self._task is None:
            return  # it has no clock
        goal = min(self.clock.now(), self.started + self.plan_s)
        while self.output_on and self.reached < goal:
            self.reached = min(self.reached + self.step_s, goal)
            self._step_at(self.reached - self.started)

    def _is_patient_enough(self) -> bool:
        """Whether nobody is going to look. A clock that is faster than real time does not outrun
        those who watch: it waits a moment at the end, until its output was looked at once.
        """
        waited_s = (self.clock.now() - self.started - self.plan_s) / self.clock.pace
        return self.clock.pace <= 1 or waited_s > WATCHED_S

    @property
    def plan_s(self) -> float:
        """The length of the programmed output in s."""
        return sum(length for _, length in self.plan)

    def _step_at(self, elapsed_s: float) -> None:
        begin = 0.0
        for phase, length in self.plan:
            if elapsed_s <= begin + length + ROUNDING_S:
                self.phase = phase
                if phase == "DWELL":
                    self.dwelt_s = min(elapsed_s - begin, length)
                self.step(phase, elapsed_s - begin, length)
                return
            if phase == "DWELL":
                self.dwelt_s = length
            begin += length

    def finish(self, ending: str) -> None:
        """End the output with its word for how."""
        if not self.output_on:
            return
        self.phase, self.ending = DONE, ending
        self.floor.outputs_on.discard(self.name)
        self.floor.bleeds[self.name] = self.bleed()
        self.cut()

    def residual_v(self) -> float:
        """Volts left between its terminals; it bleeds them for as long as it is connected."""
        self.floor.bleeds.setdefault(self.name, self.bleed())
        solution = self.floor.rest()
        left = 0.0
        if solution is not None:
            ends = [solution.at(node).real for node in self.terminals]
            left = max(ends) - min(ends)
        return abs(self.noisy(left, 1e-3, 0.05))

    def leave_charge(self, network: Network, volts: Solution | None, factor: float) -> None:
        """Leave in the capacitors reached what stood across them, times ``factor``."""
        if volts is None or self.floor.forgets:
            return
        held = {
            each: abs(volts.across(each.a, each.b)) * factor
            for each in network.elements
            if isinstance(each, Capacitor)
        }
        self.floor.keep(held, network.reached(self.terminals))

    def drop(self, reason: str) -> None:
        self.finish(reason if reason.isupper() else reason.upper())

    def link_lost(self, owner: object) -> None:
        if owner is self.starter:
            self.drop("LINK")

    async def wait_idle(self) -> None:
        if self._task is not None and self.output_on:
            await asyncio.wait([self._task])

    def fetch(self) -> str:
        """phase, elapsed s, remaining s, then the live values."""
        self.catch_up()
        total = self.plan_s
        self.is_looked_at = self.is_looked_at or self.output_on
        elapsed = self.reached - self.started
        passed = min(self.clock.now() - self.started, total)
        remaining = total - passed if self.output_on else 0.0
        return ",".join([self.phase, f"{elapsed:.4f}", f"{remaining:.4f}", *self.values()])

    def fetch_summary(self) -> str:
        """ending, then the summary's values."""
        if self.phase != DONE:
            raise ScpiError(-230, "Data corrupt or stale")
        return ",".join([self.ending, *self.summary(), f"{self.dwelt_s:.4f}"])

    def noisy(self, value: float, fraction: float, absolute: float) -> float:
        """Add the meter's noise to a true value."""
        return value * (1 + self.chance.gauss(0, fraction)) + self.chance.gauss(0, absolute)


def displayed(value: float, step: float, digits: int = 4) -> str:
    """A value as a display of so many digits shows it, in steps of no less than ``step``."""
    if not value or not math.isfinite(value):
        return f"{value:g}"
    smallest = 10.0 ** (math.floor(math.log10(abs(value))) - digits + 1)
    unit = max(step, smallest)
    return f"{round(value / unit) * unit:.{digits + 2}g}"


def bounded(value: float, floor: float, ceiling: float) -> tuple[float, str]:
    """What a meter shows of a true value, and NORMAL, UNDER (its floor) or OVER (its range)."""
    if abs(value) < floor:
        return floor, "UNDER"
    if abs(value) > ceiling:
        return ceiling, "OVER"
    return value, "NORMAL"
