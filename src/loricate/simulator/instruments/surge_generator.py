"""Surge generator: discharges a capacitor into a winding, and records how it rings.

What the winding is to it, is an inductance and a loss beside its own capacitor: the pulse rings at
1/(2π√(LC)) and dies away. Turns that flash over, or are shorted, ring faster. 10,000 samples.
"""

import math

import numpy as np

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import DONE, OutputInstrument, displayed
from loricate.simulator.network import EARTH, Resistor, Source
from loricate.simulator.scpi import ScpiError

SOURCE_OHMS, RETURN_OHMS, BLEED_OHMS = 20.0, 1e-3, 10_000.0
STORE_F = 40e-9
SEEN_HZ = 3_000.0  # where it looks at what the winding is
SAMPLES, STEP_S = 10_000, 0.2e-6
QUALITY = 9.0
NOISE = 0.002  # of the peak
LEAST_HENRIES = 1e-6


class SurgeGenerator(OutputInstrument):
    """Pulses ``high`` against ``low``."""

    model = "SURGE-GENERATOR"
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_v, self.dwell_s = 500.0, 0.2
        self.terminals = self.high, self.low = f"{name}.high", f"{name}.low"
        self.gain = 1 + self.chance.uniform(-0.005, 0.005)
        self.wave = np.zeros(0)
        self.peak_v = 0.0
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 100, 12_000, "V")
        self.setting("SOURce:TIME", "dwell_s", 0.05, 10, "S")
        self.command("MEASure:VOLTage:RESidual?", lambda: f"{self.residual_v():.2f}")
        self.command("WAVeform:ABOut?", self._about)
        self.command("WAVeform:DATA?", self._data)

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        network = self.floor.circuit((Resistor(self.low, EARTH, RETURN_OHMS),))
        source = Source(self.high, EARTH, self.level_v * self.gain, SOURCE_OHMS)
        solution = network.solve_ac([source], SEEN_HZ)
        if network.strike(solution, 1.0):
            solution = network.solve_ac([source], SEEN_HZ)
        amperes = solution.current_of(source)
        seen = solution.across(self.high, self.low) / amperes if abs(amperes) > 1e-12 else 1e9j
        network.release()
        henries = max(LEAST_HENRIES, seen.imag / (2 * math.pi * SEEN_HZ))
        omega = 1 / math.sqrt(henries * STORE_F)
        # What is lost in the copper and the iron, and in whatever is shorted.
        falls = omega / (2 * QUALITY) + max(0.0, seen.real) / (2 * henries)
        times = np.arange(SAMPLES) * STEP_S
        volts = self.level_v * self.gain
        ringing = volts * np.exp(-falls * times) * np.cos(omega * times)
        noise = np.random.default_rng(self.chance.getrandbits(32)).normal(0, NOISE, SAMPLES)
        self.wave = ringing + volts * noise
        self.peak_v = float(np.abs(self.wave).max())

    def values(self) -> list[str]:
        return [displayed(self.peak_v, 0.1, 5) if self.output_on else "0"]

    def summary(self) -> list[str]:
        return [displayed(self.peak_v, 0.1, 5)]

    def _about(self) -> str:
        """Where the record begins in time, how far its samples are apart, how many there are."""
        return f"0,{STEP_S:g},{len(self.wave)}"

    def _data(self) -> str:
        if self.phase != DONE or not len(self.wave):
            raise ScpiError(-230, "Data corrupt or stale")
        return scpi.block(self.wave.astype(">f4").tobytes())
