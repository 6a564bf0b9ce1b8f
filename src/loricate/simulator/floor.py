"""The physical floor: units in nests, the wiring to the instruments, the guard."""

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import combinations

from loricate.simulator.network import Capacitor, Element, Network, Resistor
from loricate.simulator.units import Unit, UnitModel, build_unit

RELAY_OHMS = 0.02


@dataclass(slots=True)
class Nest:
    """A place for a unit: which matrix column each terminal's contact is wired to.

    ``lead_ohms`` is the resistance of each lead, its contact included, ``stray_farads`` the
    capacitance between each two of them; ``presence`` the number of the switch that feels a unit.
    """

    columns: dict[str, int]
    unit: Unit | None = None
    lead_ohms: float = 0.0
    presence: int = 0
    stray_farads: float = 0.0


@dataclass(slots=True)
class Floor:
    """Everything that the instruments' wires touch.

    ``stuck`` relays stay closed whatever the matrix is told, ``leaks`` are Ω across open relays,
    ``wet`` Ω between two columns' wires. ``presses`` counts the foot switch.
    """

    rows: dict[int, str]
    nests: dict[str, Nest]
    models: dict[str, UnitModel]
    closed: set[tuple[int, int]] = field(default_factory=set)
    stuck: set[tuple[int, int]] = field(default_factory=set)
    leaks: dict[tuple[int, int], float] = field(default_factory=dict)
    wet: dict[tuple[int, int], float] = field(default_factory=dict)
    presses: int = 0
    guard_closed: bool = True
    outputs_on: set[str] = field(default_factory=set)
    on_guard_open: list[Callable[[], None]] = field(default_factory=list)

    def put_in(self, nest: str, model: str, faults: tuple[str, ...], serial: str) -> None:
        """Put a unit into a nest; raises KeyError for an unknown nest, model or fault."""
        place = self.nests[nest]
        place.unit = build_unit(self.models[model], faults, f"{nest}/", serial)

    def take_out(self, nest: str) -> None:
        """Leave a nest empty; raises KeyError for an unknown nest."""
        self.nests[nest].unit = None

    def set_guard(self, closed: bool) -> None:
        """Open or close the guard; opening tells every source at once, as the wired loop does."""
        self.guard_closed = closed
        if not closed:
            for drop in self.on_guard_open:
                drop()

    def circuit(self, extra: tuple[Element, ...] = ()) -> Network:
        """The network of closed relays and the units they reach; rows are named nodes."""
        elements: list[Element] = list(extra)
        closed = self.closed | self.stuck
        paths = {point: RELAY_OHMS for point in closed}
        paths |= {point: ohms for point, ohms in self.leaks.items() if point not in closed}
        touched = {column for _, column in paths} | {each for pair in self.wet for each in pair}
        node_of = {}
        for nest in self.nests.values():
            if nest.unit is None or not touched & set(nest.columns.values()):
                continue
            elements.extend(nest.unit.elements)
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
