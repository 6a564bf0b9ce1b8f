"""Pulse source: a defibrillator's capacitor through its coil into a load, with a digitiser.

32 µF, 25 mH and a resistance in series with a load of 100 Ω (IEC 60601-1 8.5.5.2). What is
connected to ``high`` is beside the load and takes its part of the pulse; it is seen as a
resistance, with whatever strikes at the pulse's peak struck. 10,000 samples of the load's volts.
"""

import math

import numpy as np

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import DONE, OutputInstrument, displayed
from loricate.simulator.network import EARTH, Resistor, Source
from loricate.simulator.scpi import ScpiError

FARADS, HENRIES, SERIES_OHMS, LOAD_OHMS = 32e-6, 25e-3, 10.5, 100.0
RETURN_OHMS, BLEED_OHMS, STIFF_OHMS = 1e-3, 100_000.0, 1e-3
SEEN_HZ = 200.0  # where it looks at what hangs beside its load
SAMPLES, STEP_S = 10_000, 4e-6
NOISE = 0.001  # of the peak
WEAKENED = 0.85  # what it charges to when its charger is worn
Times = np.ndarray[tuple[int, ...], np.dtype[np.floating]]
DUMPS_S = 0.4  # the time constant of its capacitor's own discharge


def pulse(volts: float, load_ohms: float, times: Times) -> Times:
    """The volts across a load at times (s) after the capacitor is let into it."""
    resistance = SERIES_OHMS + load_ohms
    damping = resistance / (2 * HENRIES)
    root = np.sqrt(complex(damping**2 - 1 / (HENRIES * FARADS)))
    current = volts / (HENRIES * root) * np.exp(-damping * times) * np.sinh(root * times)
    return np.asarray(current.real * load_ohms)


class PulseSource(OutputInstrument):
    """Charges its capacitor while it ramps, and lets it go at its level."""

    model = "PULSE-SOURCE"
    own_mischief = ("WEAK",)
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_v, self.ramp_s, self.dwell_s = 5000.0, 4.0, 0.2
        self.terminals = self.high, self.earthed = f"{name}.high", f"{name}.earthed"
        self.gain = 1 + self.chance.uniform(-0.004, 0.004)
        self.stored_v, self.charged_v, self.stored_at = 0.0, 0.0, 0.0
        self.wave = np.zeros(0)
        self.dumps_s = DUMPS_S
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 100, 5_200, "V")
        self.setting("SOURce:CHARge:TIME", "ramp_s", 1, 60, "S")
        self.setting("SOURce:TIME", "dwell_s", 0.05, 10, "S")
        self.powered_at = clock.now()
        self.command("SYSTem:CLOCk?", lambda: f"{clock.now() - self.powered_at:.3f}")
        self.command("MEASure:VOLTage:RESidual?", lambda: f"{self.residual_v():.2f}")
        self.command("WAVeform:ABOut?", self._about)
        self.command("WAVeform:DATA?", self._data)

    async def power(self, on: bool, host: str) -> None:
        """Switched on, its clock begins at nothing."""
        await super().power(on, host)
        if on:
            self.powered_at = self.clock.now()

    def phases(self) -> list[tuple[str, float]]:
        return [("RAMP", self.ramp_s), ("DWELL", self.dwell_s)]

    def begin(self) -> None:
        self.stored_v = self.charged_v = 0.0
        self.wave = np.zeros(0)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        most_v = self.level_v * self.gain * (WEAKENED if self.mischief == "WEAK" else 1.0)
        if phase == "RAMP":
            self.charged_v = self.stored_v = most_v * into_s / length_s
        elif not len(self.wave):
            self.charged_v = most_v
            self._let_go()
            self.stored_v = 0.0

    def _let_go(self) -> None:
        times = np.arange(SAMPLES) * STEP_S
        alone = pulse(self.charged_v, LOAD_OHMS, times)
        network = self.floor.circuit((Resistor(self.earthed, EARTH, RETURN_OHMS),))
        source = Source(self.high, EARTH, float(alone.max()), STIFF_OHMS)
        solution = network.solve_ac([source], SEEN_HZ)
        while network.strike(solution, 1.0):
            solution = network.solve_ac([source], SEEN_HZ)
        taken = (solution.current_of(source) / solution.across(self.high, EARTH)).real
        network.release()
        wave = pulse(self.charged_v, 1 / (1 / LOAD_OHMS + max(0.0, taken)), times)
        noise = np.random.default_rng(self.chance.getrandbits(32)).normal(0, NOISE, SAMPLES)
        self.wave = wave + float(alone.max()) * noise

    def cut(self) -> None:
        self.stored_at = self.clock.now()

    def residual_v(self) -> float:
        """What is left at the unit, or in its own capacitor where that is more."""
        return max(super().residual_v(), self.volts)

    @property
    def volts(self) -> float:
        """What its capacitor holds: off, it discharges into itself."""
        if self.output_on:
            return self.stored_v
        passed_s = self.clock.now() - self.stored_at
        return self.stored_v * math.exp(-passed_s / self.dumps_s)

    def bleed(self) -> tuple[Resistor, ...]:
        return (Resistor(self.high, self.earthed, BLEED_OHMS),)

    def values(self) -> list[str]:
        return [displayed(self.charged_v, 1, 4) if self.output_on else "0"]

    def summary(self) -> list[str]:
        return [displayed(self.charged_v, 1, 4)]

    def _about(self) -> str:
        """Where the record begins in time, how far its samples are apart, how many there are."""
        return f"0,{STEP_S:g},{len(self.wave)}"

    def _data(self) -> str:
        if self.phase != DONE or not len(self.wave):
            raise ScpiError(-230, "Data corrupt or stale")
        return scpi.block(self.wave.astype(">f4").tobytes())
