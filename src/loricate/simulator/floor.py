"""The physical floor: units in nests, the wiring to the instruments, the guard."""

from collections.abc import Callable
from dataclasses import dataclass, field

from loricate.simulator.network import Element, Network, Resistor
from loricate.simulator.units import Unit, UnitModel, build_unit

RELAY_OHMS = 0.02


@dataclass(slots=True)
class Nest:
    """A place for a unit: which matrix column each terminal's contact is wired to."""

    columns: dict[str, int]
    unit: Unit | None = None


@dataclass(slots=True)
class Floor:
    """Everything that the instruments' wires touch."""

    rows: dict[int, str]
    nests: dict[str, Nest]
    models: dict[str, UnitModel]
    closed: set[tuple[int, int]] = field(default_factory=set)
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
        touched = {column for _, column in self.closed}
        node_of = {}
        for nest in self.nests.values():
            if nest.unit is None or not touched & set(nest.columns.values()):
                continue
            elements.extend(nest.unit.elements)
            for terminal, column in nest.columns.items():
                if terminal in nest.unit.terminals:
                    node_of[column] = nest.unit.terminals[terminal]
        for row, column in sorted(self.closed):
            node = node_of.get(column, f"column {column}")
            elements.append(Resistor(self.rows[row], node, RELAY_OHMS))
        return Network(elements)
