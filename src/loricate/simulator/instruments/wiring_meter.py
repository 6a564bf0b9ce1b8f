"""Wiring meter: low-voltage four-wire ohms, capacitance and diodes, one path or a list of them.

A list of paths is measured in slots of equal length: at the end of each the meter reads, and
triggers the matrix for the next.

Up to eight nets are watched at once: each of its inputs sends a current of its own through a net to
the low lead, and samples its volts 100,000 times a second. What breaks for at least as long as is
set is timed by the meter itself, and kept.

A probe with a tip touches contacts; what it is joined with is measured to the low leads.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor, Point
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import EARTH, Network, Resistor, Source
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
PROBE, WATCH = "PROBE", "WATCH"
TIP_OHMS = 0.05
INPUTS, SAMPLE_S, MOST_BREAKS, BINS = 8, 10e-6, 200, 500
# When a loose contact breaks after the lead is bent (s), and how much of its usual time each lasts.
BEATS = ((0.002, 1.0), (0.004, 0.5), (0.0065, 0.7))


@dataclass(slots=True)
class Break:
    """A watched net over its threshold: at which input, from when, how long, how far."""

    input: int
    start_s: float
    length_s: float
    ohms: float


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
        self.inputs, self.threshold_ohm, self.least_s = 1.0, 10.0, SAMPLE_S
        self.breaks: list[Break] = []
        self.open: dict[int, Break] = {}  # breaks that have not ended
        self.missed = 0  # breaks beyond those that it keeps
        self.bins: dict[int, list[float]] = {}
        self.live_ohms, self.watched_s = 0.0, 0.0
        self._bends: dict[str, int] = {}
        self._watched: dict[object, list[float]] = {}
        self.probe = f"{name}.probe"  # a lead of its own, with a tip to touch contacts with
        self._probed: dict[object, float] = {}
        self.choices(
            "SENSe:FUNCtion",
            "function",
            "RESistance",
            "CAPacitance",
            "DIODe",
            "PROBe",
            "WATCh",
        )
        self.setting("WATCh:INPuts", "inputs", 1, INPUTS, "")
        self.setting("WATCh:THReshold", "threshold_ohm", 1, 1000, "OHM")
        self.setting("WATCh:LENGth", "least_s", SAMPLE_S, 1, "S")
        self.command("WATCh:EVENts:ABOut?", lambda: f"1,1,{len(self._kept())}")
        self.command("WATCh:EVENts:INPut?", lambda: self._events("input"))
        self.command("WATCh:EVENts:STARt?", lambda: self._events("start_s"))
        self.command("WATCh:EVENts:LENGth?", lambda: self._events("length_s"))
        self.command("WATCh:EVENts:OHMS?", lambda: self._events("ohms"))
        self.command("WATCh:TRACe:ABOut?", self._about_trace)
        self.command("WATCh:TRACe?", self._trace)
        self.setting("SCAN:POINts", "points", 1, MOST_POINTS, "")
        self.setting("SOURce:DWELl", "dwell_s", LEAST_SLOT_S, 3600, "S")
        self.command("SCAN:DATA:RESistance?", lambda: self._data(RESISTANCE, 0))
        self.command("SCAN:DATA:PROBe?", lambda: self._data(PROBE, 0))
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
        self.breaks, self.open, self.missed, self.bins = [], {}, 0, {}
        self.live_ohms, self.watched_s = 0.0, 0.0
        self._bends = dict(self.floor.bends)

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        if self.function == WATCH:
            self._watch(into_s)
            return
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
            case "PROBE":
                return (self._probe_ohms(),)
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

    def _probe_ohms(self) -> float:
        """From the probe to the low leads, by the same two wires that drive it."""
        touched = self.floor.touched_node
        if not touched:
            return RANGE_OHMS
        closed = frozenset(self.floor.closed | self.floor.stuck)
        key = (closed, (self.floor.changes, touched))
        if key not in self._probed:
            if len(self._probed) > MOST_SOLVED:
                self._probed.clear()
            self._probed[key] = self._solve_probe(touched, closed)
        ohms = self._probed[key]
        return RANGE_OHMS if ohms >= RANGE_OHMS else self.noisy(ohms * self.gain, 2e-4, 1e-4)

    def _solve_probe(self, touched: str, closed: frozenset[Point]) -> float:
        extra = (Resistor(self.low, EARTH, RETURN_OHMS), Resistor(self.probe, touched, TIP_OHMS))
        network = self.floor.part((self.probe, self.low), SEEN_OHMS, extra, closed)
        source = Source(self.probe, EARTH, OPEN_CIRCUIT_V, SOURCE_OHMS)
        solution = network.solve_dc([source])
        amperes = solution.current_of(source).real
        if amperes < OPEN_CIRCUIT_V / (10 * RANGE_OHMS):
            return RANGE_OHMS
        return solution.across(self.probe, self.low).real / amperes

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
            PROBE: (STEP_OHMS, RANGE_OHMS),
            CAPACITANCE: (STEP_F, RANGE_F),
            DIODE: (STEP_V, RANGE_V),
        }[function]
        return ",".join(displayed(min(each[place], most), step, 5) for each in self.done)

    def _watch(self, into_s: float) -> None:
        """What every input saw since the last step."""
        since_s, self.watched_s = self.watched_s, into_s
        seen = [self.noisy(ohms * self.gain, 5e-3, 5e-2) for ohms in self._at_inputs(None)]
        for place, ohms in enumerate(seen):
            self._follow(place + 1, since_s, into_s, ohms)
        for number, start_s, length_s, ohms in self._bent(since_s):
            samples = math.floor(length_s / SAMPLE_S)
            seen[number - 1] = max(seen[number - 1], ohms)
            if samples * SAMPLE_S >= self.least_s * (1 - 1e-9):
                self._keep(Break(number, start_s, samples * SAMPLE_S, ohms))
        place = int((into_s - 1e-9) / self.bin_s)
        for number, ohms in enumerate(seen, start=1):
            bins = self.bins.setdefault(number, [])
            bins += [ohms] * (place + 1 - len(bins))
            bins[place] = max(bins[place], ohms)
        self.live_ohms = max(seen)

    @property
    def bin_s(self) -> float:
        """How far the values of its traces are apart."""
        return max(self.step_s, self.dwell_s / BINS)

    def _follow(self, number: int, since_s: float, into_s: float, ohms: float) -> None:
        """An input that stands over its threshold has a break for as long as it does."""
        if ohms <= self.threshold_ohm:
            self.open.pop(number, None)
            return
        if number not in self.open:
            self.open[number] = Break(number, since_s, 0.0, ohms)
            self._keep(self.open[number])
        one = self.open[number]
        one.length_s, one.ohms = into_s - one.start_s, max(one.ohms, ohms)

    def _keep(self, one: Break) -> None:
        if len(self.breaks) < MOST_BREAKS:
            self.breaks.append(one)
        else:
            self.missed += 1

    def _bent(self, since_s: float) -> Iterator[tuple[int, float, float, float]]:
        """Breaks of loose elements since units were bent: input, start and length in s, Ω."""
        for nest, count in self.floor.bends.items():
            unit = self.floor.nests[nest].unit
            times, self._bends[nest] = count - self._bends.get(nest, 0), count
            if unit is None or times <= 0:
                continue
            for element, usual_s in unit.loose:
                ohms = self._at_inputs(element)
                for number, value in enumerate(ohms, start=1):
                    if value <= self.threshold_ohm or number in self.open:
                        continue
                    for after_s, factor in BEATS:
                        yield number, since_s + after_s, usual_s * factor, value

    def _at_inputs(self, broken: object) -> list[float]:
        """Ω from each input to the low lead, with one element of a unit broken off or none."""
        count = int(self.inputs)
        closed = frozenset(self.floor.closed | self.floor.stuck)
        key = (closed, self.floor.changes, broken, count)
        if key not in self._watched:
            if len(self._watched) > MOST_SOLVED:
                self._watched.clear()
            self._watched[key] = self._solve_inputs(broken, count)
        return self._watched[key]

    def _solve_inputs(self, broken: object, count: int) -> list[float]:
        nodes = [f"{self.name}.watch_{number}" for number in range(1, count + 1)]
        extra = (Resistor(self.low, EARTH, RETURN_OHMS),)
        closed = self.floor.closed | self.floor.stuck
        whole = self.floor.part((*nodes, self.low), SEEN_OHMS, extra, closed)
        network = Network([each for each in whole.elements if each is not broken])
        sources = [Source(node, EARTH, OPEN_CIRCUIT_V, DIODE_OHMS) for node in nodes]
        solution = network.solve_dc(sources)
        found = []
        for node, source in zip(nodes, sources, strict=True):
            amperes = solution.current_of(source).real
            volts = solution.across(node, self.low).real
            is_open = amperes < OPEN_CIRCUIT_V / (10 * RANGE_OHMS)
            found.append(RANGE_OHMS if is_open else min(RANGE_OHMS, volts / amperes))
        return found

    def _kept(self) -> list[Break]:
        """The breaks that lasted long enough, in the order of their beginnings."""
        found = [one for one in self.breaks if one.length_s >= self.least_s * (1 - 1e-9)]
        return sorted(found, key=lambda one: (one.start_s, one.input))

    def _events(self, name: str) -> str:
        kept = self._kept()
        if self.output_on or self.function != WATCH or not kept:
            raise ScpiError(-230, "Data corrupt or stale")
        return ",".join(f"{getattr(one, name):.8g}" for one in kept)

    def _about_trace(self) -> str:
        return f"{self.bin_s:g},{self.bin_s:g},{len(self.bins.get(1, ()))}"

    def _trace(self, number: str) -> str:
        """The greatest Ω of each stretch of the watch, at one input."""
        bins = self.bins.get(int(scpi.number(number, 1, INPUTS)))
        if self.output_on or self.function != WATCH or not bins:
            raise ScpiError(-230, "Data corrupt or stale")
        return ",".join(displayed(min(each, RANGE_OHMS), STEP_OHMS, 5) for each in bins)

    def values(self) -> list[str]:
        if self.function == WATCH:
            value, bound = bounded(self.live_ohms, 0.0, RANGE_OHMS * (1 - 1e-9))
            told = displayed(value, STEP_OHMS, 5) if self.output_on else NOTHING
            return [f"{self.inputs:g}", told, bound, str(len(self._kept()) + self.missed)]
        if not self.output_on or self.function not in (RESISTANCE, PROBE) or not self.done:
            return [str(len(self.done)), NOTHING, "NORMAL", "0"]
        value, bound = bounded(self.done[-1][0], 0.0, RANGE_OHMS * (1 - 1e-9))
        return [str(len(self.done)), displayed(value, STEP_OHMS, 5), bound, "0"]

    def summary(self) -> list[str]:
        if self.function == WATCH:
            samples = round(self.watched_s / SAMPLE_S)
            return [f"{self.inputs:g}", str(len(self._kept()) + self.missed), str(samples)]
        return [str(len(self.done)), "0", "0"]
