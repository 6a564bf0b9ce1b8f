"""Low-resistance meter: a DC current of up to 10 A through a winding, four-wire.

What it sees between its leads is a resistance and an inductance: the current rises as fast as its
10 V drive it, and is regulated from then on. It takes the current out again before it calls itself
off, whatever ended it; to open its leads before that would strike an arc.
"""

import asyncio
import math

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import DONE, OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Resistor, Source

COMPLIANCE_V, LEAD_OHMS = 10.0, 0.03
FLOOR_A, RANGE_A, RANGE_V = 1e-3, 10.5, 10.5
STEP_A, STEP_V = 1e-5, 1e-6  # what its display can tell apart
LET_GO_A = 1e-3  # a current that may be opened
SLOW_HZ = 0.1  # so slow that what it sees is R and L in series
AFTER = 0.03  # of the volts that die away after the current stands, as the phases share it
RISEN = 0.9995


class LowResistanceMeter(OutputInstrument):
    """Drives ``force_high`` to ``force_low`` and reads volts between the sense leads."""

    model = "LOW-RESISTANCE-METER"
    hazardous = False
    step_s = 0.005

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_a, self.ramp_s, self.dwell_s = 1.0, 30.0, 1.0
        self.gain = 1 + self.chance.uniform(-1e-4, 1e-4)
        self.true_a = self.sense_ohms = self.loop_ohms = self.henries = 0.0
        self.amperes = self.volts = self.stood_s = 0.0
        self.latched = ""  # how it ended, while it takes its current out
        self.setting("SOURce:CURRent[:LEVel]", "level_a", 1e-2, 10, "A")
        self.setting("SOURce:RAMP:MOST", "ramp_s", 0.1, 3600, "S")
        self.setting("SOURce:DWELl", "dwell_s", 0.1, 3600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("RAMP", self.ramp_s), ("DWELL", self.dwell_s), ("FALL", 0.0)]

    def begin(self) -> None:
        high, low = f"{self.name}.force_high", f"{self.name}.force_low"
        sense = (f"{self.name}.sense_high", f"{self.name}.sense_low")
        network = self.floor.circuit(
            (Resistor(low, EARTH, LEAD_OHMS), Resistor(sense[0], sense[1], 1e7))
        )
        source = Source(high, EARTH, COMPLIANCE_V, LEAD_OHMS)
        direct = network.solve_dc([source])
        flowing = direct.current_of(source).real
        self.loop_ohms = COMPLIANCE_V / flowing if flowing > 0 else math.inf
        self.sense_ohms = direct.across(*sense).real / flowing if flowing > 0 else 0.0
        slow = network.solve_ac([source], SLOW_HZ)
        through = slow.current_of(source)
        seen = COMPLIANCE_V / through if abs(through) > 0 else complex(math.inf)
        self.henries = max(0.0, seen.imag / (2 * math.pi * SLOW_HZ)) if flowing > 1e-3 else 0.0
        self.true_a = self.stood_s = 0.0
        self.latched = ""
        self.reached_s = 0.0
        self.step(self.plan[0][0], 0.0, 0.0)

    @property
    def fall_s(self) -> float:
        """How long the current takes to die away against its full volts."""
        if self.true_a <= LET_GO_A or not self.henries:
            return 0.0
        own = self.henries / self.loop_ohms
        return own * math.log1p(self.true_a * self.loop_ohms / COMPLIANCE_V) + self.step_s

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        passed_s = max(0.0, into_s - self.reached_s) if phase != "FALL" else 0.0
        self.reached_s = into_s
        most_a = COMPLIANCE_V / self.loop_ohms if math.isfinite(self.loop_ohms) else 0.0
        if phase == "RAMP":
            own_s = self.henries / self.loop_ohms if self.henries else 0.0
            share = 1 - math.exp(-passed_s / own_s) if own_s else 1.0
            self.true_a = min(self.level_a, self.true_a + (most_a - self.true_a) * share)
            if self.true_a >= self.level_a * RISEN:
                self.true_a = self.level_a
                self.plan = [("RAMP", into_s), ("DWELL", self.dwell_s), ("FALL", 0.0)]
                self.stood_s, self.reached_s = 0.0, 0.0
        elif phase == "DWELL":
            self.stood_s = into_s
        else:
            left = 1 - into_s / length_s if length_s else 0.0
            self._read(self.level_a * max(0.0, left), 0.0)
            return
        self._read(self.true_a, self._dying())

    def _dying(self) -> float:
        """The share of its volts that is still dying away: the phases share the current anew."""
        own_s = self.henries / self.sense_ohms if self.sense_ohms and self.henries else 0.0
        return AFTER * math.exp(-self.stood_s / own_s) if own_s else 0.0

    def _read(self, amperes: float, dying: float) -> None:
        self.amperes = self.noisy(amperes * self.gain, 2e-5, 2e-6)
        self.volts = self.noisy(amperes * self.sense_ohms * (1 + dying), 2e-5, 1e-6)

    def end_dwell(self) -> None:
        self.hold_summary()
        super().end_dwell()
        self.plan = [*self.plan[:-1], ("FALL", self.fall_s)]

    def hold_summary(self) -> None:
        """Keep what the meters show now as the summary."""
        self.kept = self._shown()

    def finish(self, ending: str) -> None:
        """Take the current out first, whatever ends it; only then it is off."""
        if not self.output_on:
            return
        if self.phase != "FALL":
            self.hold_summary()
            self.latched = ending
            if (fall_s := self.fall_s) > 0 and self._task is not None:
                self.plan = [*self._until(self.reached - self.started), ("FALL", fall_s)]
                self.phase = "FALL"
                self._task = asyncio.get_running_loop().create_task(self._let_go())
                return
        elif self._task is not None and self.clock.now() < self.started + self.plan_s:
            return
        super().finish(self.latched or ending)

    async def _let_go(self) -> None:
        """Follow the current until it is gone."""
        while self.output_on:
            await asyncio.sleep(0.002)
            self.catch_up()
            if self.clock.now() >= self.started + self.plan_s:
                self.reached = self.started + self.plan_s
                self.finish("FINISHED")

    def reset(self) -> None:
        """Back to power-on; a current that flows is taken out first."""
        if self.output_on:
            self.finish("RESET")
        if not self.output_on:
            super().reset()

    def _shown(self) -> list[str]:
        current, bound = bounded(self.amperes, FLOOR_A, RANGE_A)
        return [displayed(self.volts, STEP_V, 6), displayed(current, STEP_A, 6), bound]

    def values(self) -> list[str]:
        return self._shown() if self.output_on else ["0", "0", "UNDER"]

    def summary(self) -> list[str]:
        return self.kept if self.phase == DONE else self._shown()
