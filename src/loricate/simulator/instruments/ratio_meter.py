"""Ratio meter: drives one winding with a small AC voltage and reads the volts of two."""

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Resistor, Source

SOURCE_OHMS, SENSE_OHMS = 5.0, 10e6
FLOOR_V, RANGE_V = 1e-3, 60.0
STEP_V = 1e-6  # what its display can tell apart


class RatioMeter(OutputInstrument):
    """Volts between ``high`` and ``low``, and between ``sense_high`` and ``sense_low``."""

    model = "RATIO-METER"
    hazardous = False
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_v, self.frequency_hz, self.dwell_s = 5.0, 400.0, 0.2
        self.gain = 1 + self.chance.uniform(-1e-4, 1e-4)
        self.true_v = self.true_s = complex(0)
        self.driven = self.read = self.in_phase = 0.0
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 0.1, 25, "V")
        self.setting("SOURce:FREQuency", "frequency_hz", 40, 20e3, "HZ")
        self.setting("SOURce:DWELl", "dwell_s", 0.05, 60, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        high, low, plus, minus = (
            f"{self.name}.{each}" for each in ("high", "low", "sense_high", "sense_low")
        )
        network = self.floor.circuit(
            (
                Resistor(low, EARTH, 1e-3),
                Resistor(plus, minus, SENSE_OHMS),
                Resistor(minus, EARTH, SENSE_OHMS),
            )
        )
        solution = network.solve_ac(
            [Source(high, EARTH, self.level_v, SOURCE_OHMS)], self.frequency_hz
        )
        self.true_v, self.true_s = solution.across(high, low), solution.across(plus, minus)
        self.step("DWELL", 0.0, self.dwell_s)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        self.driven = self.noisy(abs(self.true_v), 3e-5, 1e-6)
        size = abs(self.true_s) * self.gain
        along = (self.true_s * self.true_v.conjugate()).real / max(abs(self.true_v), 1e-12)
        self.read = self.noisy(size, 3e-5, 1e-6)
        self.in_phase = self.read * along / max(abs(self.true_s), 1e-12)

    def _shown(self) -> list[str]:
        driven, bound = bounded(self.driven, FLOOR_V, RANGE_V)
        read, read_bound = bounded(self.read, FLOOR_V, RANGE_V)
        return [
            displayed(driven, STEP_V, 6),
            bound,
            displayed(read, STEP_V, 6),
            read_bound,
            displayed(self.in_phase, STEP_V, 6),
        ]

    def values(self) -> list[str]:
        return self._shown() if self.output_on else ["0", "UNDER", "0", "UNDER", "0"]

    def summary(self) -> list[str]:
        return self._shown()
