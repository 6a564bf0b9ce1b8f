"""What every sourcing stand-in shares: programmed phases on the paced clock, trip, dead-man."""

import asyncio
import random
import time

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.scpi import ScpiError
from loricate.simulator.server import Instrument

TICK_S = 0.004
STALL_S = 0.05
IDLE, DONE = "IDLE", "DONE"


class OutputInstrument(Instrument):
    """An instrument that runs a programmed output: named phases, each with a length in seconds.

    A subclass says its ``phases()``, computes one moment in ``step(phase, into_s)`` and may end the
    output early with ``finish(ending)``. Only a finished output leaves a summary.
    """

    hazardous = True

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial)
        self.name, self.floor, self.clock = name, floor, clock
        self.chance = random.Random(f"{name}/{serial}")
        self.phase, self.ending = IDLE, "NONE"
        self.started = self.reached = 0.0
        self.starter: object | None = None
        self.plan: list[tuple[str, float]] = []
        self._task: asyncio.Task[None] | None = None
        self.command("INITiate[:IMMediate]", self.initiate)
        self.command("ABORt", lambda: self.drop("ABORTED"))
        self.command("FETCh?", self.fetch)
        self.command("FETCh:SUMMary?", self.fetch_summary)
        floor.on_guard_open.append(lambda: self.drop("GUARD"))

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
        self.begin()
        self.started = self.reached = self.clock.now()
        self.silence_s = 0.0
        self._task = asyncio.get_running_loop().create_task(self._run())

    def run_at_once(self, step_s: float) -> None:
        """Run the programmed output without a clock, at most ``step_s`` at a time.

        Every phase is looked at at its end, however long the step is.
        """
        self.step_s = step_s
        self.plan = self.phases()
        self.phase, self.ending = self.plan[0][0], "NONE"
        self.begin()
        began, elapsed = 0.0, 0.0
        for _, length in self.plan:
            while self.output_on and elapsed < began + length:
                elapsed = min(elapsed + step_s, began + length)
                self._step_at(elapsed)
            began += length
        self.finish("FINISHED")

    async def _run(self) -> None:
        """Follow the paced clock in small steps until the plan is done."""
        total = sum(length for _, length in self.plan)
        while self.output_on:
            until_end = (self.started + total - self.clock.now()) / self.clock.pace
            before = time.monotonic()
            await asyncio.sleep(min(TICK_S, max(0.0, until_end)))
            # Time that this process itself was held up does not count as the other side's silence.
            self.silence_s += min(time.monotonic() - before, STALL_S)
            if self.deadman_s and self.silence_s > self.deadman_s:
                self.drop("DEADMAN")
                return
            goal = min(self.clock.now(), self.started + total)
            while self.output_on and self.reached < goal:
                self.reached = min(self.reached + self.step_s, goal)
                self._step_at(self.reached - self.started)
            if self.output_on and self.clock.now() >= self.started + total:
                self.finish("FINISHED")

    def _step_at(self, elapsed_s: float) -> None:
        begin = 0.0
        for phase, length in self.plan:
            if elapsed_s <= begin + length:
                self.phase = phase
                self.step(phase, elapsed_s - begin, length)
                return
            begin += length

    def finish(self, ending: str) -> None:
        """End the output with its word for how."""
        if not self.output_on:
            return
        self.phase, self.ending = DONE, ending
        self.floor.outputs_on.discard(self.name)
        self.cut()

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
        total = sum(length for _, length in self.plan)
        if self.output_on:
            elapsed = min(self.clock.now() - self.started, total)
        else:
            elapsed = self.reached - self.started
        remaining = total - elapsed if self.output_on else 0.0
        return ",".join([self.phase, f"{elapsed:.4f}", f"{remaining:.4f}", *self.values()])

    def fetch_summary(self) -> str:
        """ending, then the summary's values."""
        if self.phase != DONE:
            raise ScpiError(-230, "Data corrupt or stale")
        return ",".join([self.ending, *self.summary()])

    def noisy(self, value: float, fraction: float, absolute: float) -> float:
        """Add the meter's noise to a true value."""
        return value * (1 + self.chance.gauss(0, fraction)) + self.chance.gauss(0, absolute)


def bounded(value: float, floor: float, ceiling: float) -> tuple[float, str]:
    """What a meter shows of a true value, and NORMAL, UNDER (its floor) or OVER (its range)."""
    if abs(value) < floor:
        return floor, "UNDER"
    if abs(value) > ceiling:
        return ceiling, "OVER"
    return value, "NORMAL"
