"""Units under test as electrical networks, with faults as data.

A unit file lists elements between the unit's terminals and inner nodes, and faults that change
them.
"""

import math
import random
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.quantities import (
    CAPACITANCE,
    INDUCTANCE,
    RATIO,
    RESISTANCE,
    TIME,
    VOLTAGE,
    parse,
)
from loricate.simulator.devices import Device, DeviceChange, DeviceModel, changed
from loricate.simulator.network import (
    STRUCK_OHMS,
    Capacitor,
    Cell,
    Coil,
    Diode,
    Element,
    Gap,
    Resistor,
)

Type = Literal["resistor", "capacitor", "gap", "arcing_gap", "diode", "coil", "cell"]
METALS = {"": math.inf, "copper": 234.5, "aluminium": 225.0}  # °C below 0 where R would be nothing
MADE_AT_C = 20.0  # what resistances in unit files are given at


class UnitElement(BaseModel):
    """One element of a unit: what it is, between which nodes, and its value.

    Of a diode the anode comes first, of a cell its plus. One with a ``position`` is there while the
    unit's switch stands in that position. A ``loose`` one breaks off for so long when the unit is
    bent. A coil has ``ohms`` beside its inductance and a cell beside its volts; coils of one
    ``core`` are coupled; of a gap ``ohms`` are what it conducts through. What is of a ``metal`` has
    its resistance at 20 °C. The current through what ``flickers`` changes by such a share, from
    moment to moment.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    type: Type
    between: tuple[str, str]
    value: str
    spread: str = "0 %"
    position: str = ""
    loose: str = ""
    ohms: str = ""
    core: str = ""
    coupling: str = "0 %"
    metal: Literal["", "copper", "aluminium"] = ""
    flickers: str = ""


class Change(BaseModel):
    """One change that a fault makes: another type or value, turned, loose, or the element gone."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    element: str
    type: Type | None = None
    value: str | None = None
    gone: bool = False
    turned: bool = False
    loose: str | None = None
    ohms: str | None = None
    flickers: str | None = None


class Fault(BaseModel):
    """A fault: elements changed, terminals swapped in pairs at the plug, terminals left loose.

    ``device`` is what it changes of what the unit shows.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    title: str
    change: tuple[Change, ...] = ()
    swap: tuple[tuple[str, str], ...] = ()
    loose: tuple[str, ...] = ()
    device: tuple[DeviceChange, ...] = ()

    @property
    def is_loose(self) -> bool:
        """Whether it shows only while the unit is bent."""
        return any(each.loose for each in self.change)


class UnitModel(BaseModel):
    """A unit file; ``positions`` are those of its switch, the first as it comes.

    ``device`` is what it shows, where it shows anything.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-stand-in-unit/1"]
    code: str
    terminals: tuple[str, ...]
    positions: tuple[str, ...] = ()
    element: dict[str, UnitElement]
    device: DeviceModel | None = None
    fault: dict[str, Fault] = Field(default_factory=dict)

    def find_fault(self, name: str) -> Fault:
        """A fault of the file, or one that any unit may have; raises KeyError.

        ``swapped A B`` exchanges two terminals; with ``unplugged X2`` none touches whose name
        begins with the connector's and a colon.
        """
        if name in self.fault:
            return self.fault[name]
        word, _, pair = name.partition(" ")
        loose = tuple(each for each in self.terminals if each.startswith(f"{pair}:"))
        if word == "unplugged" and loose:
            return Fault(title=f"{pair} not plugged in", loose=loose)
        ends = tuple(pair.split(" "))
        if word != "swapped" or len(ends) != 2 or not set(ends) <= set(self.terminals):
            raise KeyError(name)
        return Fault(title=f"{ends[0]} and {ends[1]} exchanged", swap=((ends[0], ends[1]),))


@dataclass(frozen=True)
class Unit:
    """One unit in a nest: its elements, and which inner node each terminal reaches.

    ``flickers`` are those whose current is not steady, with its share. ``loose`` are those that
    break off when it is bent, with how long (s); ``plugs`` the node that a contact of its own has,
    plugged in or not. ``device`` is what it shows, ``position`` where its switch stands.
    """

    elements: tuple[Element, ...]
    terminals: dict[str, str]
    loose: tuple[tuple[Element, float], ...] = ()
    plugs: dict[str, str] = field(default_factory=dict)
    flickers: tuple[tuple[Element, float], ...] = ()
    device: Device | None = None
    position: str = ""

    @cached_property
    def beside(self) -> dict[str, list[Element]]:
        """The elements at each node."""
        found: dict[str, list[Element]] = {}
        for each in self.elements:
            found.setdefault(each.a, []).append(each)
            found.setdefault(each.b, []).append(each)
        return found

    def islands(self, most_ohms: float) -> dict[str, str]:
        """A node that stands for all that hang together through no more than so much, by node."""
        if most_ohms not in self._islands:
            above = {node: node for node in (*self.beside, *self.terminals.values())}

            def find(node: str) -> str:
                while above[node] != node:
                    above[node] = above[above[node]]
                    node = above[node]
                return node

            for each in self.elements:
                if isinstance(each, Diode) or (
                    isinstance(each, Resistor) and each.ohms <= most_ohms
                ):
                    above[find(each.b)] = find(each.a)
            self._islands[most_ohms] = {node: find(node) for node in above}
        return self._islands[most_ohms]

    def within(self, most_ohms: float) -> dict[str, frozenset[Element]]:
        """What conducts within each island, by what stands for it."""
        islands = self.islands(most_ohms)
        found: dict[str, list[Element]] = {}
        for each in self.elements:
            if isinstance(each, Diode) or (isinstance(each, Resistor) and each.ohms <= most_ohms):
                found.setdefault(islands[each.a], []).append(each)
        return {island: frozenset(elements) for island, elements in found.items()}

    @cached_property
    def _islands(self) -> dict[float, dict[str, str]]:
        return {}

    @cached_property
    def absorbs(self) -> bool:
        """Whether it has a capacitance behind a resistance, which takes up charge slowly."""
        reached = set(self.terminals.values())
        return any(
            isinstance(each, Capacitor) and not {each.a, each.b} <= reached
            for each in self.elements
        )

    @cached_property
    def terminals_at(self) -> dict[str, tuple[str, ...]]:
        """The terminals that a node is reached by: clips on one post are several."""
        found: dict[str, tuple[str, ...]] = {}
        for terminal, node in self.terminals.items():
            found[node] = (*found.get(node, ()), terminal)
        return found

    def clipped(self, clips: Mapping[str, str]) -> "Unit":
        """The unit with contacts clipped to other terminals of it than their own."""
        if not clips:
            return self
        own = {contact: self.terminals[terminal] for contact, terminal in clips.items()}
        return replace(self, terminals={**self.terminals, **own})


def read_unit_model(path: Path) -> UnitModel:
    """Read a unit file; raises pydantic's ValidationError naming the key."""
    return _unit_model(path.read_text(encoding="utf-8"))


@lru_cache(maxsize=64)
def _unit_model(text: str) -> UnitModel:
    """A unit file as read before: of a cable it is long, and a floor is built for each test."""
    return UnitModel.model_validate(tomllib.loads(text))


def build_unit(
    model: UnitModel,
    faults: tuple[str, ...],
    prefix: str,
    seed: str,
    position: str = "",
    temperature_c: float = MADE_AT_C,
) -> Unit:
    """Make a unit of a model with the named faults; ``seed`` fixes its scatter.

    ``position`` is where its switch stands, by default in the first of its positions.

    Node names get ``prefix`` so that units in several nests do not touch. Raises KeyError for a
    fault or element that the model does not have.
    """
    chosen = dict(model.element)
    terminals = {name: f"{prefix}{name}" for name in model.terminals}
    plugs = dict(terminals)
    device = model.device
    for name in faults:
        fault = model.find_fault(name)
        device = changed(device, fault.device) if device is not None else None
        for change in fault.change:
            element = chosen[change.element]
            if change.gone:
                del chosen[change.element]
                continue
            update = change.model_dump(
                include={"type", "value", "loose", "ohms", "flickers"}, exclude_none=True
            )
            if change.turned:
                update["between"] = element.between[::-1]
            chosen[change.element] = element.model_copy(update=update)
        for a, b in fault.swap:
            terminals[a], terminals[b] = terminals[b], terminals[a]
        plugs = {**plugs, **terminals}
        terminals |= {name: f"{prefix}{name} loose" for name in fault.loose}
    stands = position or next(iter(model.positions), "")
    built = [
        (_build(element, prefix, f"{seed}/{name}", temperature_c), element)
        for name, element in chosen.items()
        if element.position in ("", stands)
    ]
    loose = tuple((made, parse(told.loose, TIME)) for made, told in built if told.loose)
    flickers = tuple((made, parse(told.flickers, RATIO)) for made, told in built if told.flickers)
    elements = tuple(made for made, _ in built)
    shows = Device(device) if device is not None else None
    return Unit(elements, terminals, loose, plugs, flickers, shows, stands)


def _build(element: UnitElement, prefix: str, seed: str, temperature_c: float) -> Element:
    a, b = (prefix + node for node in element.between)
    spread = parse(element.spread, RATIO)
    factor = 1 + random.Random(seed).uniform(-1, 1) * spread if spread else 1.0
    below = METALS[element.metal]
    warmth = 1.0 if math.isinf(below) else (below + temperature_c) / (below + MADE_AT_C)
    match element.type:
        case "resistor":
            return Resistor(a, b, parse(element.value, RESISTANCE) * factor * warmth)
        case "coil":
            return Coil(
                a,
                b,
                parse(element.ohms, RESISTANCE) * factor * warmth,
                parse(element.value, INDUCTANCE) * factor,
                prefix + element.core if element.core else "",
                parse(element.coupling, RATIO),
            )
        case "cell":
            volts = parse(element.value, VOLTAGE) * factor
            return Cell(a, b, parse(element.ohms, RESISTANCE) * factor, volts)
        case "capacitor":
            return Capacitor(a, b, parse(element.value, CAPACITANCE) * factor)
        case "diode":
            return Diode(a, b, parse(element.value, VOLTAGE) * factor)
        case "gap" | "arcing_gap":
            volts = parse(element.value, VOLTAGE) * factor
            through = parse(element.ohms, RESISTANCE) if element.ohms else STRUCK_OHMS
            return Gap(a, b, volts, through, arcing=element.type == "arcing_gap")
