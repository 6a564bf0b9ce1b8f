"""Impedance meter: a small AC signal between two terminals, R and X by volts over amperes."""

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Resistor, Source

SOURCE_OHMS, RETURN_OHMS = 100.0, 1e-3
RANGE_OHMS = 20e6
STEP_OHMS = 1e-4  # what its display can tell apart


class ImpedanceMeter(OutputInstrument):
    """Measures Z between ``high`` and ``low``, relays and leads included."""

    model = "IMPEDANCE-METER"
    hazardous = False
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_v, self.frequency_hz, self.dwell_s = 1.0, 1000.0, 0.2
        self.gain = 1 + self.chance.uniform(-5e-4, 5e-4)
        self.true_ohms = self.ohms = complex(0)
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 0.01, 2, "V")
        self.setting("SOURce:FREQuency", "frequency_hz", 20, 100e3, "HZ")
        self.setting("SOURce:DWELl", "dwell_s", 0.05, 60, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        high, low = f"{self.name}.high", f"{self.name}.low"
        network = self.floor.circuit((Resistor(low, EARTH, RETURN_OHMS),))
        source = Source(high, EARTH, self.level_v, SOURCE_OHMS)
        solution = network.solve_ac([source], self.frequency_hz)
        amperes = (self.level_v - solution.at(high)) / SOURCE_OHMS
        across = solution.across(high, low)
        self.true_ohms = across / amperes if abs(amperes) > 1e-15 else complex(1e12)
        self.step("DWELL", 0.0, self.dwell_s)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        self.ohms = complex(
            self.noisy(self.true_ohms.real * self.gain, 1e-4, 1e-4),
            self.noisy(self.true_ohms.imag * self.gain, 1e-4, 1e-4),
        )

    def _shown(self) -> list[str]:
        size, bound = bounded(abs(self.ohms), 0.0, RANGE_OHMS)
        shown = [displayed(part, STEP_OHMS, 5) for part in (self.ohms.real, self.ohms.imag)]
        return [displayed(size, STEP_OHMS, 5), bound, *shown]

    def values(self) -> list[str]:
        return self._shown() if self.output_on else ["0", "UNDER", "0", "0"]

    def summary(self) -> list[str]:
        return self._shown()
