"""Wiring meter: low-voltage four-wire ohms, capacitance and diodes, one path or a list of them.

A list of paths is measured in slots of equal length: at the end of each the meter reads, and
triggers the matrix for the next.
"""

import math

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor, Point
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Resistor, Source
from loricate.simulator.scpi import ScpiError

OPEN_CIRCUIT_V = 5.0
SOURCE_OHMS, DIODE_OHMS, RETURN_OHMS = 50.0, 4_300.0, 1e-3
SENSE_OHMS = 1e9
RANGE_OHMS, RANGE_F, RANGE_V = 100e6, 100e-6, 4.5
SEEN_OHMS = 1e9  # what is joined by more than this it cannot see
STEP_OHMS, STEP_F, STEP_V = 1e-4, 1e-12, 1e-3  # what its display can tell apart
SIGNAL_HZ = 1000.0
MOST_SOLVED = 20_000  # networks that it knows again
LEAST_SLOT_S, MOST_POINTS = 0.01, 4096
NOTHING = "9.91E37"  # SCPI's not-a-number
RESISTANCE, CAPACITANCE, DIODE = "RESISTANCE", "CAPACITANCE", "DIODE"


class WiringMeter(OutputInstrument):
    """Measures between its high and low leads, each of which has force and sense."""

    model = "WIRING-METER"
    hazardous = False
    step_s = 0.01

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.function, self.points, self.dwell_s = RESISTANCE, 1.0, 0.02
        self.gain = 1 + self.chance.uniform(-2e-4, 2e-4)
        self.high, self.low = f"{name}.force_high", f"{name}.force_low"
        self.sense = (f"{name}.sense_high", f"{name}.sense_low")
        self.done: list[tuple[float, ...]] = []  # what each path read
        self._solved: dict[tuple[frozenset[Point], frozenset[object] | None], float] = {}
        self.choices("SENSe:FUNCtion", "function", "RESistance", "CAPacitance", "DIODe")
        self.setting("SCAN:POINts", "points", 1, MOST_POINTS, "")
        self.setting("SOURce:DWELl", "dwell_s", LEAST_SLOT_S, 3600, "S")
        self.command("SCAN:DATA:RESistance?", lambda: self._data(RESISTANCE, 0))
        self.command("SCAN:DATA:CAPacitance?", lambda: self._data(CAPACITANCE, 0))
        self.command("SCAN:DATA:FORWard?", lambda: self._data(DIODE, 0))
        self.command("SCAN:DATA:REVerse?", lambda: self._data(DIODE, 1))
        self.command("SCAN:ABOut?", self._about)

    @property
    def slot_s(self) -> float:
        """How long each path is measured, the settling of its relays included."""
        return self.dwell_s / self.points

    def phases(self) -> list[tuple[str, float]]:
        if self.points != int(self.points) or self.slot_s < LEAST_SLOT_S * (1 - 1e-9):
            raise ScpiError(*scpi.SETTINGS_CONFLICT)
        return [("DWELL", self.dwell_s)]

    def begin(self) -> None:
        self.done = []
        self.seen_at = -math.inf

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        if self.points == 1:
            # Of one path it goes on reading for as long as it is on.
            if into_s - self.seen_at >= LEAST_SLOT_S or into_s >= length_s:
                self.seen_at = into_s
                self.done = [self._read()]
            return
        while len(self.done) < self.points and into_s >= (len(self.done) + 1) * self.slot_s - 1e-9:
            self.done.append(self._read())
            if len(self.done) < self.points:
                self._next_path()

    def _next_path(self) -> None:
        """Have the matrix switch to the next path; no current flows while its relays move."""
        self.floor.outputs_on.discard(self.name)
        self.floor.trigger()
        self.floor.outputs_on.add(self.name)

    def _read(self) -> tuple[float, ...]:
        match self.function:
            case "CAPACITANCE":
                return (self._farads(),)
            case "DIODE":
                return (self._volts(self.high, self.low), self._volts(self.low, self.high))
            case _:
                return (self._ohms(),)

    def _ohms(self) -> float:
        closed, reached = self._conducting()
        if not closed:
            return RANGE_OHMS
        key = (closed, reached)
        ohms = self._solved.get(key) if reached is not None else None
        if ohms is None:
            ohms = self._solve_ohms(closed)
            if reached is not None and len(self._solved) < MOST_SOLVED:
                self._solved[key] = ohms
        if ohms >= RANGE_OHMS:
            return RANGE_OHMS
        return self.noisy(ohms * self.gain, 2e-4, 1e-4)

    def _solve_ohms(self, closed: frozenset[Point]) -> float:
        """Volts at the sense leads over amperes at the others, in Ω; the range where none flow."""
        extra = (Resistor(self.low, EARTH, RETURN_OHMS), Resistor(*self.sense, SENSE_OHMS))
        nodes = (self.high, self.low, *self.sense)
        network = self.floor.part(nodes, SEEN_OHMS, extra, closed)
        source = Source(self.high, EARTH, OPEN_CIRCUIT_V, SOURCE_OHMS)
        solution = network.solve_dc([source])
        amperes = solution.current_of(source).real
        if amperes < OPEN_CIRCUIT_V / (10 * RANGE_OHMS):
            return RANGE_OHMS
        return solution.across(*self.sense).real / amperes

    def _conducting(self) -> tuple[frozenset[Point], frozenset[object] | None]:
        """The relays that matter between its leads; none where nothing conducts."""
        leads = (self.high, self.sense[0]), (self.low, self.sense[1])
        return self.floor.conducting(*leads, SEEN_OHMS)

    def _volts(self, plus: str, minus: str) -> float:
        closed, _ = self._conducting()
        if not closed:
            return self.noisy(OPEN_CIRCUIT_V, 5e-4, 5e-4)
        extra = (Resistor(minus, EARTH, RETURN_OHMS),)
        network = self.floor.part((plus, minus), SEEN_OHMS, extra, closed)
        source = Source(plus, EARTH, OPEN_CIRCUIT_V, DIODE_OHMS)
        solution = network.solve_dc([source])
        return self.noisy(solution.across(plus, minus).real, 5e-4, 5e-4)

    def _farads(self) -> float:
        network = self.floor.circuit((Resistor(self.low, EARTH, RETURN_OHMS),))
        source = Source(self.high, EARTH, 1.0, SOURCE_OHMS)
        solution = network.solve_ac([source], SIGNAL_HZ)
        across = solution.across(self.high, self.low)
        if abs(across) < 1e-6:
            return RANGE_F  # shorted
        susceptance = (solution.current_of(source) / across).imag
        return max(0.0, self.noisy(susceptance / (2 * math.pi * SIGNAL_HZ), 1e-3, 2e-12))

    def _about(self) -> str:
        """Where a list's readings begin in time, how far they are apart, how many there are."""
        return f"{self.slot_s:g},{self.slot_s:g},{len(self.done)}"

    def _data(self, function: str, place: int) -> str:
        """What a list of paths read; only of the function that it was measured by."""
        if self.output_on or self.function != function or not self.done:
            raise ScpiError(-230, "Data corrupt or stale")
        step, most = {
            RESISTANCE: (STEP_OHMS, RANGE_OHMS),
            CAPACITANCE: (STEP_F, RANGE_F),
            DIODE: (STEP_V, RANGE_V),
        }[function]
        return ",".join(displayed(min(each[place], most), step, 5) for each in self.done)

    def values(self) -> list[str]:
        if not self.output_on or self.function != RESISTANCE or not self.done:
            return [str(len(self.done)), NOTHING, "NORMAL"]
        value, bound = bounded(self.done[-1][0], 0.0, RANGE_OHMS * (1 - 1e-9))
        return [str(len(self.done)), displayed(value, STEP_OHMS, 5), bound]

    def summary(self) -> list[str]:
        return [str(len(self.done))]
