"""The physical floor: units in nests, the wiring to the instruments, the guard."""

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from itertools import combinations

from loricate.simulator.clock import PacedClock
from loricate.simulator.devices import Device
from loricate.simulator.network import (
    EARTH,
    Capacitor,
    Diode,
    Element,
    Network,
    Resistor,
    Solution,
    Transient,
)
from loricate.simulator.units import Unit, UnitModel, build_unit

RELAY_OHMS, EARTH_OHMS, LEAST_LEAD_OHMS = 0.02, 0.05, 1e-6
Point = tuple[int, int]  # row and column
FORGOTTEN_V = 1.0  # a charge below this is none
ONE_NODE_OHMS = 0.5  # what is joined by less than this is one for a source of volts


@dataclass(slots=True)
class Nest:
    """A place for a unit: which matrix column each terminal's contact is wired to.

    ``lead_ohms`` is the resistance of each lead, its contact included, ``stray_farads`` the
    capacitance between each two of them; ``presence`` the number of the switch that feels a unit.
    ``earthed`` are the unit's terminals that the fixture connects to earth; ``clips`` the contacts
    that are clipped to another terminal than their own, with that. ``model``, ``faults``
    and ``serial`` are of the unit that lies in it, ``temperature_c`` its own, where it has one.
    """

    columns: dict[str, int]
    unit: Unit | None = None
    lead_ohms: float = 0.0
    presence: int = 0
    stray_farads: float = 0.0
    earthed: tuple[str, ...] = ()
    clips: dict[str, str] = field(default_factory=dict)
    model: str = ""
    faults: tuple[str, ...] = ()
    serial: str = ""
    temperature_c: float | None = None


@dataclass
class Floor:
    """Everything that the instruments' wires touch.

    ``stuck`` relays stay closed whatever the matrix is told, ``leaks`` are Ω across open relays,
    ``wet`` Ω between two columns' wires. ``presses`` counts the foot switch; temperature and
    ``humidity`` (a fraction) are of the air about the units. ``charges`` are the
    volts that capacitors of units hold between outputs; they relax as the clock goes, through the
    unit itself, the relays that are closed and the ``bleeds`` of sources that discharge. Whoever
    changes any of these lets them ``rest`` first. A floor that ``forgets`` keeps none: who measures
    on it discharges after every output. ``bends`` counts how often the unit in each nest was bent;
    who watches it sees what breaks off. ``touched`` is the contact that the probe is held to, by
    nest and name.
    """

    rows: dict[int, str]
    nests: dict[str, Nest]
    models: dict[str, UnitModel]
    closed: set[tuple[int, int]] = field(default_factory=set)
    stuck: set[tuple[int, int]] = field(default_factory=set)
    leaks: dict[tuple[int, int], float] = field(default_factory=dict)
    wet: dict[tuple[int, int], float] = field(default_factory=dict)
    presses: int = 0
    bends: dict[str, int] = field(default_factory=dict)
    touched: tuple[str, str] | None = None
    temperature_c: float = 21.5
    humidity: float = 0.45
    guard_closed: bool = True
    outputs_on: set[str] = field(default_factory=set)
    clock: PacedClock = field(default_factory=PacedClock)
    charges: dict[Capacitor, float] = field(default_factory=dict)
    bleeds: dict[str, tuple[Element, ...]] = field(default_factory=dict)
    rested_at: float = 0.0
    forgets: bool = False
    on_guard_open: list[Callable[[], None]] = field(default_factory=list)
    on_trigger: list[Callable[[], None]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.changes = 0  # of what lies in nests: what was known of it before holds no more
        self._islands_of: tuple[object, dict[int, str], dict[str, frozenset[Element]]]
        self._islands_of = (None, {}, {})
        self._named_rows: dict[frozenset[str], frozenset[int]] = {}
        self.place_of = {
            column: (name, terminal)
            for name, nest in self.nests.items()
            for terminal, column in nest.columns.items()
        }

    def trigger(self) -> None:
        """A meter asks the matrix for the next path of its list, by a wire between the two."""
        for step in self.on_trigger:
            step()

    def put_in(self, nest: str, model: str, faults: tuple[str, ...], serial: str) -> None:
        """Put a unit into a nest; raises KeyError for an unknown nest, model or fault."""
        place = self.nests[nest]
        self.take_out(nest)
        place.unit = build_unit(
            self.models[model], faults, f"{nest}/", serial, temperature_c=self.temperature_in(nest)
        )
        self.changes += 1
        place.model, place.faults, place.serial, place.clips = model, faults, serial, {}

    def clip(self, nest: str, contact: str, terminal: str) -> None:
        """Put a contact's clip to a terminal of the unit in a nest; raises KeyError."""
        place = self.nests[nest]
        if place.unit is None or not {contact, terminal} <= set(place.columns):
            raise KeyError(contact)
        place.clips = {**place.clips, contact: terminal}
        self._build_anew(place, f"{nest}/")

    def _build_anew(self, place: Nest, prefix: str, position: str = "") -> None:
        """The unit in a nest with its switch or a clip elsewhere; it has shown what it has shown.

        Its switch stays where it is without a ``position``.
        """
        self.rest()
        unit = place.unit
        if unit is None:
            return
        position = position or unit.position
        built = build_unit(
            self.models[place.model],
            place.faults,
            prefix,
            place.serial,
            position,
            self.temperature_in(prefix.removesuffix("/")),
        )
        place.unit = replace(built.clipped(place.clips), device=unit.device)
        self.changes += 1

    def temperature_in(self, nest: str) -> float:
        """The temperature (°C) of the unit in a nest: that of the air, unless it has its own."""
        own = self.nests[nest].temperature_c
        return self.temperature_c if own is None else own

    def warm(self, nest: str, temperature_c: float) -> None:
        """Have what lies in a nest, now and later, at a temperature."""
        place = self.nests[nest]
        place.temperature_c = temperature_c
        if place.unit is not None:
            self.put_in(nest, place.model, place.faults, place.serial)

    def turn(self, nest: str, position: str) -> None:
        """Turn the switch of the unit in a nest; raises KeyError where it has no such position."""
        place = self.nests[nest]
        if place.unit is None or position not in self.models[place.model].positions:
            raise KeyError(position)
        self._build_anew(place, f"{nest}/", position)

    def device_in(self, nest: str) -> Device | None:
        """The device in a nest that shows something, where there is one."""
        place = self.nests.get(nest)
        return None if place is None or place.unit is None else place.unit.device

    def touch(self, nest: str, contact: str) -> None:
        """Hold the probe to a contact of the unit in a nest, of the nest itself where it is empty.

        Raises KeyError where there is none of the name.
        """
        place = self.nests[nest]
        known = place.columns if place.unit is None else place.unit.plugs
        if contact not in known:
            raise KeyError(contact)
        self.touched = (nest, contact)

    @property
    def touched_node(self) -> str:
        """The node that the probe is held to; nothing where it is held to none."""
        if self.touched is None:
            return ""
        nest, contact = self.touched
        place = self.nests[nest]
        if place.unit is not None:
            return place.unit.plugs.get(contact, "")
        column = place.columns.get(contact)
        return "" if column is None else f"column {column}"

    def bend(self, nest: str) -> None:
        """Bend the unit in a nest, once; raises KeyError where there is none."""
        if self.nests[nest].unit is None:
            raise KeyError(nest)
        self.bends[nest] = self.bends.get(nest, 0) + 1

    def take_out(self, nest: str) -> None:
        """Leave a nest empty; raises KeyError for an unknown nest."""
        self.rest()
        self.nests[nest].unit = None
        self.changes += 1
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
        network = self.circuit(bleeding, charged, ONE_NODE_OHMS)
        transient = Transient(network, (), passed_s, self.charges)
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
        self,
        extra: tuple[Element, ...] = (),
        nests: Collection[str] = frozenset(),
        merged_below: float = 0.0,
    ) -> Network:
        """The network of closed relays and the units they reach; rows are named nodes.

        The units of ``nests`` are in it whether a relay reaches them or not; ``merged_below`` is as
        of ``Network``.
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
        return Network(elements, merged_below)

    def conducting(
        self, high: Collection[str], low: Collection[str], most_ohms: float
    ) -> tuple[frozenset[Point], frozenset[object] | None]:
        """The closed relays that matter to a current between two leads of one instrument.

        Of hundreds of contacts tied to either lead, those of one net have something between them;
        none have where nothing conducts. With them comes what of units they reach and by which
        columns, so that a solution may be known again; None where all relays matter.
        """
        if self.leaks or self.wet or self.stuck:
            return frozenset(self.closed | self.stuck), None
        rows = self._rows_of(high), self._rows_of(low)
        sides: tuple[set[int], set[int]] = (set(), set())
        others: set[int] = set()
        for row, column in self.closed:
            (sides[0] if row in rows[0] else sides[1] if row in rows[1] else others).add(column)
        if others & (sides[0] | sides[1]):
            return frozenset(self.closed), None
        known, elements = self._islands(most_ohms)
        # At a column that no fixture has nothing is wired.
        island_of = {column: known.get(column, f"column {column}") for _, column in self.closed}
        common = {island_of[column] for column in sides[0]}
        common &= {EARTH, *(island_of[column] for column in sides[1])}
        if not common:
            return frozenset(), frozenset()
        matter = frozenset(point for point in self.closed if island_of[point[1]] in common)
        if EARTH in common:
            return matter, None
        reached: set[object] = {(column, self._node_at(column)) for _, column in matter}
        return matter, frozenset(reached.union(*(elements.get(each, ()) for each in common)))

    def _node_at(self, column: int) -> str:
        """The node of a unit that a column leads to; nothing where there is none."""
        nest, terminal = self.place_of.get(column, ("", ""))
        unit = self.nests[nest].unit if nest else None
        return "" if unit is None else unit.terminals.get(terminal, "")

    def _rows_of(self, names: Collection[str]) -> frozenset[int]:
        """The rows that instrument terminals of these names are wired to."""
        key = frozenset(names)
        if key not in self._named_rows:
            self._named_rows[key] = frozenset(row for row, name in self.rows.items() if name in key)
        return self._named_rows[key]

    def _islands(self, most_ohms: float) -> tuple[dict[int, str], dict[str, frozenset[Element]]]:
        """What stands for all that a column hangs together with, and what that is.

        Earth stands for what is earthed.
        """
        now = (most_ohms, self.changes)
        if now != self._islands_of[0]:
            found = {column: f"column {column}" for column in self.place_of}
            elements: dict[str, frozenset[Element]] = {}
            for nest in self.nests.values():
                if nest.unit is None:
                    continue
                islands = nest.unit.islands(most_ohms)
                elements |= nest.unit.within(most_ohms)
                earthed = {islands[nest.unit.terminals[each]] for each in nest.earthed}
                for terminal, column in nest.columns.items():
                    if terminal in nest.unit.terminals:
                        island = islands[nest.unit.terminals[terminal]]
                        found[column] = EARTH if island in earthed else island
            self._islands_of = (now, found, elements)
        return self._islands_of[1:]

    def part(
        self,
        nodes: Collection[str],
        most_ohms: float,
        extra: tuple[Element, ...],
        closed: Collection[tuple[int, int]],
    ) -> Network:
        """What hangs together with these nodes through no more than ``most_ohms`` at a time.

        A meter of low voltage sees no more of it, and a harness has hundreds of nets beside it.
        ``closed`` are the relays that matter.
        """
        paths = dict.fromkeys(closed, RELAY_OHMS) | {
            point: ohms for point, ohms in self.leaks.items() if ohms <= most_ohms
        }
        at_row: dict[str, list[tuple[str, str, float]]] = {}
        at_column: dict[str, list[tuple[str, str, float]]] = {}
        for (row, column), ohms in paths.items():
            edge = (self.rows[row], f"column {column}", ohms)
            at_row.setdefault(edge[0], []).append(edge)
            at_column.setdefault(edge[1], []).append(edge)
        for (a, b), ohms in self.wet.items():
            if ohms <= most_ohms:
                edge = (f"column {a}", f"column {b}", ohms)
                at_column.setdefault(edge[0], []).append(edge)
                at_column.setdefault(edge[1], []).append(edge)
        found: dict[Element, None] = dict.fromkeys(extra)
        seen: set[str] = set()
        left = [*nodes, *(node for each in extra for node in (each.a, each.b))]
        while left:
            node = left.pop()
            if node in seen or node == EARTH:
                continue
            seen.add(node)
            for element in (
                *(Resistor(*edge) for edge in at_row.get(node, ())),
                *(Resistor(*edge) for edge in at_column.get(node, ())),
                *self._beside(node, at_column, most_ohms),
            ):
                found[element] = None
                left += (element.a, element.b)
        return Network(found)

    def _beside(
        self, node: str, at_column: Mapping[str, object], most_ohms: float
    ) -> Iterator[Element]:
        """What of a fixture or a unit is at a node: a column's lead, or the unit's own elements."""
        if node.startswith("column "):
            nest, terminal = self.place_of.get(int(node.removeprefix("column ")), ("", ""))
            unit = self.nests[nest].unit if nest else None
            if unit is not None and terminal in unit.terminals:
                yield Resistor(node, unit.terminals[terminal], self._lead_ohms(nest))
            return
        nest = node.rpartition("/")[0]
        place = self.nests.get(nest)
        if place is None or place.unit is None:
            return
        for each in place.unit.beside.get(node, ()):
            if isinstance(each, Diode) or (isinstance(each, Resistor) and each.ohms <= most_ohms):
                yield each
        for terminal in place.unit.terminals_at.get(node, ()):
            if terminal in place.earthed:
                yield Resistor(node, EARTH, EARTH_OHMS)
            column = f"column {place.columns[terminal]}" if terminal in place.columns else ""
            if column in at_column:
                yield Resistor(column, node, self._lead_ohms(nest))

    def _lead_ohms(self, nest: str) -> float:
        return self.nests[nest].lead_ohms or LEAST_LEAD_OHMS

    @staticmethod
    def _node(node_of: dict[int, str], column: int) -> str:
        return node_of.get(column, f"column {column}")

    def is_present(self, number: int) -> bool:
        """Whether the nest with this presence switch holds a unit."""
        return any(
            nest.presence == number and nest.unit is not None for nest in self.nests.values()
        )
