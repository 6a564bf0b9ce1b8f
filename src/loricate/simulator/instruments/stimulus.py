"""Stimulus: gives the sensors of the device in one nest a temperature and a pressure.

Both go to what they are set to with a time constant of their own, while the output is on.
"""

import math
from collections.abc import Callable

from loricate.simulator.clock import PacedClock
from loricate.simulator.devices import AIR
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument

LONG_S = 1e6  # after it is off: every figure is that of the air
FOLLOWS_S = {"temperature": 0.8, "pressure": 0.3}


class Stimulus(OutputInstrument):
    """Sets a simulated sensor and a pressure; off, it gives what the air has."""

    model = "STIMULUS"
    hazardous = False
    step_s = 0.1

    def __init__(
        self, serial: str, name: str, floor: Floor, clock: PacedClock, nest: str = ""
    ) -> None:
        super().__init__(serial, name, floor, clock)
        self.nest = nest
        self.dwell_s, self.temperature_c, self.pressure_pa = 60.0, 37.0, 0.0
        self.given = dict(AIR)
        self.shown = ["0", "0"]
        self.seen_s = 0.0
        self.offset_c = self.chance.uniform(-0.02, 0.02)
        self.setting("SENSe:TIME", "dwell_s", 0.5, 3600, "S")
        for spelling, which, low, high, unit in (
            ("SOURce:TEMPerature", "temperature_c", 0, 60, "CEL"),
            ("SOURce:PRESsure", "pressure_pa", 0, 60_000, "PA"),
        ):
            self.setting(spelling, which, low, high, unit, while_on=self._setter(which))

    def _setter(self, which: str) -> Callable[[float], None]:
        def change(value: float) -> None:
            setattr(self, which, value)

        return change

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        self.seen_s, self.given = 0.0, dict(AIR)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        passed_s, self.seen_s = into_s - self.seen_s, into_s
        goals = {"temperature": self.temperature_c + self.offset_c, "pressure": self.pressure_pa}
        for name, goal in goals.items():
            faded = math.exp(-passed_s / FOLLOWS_S[name])
            self.given[name] = goal + (self.given[name] - goal) * faded
        celsius = self.noisy(self.given["temperature"], 0.0, 0.005)
        pascals = self.noisy(self.given["pressure"], 0.0, 4.0)
        self.shown = [f"{celsius:.3f}", f"{max(0.0, pascals):.1f}"]
        device = self.floor.device_in(self.nest)
        if device is not None:
            device.give(self.given, passed_s)

    def cut(self) -> None:
        if (device := self.floor.device_in(self.nest)) is not None:
            device.give(AIR, LONG_S)

    def values(self) -> list[str]:
        return self.shown

    def summary(self) -> list[str]:
        return self.values()
