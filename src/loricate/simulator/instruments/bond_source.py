"""Ground bond source: up to 30 A AC from at most 6 V, four-wire, with lead resistance."""

from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Network, Resistor, Source

COMPLIANCE_V = 6.0
LEAD_OHMS = 0.03
FLOOR_A, RANGE_A = 0.01, 32.0
FREQUENCY_HZ = 50.0
STEP_V, STEP_A = 10e-6, 1e-3  # what its display can tell apart


class BondSource(OutputInstrument):
    """Drives a current through ``force`` leads and reads volts at the ``sense`` leads."""

    model = "BOND-SOURCE"
    hazardous = False
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.level_a, self.dwell_s = 10.0, 3.0
        self.gain = 1 + self.chance.uniform(-0.002, 0.002)
        self.amperes = self.volts = 0.0
        self.whole = self.broken = (0.0, 0.0)
        self.bends: dict[str, int] = {}
        self.mends_s = 0.0
        self.setting("SOURce:CURRent[:LEVel]", "level_a", 0.2, 30, "A")
        self.setting("SOURce:DWELl", "dwell_s", 0.1, 600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        self.bends, self.mends_s = dict(self.floor.bends), 0.0
        self.whole = self._solve(frozenset())
        self.step("DWELL", 0.0, self.dwell_s)

    def _solve(self, broken: frozenset[object]) -> tuple[float, float]:
        """The current and volts that it drives, with some elements of units broken off."""
        high, low = f"{self.name}.force_high", f"{self.name}.force_low"
        sense = (f"{self.name}.sense_high", f"{self.name}.sense_low")
        network = self.floor.circuit(
            (Resistor(low, EARTH, LEAD_OHMS), Resistor(sense[0], sense[1], 1e6))
        )
        if broken:
            network = Network([each for each in network.elements if each not in broken])
        source = Source(high, EARTH, COMPLIANCE_V, LEAD_OHMS)
        solution = network.solve_ac([source], FREQUENCY_HZ)
        most_a = abs(solution.current_of(source))
        amperes = min(self.level_a * self.gain, most_a)
        per_ampere = abs(solution.across(*sense)) / most_a if most_a else 0.0
        return amperes, per_ampere * amperes

    def _bent(self, into_s: float) -> bool:
        """Whether something that is loose is broken off just now, since a unit was bent."""
        for nest, count in self.floor.bends.items():
            unit = self.floor.nests[nest].unit
            if unit is not None and unit.loose and count > self.bends.get(nest, 0):
                self.mends_s = into_s + max(length_s for _, length_s in unit.loose)
                self.broken = self._solve(frozenset(each for each, _ in unit.loose))
            self.bends[nest] = count
        return into_s < self.mends_s

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        amperes, volts = self.broken if self._bent(into_s) else self.whole
        self.amperes = self.noisy(amperes, 3e-4, 1e-3)
        self.volts = self.noisy(volts, 3e-4, 1e-4)

    def _shown(self) -> list[str]:
        current, bound = bounded(self.amperes, FLOOR_A, RANGE_A)
        return [displayed(abs(self.volts), STEP_V), displayed(current, STEP_A), bound]

    def values(self) -> list[str]:
        return self._shown() if self.output_on else ["0", "0", "UNDER"]

    def summary(self) -> list[str]:
        return self._shown()
