"""Leakage meter: supplies the unit at mains and measures through a body-model network."""

import math

from loricate.simulator import scpi
from loricate.simulator.clock import PacedClock
from loricate.simulator.floor import Floor
from loricate.simulator.instruments.output import OutputInstrument, bounded, displayed
from loricate.simulator.network import (
    EARTH,
    Capacitor,
    Cell,
    Element,
    Network,
    Resistor,
    Solution,
    Source,
)

FLOOR_A, RANGE_A = 0.5e-6, 0.05
SUPPLY_OHMS = 0.2
EARTH_OHMS = 0.05
CUT_A = 0.03
BLEED_OHMS = 100_000.0
LEADS, LEAD_OHMS = 10, 0.01  # of its box of patient leads
EARTH_LEAD = "0"
OFF = ["0", "0", "UNDER", "0", "0", "UNDER", "0", "0", "UNDER"]
STEP_V, STEP_A, LOAD_STEP_A, STEP_W = 0.1, 1e-8, 1e-3, 0.1  # what its display can tell apart


class LeakageMeter(OutputInstrument):
    """Mains on ``line`` and ``neutral``; the body network in ``earth``, at ``body``, or nowhere.

    The neutral can be opened. The differential method adds up what line and neutral deliver; the
    alternative one ties both and feeds them against earth. With its box of patient leads it
    measures from any of them to earth or to others, with mains put on others, or on the leads
    themselves through the network (``MAINS``). Which leads it measures from and to may change
    under mains; what mains is put on may not.
    """

    model = "LEAKAGE-METER"
    step_s = 0.05

    def __init__(self, serial: str, name: str, floor: Floor, clock: PacedClock) -> None:
        super().__init__(serial, name, floor, clock)
        self.path, self.body, self.polarity = "EARTH", "IEC60990", "NORMAL"
        self.method, self.neutral = "DIRECT", "CLOSED"
        self.measured, self.returned, self.driven = EARTH_LEAD, EARTH_LEAD, EARTH_LEAD
        self.level_v, self.frequency_hz, self.dwell_s = 230.0, 50.0, 1.0
        self.gain = 1 + self.chance.uniform(-0.002, 0.002)
        self.amperes = self.dc_amperes = self.volts = self.load_a = self.watts = 0.0
        leads = (f"lead_{number}" for number in range(1, LEADS + 1))
        ends = ("line", "neutral", "earth", "body", *leads)
        self.terminals = tuple(f"{name}.{end}" for end in ends)
        self.network = Network(())
        self.solution: Solution | None = None
        self.command("MEASure:VOLTage:RESidual?", lambda: f"{self.residual_v():.2f}")
        self.choices("SENSe:LEAKage:PATH", "path", "EARTh", "TOUCh", "NONE", "LEADs", "MAINs")
        self.leads("SENSe:LEAKage:LEADs:MEASured", "measured")
        self.leads("SENSe:LEAKage:LEADs:RETurned", "returned")
        self.leads("SENSe:LEAKage:LEADs:DRIVen", "driven")
        self.choices("SENSe:LEAKage:NETWork", "body", "IEC60601", "IEC60990", "NONE")
        self.choices("SENSe:LEAKage:METHod", "method", "DIRect", "DIFFerential", "ALTernative")
        self.choices("SOURce:NEUTral", "neutral", "OPEN", "CLOSed")
        self.choices("SOURce:POLarity", "polarity", "NORMal", "REVersed")
        self.setting("SOURce:VOLTage[:LEVel]", "level_v", 10, 280, "V")
        self.setting("SOURce:FREQuency", "frequency_hz", 45, 65, "HZ")
        self.setting("SOURce:DWELl", "dwell_s", 0.1, 3600, "S")

    def phases(self) -> list[tuple[str, float]]:
        return [("DWELL", self.dwell_s)]

    def leads(self, spelling: str, name: str) -> None:
        """Make a list of leads and its query known, ``(@1,2)``; ``(@0)`` is the meter's earth."""
        self.defaults[name] = getattr(self, name)

        def write(text: str) -> None:
            chosen = scpi.channels(text, LEADS)
            if name == "driven" or self.path != "LEADS":
                self.refuse_while_on()
            setattr(self, name, chosen)
            if self.output_on:
                self.solve()

        self.command(spelling, write)
        self.command(spelling + "?", lambda: f"(@{getattr(self, name)})")

    def _body_network(
        self, entry: str, back: str = EARTH
    ) -> tuple[tuple[Element, ...], tuple[str, str], float]:
        """The measuring network from ``entry`` on: elements, where to read, and Ω per V/A."""
        if self.body == "NONE":
            return (Resistor(entry, back, 1_000.0),), (entry, back), 1_000.0
        inner = f"{self.name}.inner"
        if self.body == "IEC60601":
            shunt = Resistor(entry, back, 1_000.0)
            weight = (Resistor(entry, inner, 10_000.0), Capacitor(inner, back, 15e-9))
            return (shunt, *weight), (inner, back), 1_000.0
        middle = f"{self.name}.middle"
        series = (Resistor(entry, middle, 1_500.0), Capacitor(entry, middle, 0.22e-6))
        weight = (Resistor(middle, inner, 10_000.0), Capacitor(inner, back, 22e-9))
        return (*series, Resistor(middle, back, 500.0), *weight), (inner, back), 500.0

    def _tied(self, leads: str, node: str) -> tuple[Element, ...]:
        """The box's relays from some leads to a node."""
        return tuple(
            Resistor(f"{self.name}.lead_{lead}", node, LEAD_OHMS)
            for lead in leads.split(",")
            if lead != EARTH_LEAD
        )

    def begin(self) -> None:
        self.solve()
        self.step("DWELL", 0.0, self.dwell_s)

    def solve(self) -> None:
        """What flows in the network as it is set and connected now."""
        earth, boxed = f"{self.name}.earth", self.path in ("LEADS", "MAINS")
        measured, back = f"{self.name}.{'measured' if boxed else 'body'}", EARTH
        if self.path == "EARTH":
            measured = earth
        hot, driven = f"{self.name}.hot", f"{self.name}.driven"
        ties: tuple[Element, ...] = ()
        if boxed:
            ties = (*self._tied(self.measured, measured), *self._tied(self.driven, driven))
            if self.path == "MAINS":
                back = hot
            elif self.returned != EARTH_LEAD:
                back = f"{self.name}.returned"
                ties += self._tied(self.returned, back)
        body, across, ohms = self._body_network(measured, back)
        is_differential = self.method == "DIFFERENTIAL"
        earthed = Resistor(earth, EARTH, EARTH_OHMS)
        if self.path == "NONE" or is_differential:
            network = self.floor.circuit((earthed,))
        elif measured == earth:
            network = self.floor.circuit(body)
        else:
            network = self.floor.circuit((*body, *ties, earthed))
        ends = [f"{self.name}.line", f"{self.name}.neutral"]
        if self.polarity == "REVERSED":
            ends.reverse()
        level_v = self.level_v * self.gain
        is_tied, is_on_part = self.method == "ALTERNATIVE", self.path == "MAINS"
        line_v = 0.0 if is_tied and is_on_part else level_v
        line = Source(ends[0], EARTH, line_v, SUPPLY_OHMS)
        neutral = Source(ends[1], EARTH, line_v if is_tied else 0.0, SUPPLY_OHMS)
        sources = [line] if self.neutral == "OPEN" else [line, neutral]
        if is_on_part:
            sources.append(Source(hot, EARTH, level_v, SUPPLY_OHMS))
        if boxed and self.driven != EARTH_LEAD:
            sources.append(Source(driven, EARTH, level_v, SUPPLY_OHMS))
        solution = network.solve_ac(sources, self.frequency_hz)
        if network.strike(solution, math.sqrt(2)):
            solution = network.solve_ac(sources, self.frequency_hz)
        self.true_a = abs(solution.across(*across)) / ohms
        if is_differential:
            self.true_a = abs(sum(solution.current_of(source) for source in sources))
        elif self.path == "NONE":
            self.true_a = 0.0
        self.network, self.solution = network, solution
        drawn = solution.current_of(line)
        # From line to neutral; where that says nothing, from line to the supply's own neutral.
        supply = solution.across(ends[0], ends[1])
        if is_tied or self.neutral == "OPEN":
            supply = solution.at(hot if is_tied and is_on_part else ends[0])
        self.true_v = abs(supply)
        self.true_load_a, self.true_w = abs(drawn), (supply * drawn.conjugate()).real
        if is_tied:
            self.true_load_a = self.true_w = 0.0  # nothing flows from pole to pole
        through_v = abs(solution.across(measured, back))
        self.body_a = self.true_a if is_differential else through_v / self._ohms()
        self.true_dc_a = 0.0
        if boxed and any(isinstance(each, Cell) for each in network.elements):
            still = [Source(each.plus, each.minus, 0.0, each.ohms) for each in sources]
            self.true_dc_a = abs(network.solve_dc(still).across(*across)) / ohms

    def cut(self) -> None:
        self.leave_charge(
            self.network, self.solution, math.sqrt(2)
        )  # cut off at the peak, at worst

    def bleed(self) -> tuple[Element, ...]:
        earth = f"{self.name}.earth"
        others = (each for each in self.terminals if each != earth)
        across = (Resistor(each, EARTH, BLEED_OHMS) for each in others)
        return (*across, Resistor(earth, EARTH, EARTH_OHMS))

    def _ohms(self) -> float:
        return 2_000.0 if self.body == "IEC60990" else 1_000.0

    def step(self, phase: str, into_s: float, length_s: float) -> None:
        self.amperes = abs(self.noisy(self.true_a, 1e-3, 5e-8))
        self.dc_amperes = abs(self.noisy(self.true_dc_a, 2e-3, 5e-8))
        self.volts = self.noisy(self.true_v, 2e-4, 0.02)
        self.load_a = abs(self.noisy(self.true_load_a, 1e-3, 1e-3))
        self.watts = self.noisy(self.true_w, 1e-3, 0.2)
        if self.body_a > CUT_A:
            self.finish("OVERCURRENT")

    def _shown(self) -> list[str]:
        current, bound = bounded(self.amperes, FLOOR_A, RANGE_A)
        peak = current * math.sqrt(2)  # mains is a sine here
        direct, direct_bound = bounded(self.dc_amperes, FLOOR_A, RANGE_A)
        return [
            displayed(self.volts, STEP_V),
            displayed(current, STEP_A),
            bound,
            displayed(self.load_a, LOAD_STEP_A),
            displayed(peak, STEP_A),
            bound,
            displayed(self.watts, STEP_W),
            displayed(direct, STEP_A),
            direct_bound,
        ]

    def values(self) -> list[str]:
        return self._shown() if self.output_on else OFF

    def summary(self) -> list[str]:
        return self._shown()
