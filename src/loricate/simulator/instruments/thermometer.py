"""Thermometer: a probe at the unit in one nest, which takes a while to be as warm as the unit."""

import math

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument

FOLLOWS_S = 0.8  # the probe's time constant


class Thermometer(OutputInstrument):
    """Shows °C for as long as it is asked to; broken off it shows SCPI's not-a-number."""

    model = "THERMOMETER"
    hazardous = False
    step_s = 0.1

    def __init__(
        self, serial: str, name: str, floor: Floor, clock: PacedClock, nest: str = ""
    ) -> None:
        super().__init__(serial, name, floor, clock)
        self.nest = nest
        self.dwell_s, self.shown_c = 10.0, 0.0
        self.offset_c = self.chance.uniform(-0.1, 0.1)
        self.setting("SENSe:TIME", "dwell_s", 0.5, 3600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        air_c = self.floor.temperature_c
        unit_c = self.floor.temperature_in(self.nest) if self.nest else air_c
        there_c = unit_c + (air_c - unit_c) * math.exp(-into_s / FOLLOWS_S)
        self.shown_c = self.noisy(there_c + self.offset_c, 0.0, 0.02)

    def values(self) -> list[str]:
        return [f"{self.shown_c:.2f}"]

    def summary(self) -> list[str]:
        return self.values()
