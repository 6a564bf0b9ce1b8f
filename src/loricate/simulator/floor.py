"""The physical floor: units in nests, the wiring to the instruments, the guard."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from itertools import combinations

from loricate.simulator.clock import PacedClock
from loricate.simulator.network import (
    EARTH,
    Capacitor,
    Element,
    Network,
    Resistor,
    Solution,
    Transient,
)
from loricate.simulator.units import Unit, UnitModel, build_unit

RELAY_OHMS, EARTH_OHMS = 0.02, 0.05
FORGOTTEN_V = 1.0  # a charge below this is none


@dataclass(slots=True)
class Nest:
    """A place for a unit: which matrix column each terminal's contact is wired to.

    ``lead_ohms`` is the resistance of each lead, its contact included, ``stray_farads`` the
    capacitance between each two of them; ``presence`` the number of the switch that feels a unit.
    ``earthed`` are the unit's terminals that the fixture connects to earth.
    """

    columns: dict[str, int]
    unit: Unit | None = None
    lead_ohms: float = 0.0
    presence: int = 0
    stray_farads: float = 0.0
    earthed: tuple[str, ...] = ()


@dataclass(slots=True)
class Floor:
    """Everything that the instruments' wires touch.

    ``stuck`` relays stay closed whatever the matrix is told, ``leaks`` are Ω across open relays,
    ``wet`` Ω between two columns' wires. ``presses`` counts the foot switch; temperature and
    ``humidity`` (a fraction) are of the air about the units. ``charges`` are the
    volts that capacitors of units hold between outputs; they relax as the clock goes, through the
    unit itself, the relays that are closed and the ``bleeds`` of sources that discharge. Whoever
    changes any of these lets them ``rest`` first.
    """

    rows: dict[int, str]
    nests: dict[str, Nest]
    models: dict[str, UnitModel]
    closed: set[tuple[int, int]] = field(default_factory=set)
    stuck: set[tuple[int, int]] = field(default_factory=set)
    leaks: dict[tuple[int, int], float] = field(default_factory=dict)
    wet: dict[tuple[int, int], float] = field(default_factory=dict)
    presses: int = 0
    temperature_c: float = 21.5
    humidity: float = 0.45
    guard_closed: bool = True
    outputs_on: set[str] = field(default_factory=set)
    clock: PacedClock = field(default_factory=PacedClock)
    charges: dict[Capacitor, float] = field(default_factory=dict)
    bleeds: dict[str, tuple[Element, ...]] = field(default_factory=dict)
    rested_at: float = 0.0
    on_guard_open: list[Callable[[], None]] = field(default_factory=list)

    def put_in(self, nest: str, model: str, faults: tuple[str, ...], serial: str) -> None:
        """Put a unit into a nest; raises KeyError for an unknown nest, model or fault."""
        place = self.nests[nest]
        self.take_out(nest)
        place.unit = build_unit(self.models[model], faults, f"{nest}/", serial)

    def take_out(self, nest: str) -> None:
        """Leave a nest empty; raises KeyError for an unknown nest."""
        self.rest()
        self.nests[nest].unit = None
        for capacitor in [each for each in self.charges if each.a.startswith(f"{nest}/")]:
            del self.charges[capacitor]

    def rest(self) -> Solution | None:
        """Let charges relax until now; gives the volts where there are charges at all."""
        now = self.clock.now()
        passed_s, self.rested_at = now - self.rested_at, now
        if not self.charges:
            return None
        bleeding = tuple(element for bleed in self.bleeds.values() for element in bleed)
        charged = {capacitor.a.rpartition("/")[0] for capacitor in self.charges}
        transient = Transient(self.circuit(bleeding, charged), (), passed_s, self.charges)
        solution = transient.advance(()) if passed_s > 0 else transient.now()
        self.charges = {each: v for each, v in transient.charges().items() if abs(v) > FORGOTTEN_V}
        return solution

    def end_bleeds(self) -> None:
        """Sources that are connected to nothing any more stop to discharge."""
        joined = {self.rows[row].partition(".")[0] for row, _ in self.closed}
        for name in set(self.bleeds) - joined:
            del self.bleeds[name]

    def keep(self, charges: Mapping[Capacitor, float], reached: set[str]) -> None:
        """What an output has left in the capacitors at the nodes that it reached, as of now."""
        for capacitor, volts in charges.items():
            if capacitor.a in reached or capacitor.b in reached:
                self.charges[capacitor] = volts
        self.rested_at = self.clock.now()

    def volts_in(self, nest: str) -> float:
        """The greatest voltage between two terminals of a unit in a nest, as it lies there."""
        unit, solution = self.nests[nest].unit, self.rest()
        if unit is None or solution is None:
            return 0.0
        ends = [solution.at(node).real for node in unit.terminals.values()]
        return max(ends) - min(ends)

    def set_guard(self, closed: bool) -> None:
        """Open or close the guard; opening tells every source at once, as the wired loop does."""
        self.guard_closed = closed
        if not closed:
            for drop in self.on_guard_open:
                drop()

    def circuit(
        self, extra: tuple[Element, ...] = (), nests: Collection[str] = frozenset()
    ) -> Network:
        """The network of closed relays and the units they reach; rows are named nodes.

        The units of ``nests`` are in it whether a relay reaches them or not.
        """
        elements: list[Element] = list(extra)
        closed = self.closed | self.stuck
        paths = {point: RELAY_OHMS for point in closed}
        paths |= {point: ohms for point, ohms in self.leaks.items() if point not in closed}
        touched = {column for _, column in paths} | {each for pair in self.wet for each in pair}
        node_of = {}
        for name, nest in self.nests.items():
            if nest.unit is None:
                continue
            if name not in nests and not touched & set(nest.columns.values()):
                continue
            elements.extend(nest.unit.elements)
            elements += [
                Resistor(nest.unit.terminals[terminal], EARTH, EARTH_OHMS)
                for terminal in nest.earthed
                if terminal in nest.unit.terminals
            ]
            for terminal, column in nest.columns.items():
                node = nest.unit.terminals.get(terminal)
                if node is None or column not in touched:
                    continue
                if nest.lead_ohms:
                    elements.append(Resistor(f"column {column}", node, nest.lead_ohms))
                else:
                    node_of[column] = node
        for (row, column), ohms in sorted(paths.items()):
            elements.append(Resistor(self.rows[row], self._node(node_of, column), ohms))
        for nest in self.nests.values():
            if nest.stray_farads:
                own = [column for column in nest.columns.values() if column in touched]
                elements += [
                    Capacitor(self._node(node_of, a), self._node(node_of, b), nest.stray_farads)
                    for a, b in combinations(own, 2)
                ]
        for (a, b), ohms in self.wet.items():
            elements.append(Resistor(self._node(node_of, a), self._node(node_of, b), ohms))
        return Network(elements)

    @staticmethod
    def _node(node_of: dict[int, str], column: int) -> str:
        return node_of.get(column, f"column {column}")

    def is_present(self, number: int) -> bool:
        """Whether the nest with this presence switch holds a unit."""
        return any(
            nest.presence == number and nest.unit is not None for nest in self.nests.values()
        )
