"""Stand-in cables made from their description, with every fault that a cable can have.

Each net is broken, each two neighbouring contacts are joined, each two contacts of a connector are
exchanged, each net's insulation is weak, each component is off its value, missing or turned.
"""

from collections.abc import Iterator
from itertools import combinations, pairwise
from typing import Any

from loricate.core.products.product import Product
from loricate.core.quantities import CAPACITANCE, RESISTANCE, VOLTAGE, exact_text
from loricate.core.wiring.description import Net, Part, PartSort, Wiring, connector_of
from loricate.simulator.units import UnitModel

USUAL_OHMS, USUAL_FARADS = 0.1, 500e-12
LOOSE = "200 µs"
SHORT, POOR, CORRODED = "300 mΩ", "40 MΩ", 5.0
SOUND, WEAK = "6 kV", "400 V"
LARGE = 40  # contacts of a connector, above which neighbours alone are exchanged
Entry = dict[str, Any]
Faults = dict[str, Entry]


def cable_stand_in(product: Product) -> UnitModel:
    """A cable as a network, from its description, with its faults by name."""
    wirings = product.wirings
    elements: dict[str, Entry] = {}
    faults: Faults = {}
    for net, position in _nets(wirings):
        _add_net(net, position, elements, faults)
    for part in wirings[0].parts:
        _add_part(part, elements, faults)
    _add_insulation(product, elements, faults)
    faults |= _exchanges(product)
    faults |= _loose(wirings)
    return UnitModel.model_validate(
        {
            "format": "loricate-stand-in-unit/1",
            "code": product.code,
            "terminals": product.terminals,
            "positions": [each.position for each in wirings if each.position],
            "element": elements,
            "fault": faults,
        }
    )


def _nets(wirings: tuple[Wiring, ...]) -> Iterator[tuple[Net, str]]:
    """Every net once, with the position that it is there in; empty where in each."""
    always = set(wirings[0].nets).intersection(*(each.nets for each in wirings))
    yield from ((net, "") for net in wirings[0].nets if net in always)
    for wiring in wirings:
        yield from ((net, wiring.position) for net in wiring.nets if net not in always)


def _add_net(net: Net, position: str, elements: dict[str, Entry], faults: Faults) -> None:
    """A wire from the first contact to each other; broken, or corroded in its crimp."""
    ohms = net.expected or (net.maximum or 2 * USUAL_OHMS) / 2
    wires = []
    for name, a, b in net.branches:
        key = f"wire {name}"
        wires.append(key)
        elements[key] = {
            "type": "resistor",
            "between": (a, b),
            "value": exact_text(ohms, RESISTANCE),
            "spread": "4 %",
            "position": position,
        }
    kind = "Shield" if net.is_shield else "Net"
    for name, wire in zip((branch[0] for branch in net.branches), wires, strict=True):
        faults[f"open {name}"] = {
            "title": f"{kind} {name} broken",
            "change": [{"element": wire, "gone": True}],
        }
        much = exact_text(ohms + CORRODED, RESISTANCE)
        faults[f"corroded {name}"] = {
            "title": f"{kind} {name} with a bad crimp",
            "change": [{"element": wire, "value": much}],
        }


def _loose(wirings: tuple[Wiring, ...]) -> Faults:
    """Each wire with a crimp that opens for a moment when the cable is bent."""
    return {
        f"loose {name}": {
            "title": f"{'Shield' if net.is_shield else 'Net'} {name} loose in its crimp",
            "change": [{"element": f"wire {name}", "loose": LOOSE}],
        }
        for net, _ in _nets(wirings)
        for name, _, _ in net.branches
    }


def _add_part(part: Part, elements: dict[str, Entry], faults: Faults) -> None:
    dimension = {
        PartSort.RESISTOR: RESISTANCE,
        PartSort.CAPACITOR: CAPACITANCE,
        PartSort.DIODE: VOLTAGE,
    }[part.sort]
    key = f"part {part.name}"
    elements[key] = {
        "type": str(part.sort),
        "between": part.between,
        "value": exact_text(part.nominal, dimension),
    }
    other = exact_text(part.nominal * 1.5, dimension)
    faults[f"other {part.name}"] = {
        "title": f"{part.name} of another value",
        "change": [{"element": key, "value": other}],
    }
    faults[f"missing {part.name}"] = {
        "title": f"{part.name} not fitted",
        "change": [{"element": key, "gone": True}],
    }
    if part.sort is PartSort.DIODE:
        faults[f"turned {part.name}"] = {
            "title": f"{part.name} turned round",
            "change": [{"element": key, "turned": True}],
        }


def _add_insulation(product: Product, elements: dict[str, Entry], faults: Faults) -> None:
    """What is between contacts side by side: insulation, capacitance, and a gap far above.

    A fault joins two of them, or weakens what is beside a net.
    """
    section = product.cable
    farads = (section.net_capacitance if section is not None else None) or USUAL_FARADS
    wiring = product.wirings[0]
    for a, b in _neighbours(product):
        key = f"between {a} {b}"
        elements[key] = {
            "type": "resistor",
            "between": (a, b),
            "value": "50 GΩ",
            "spread": "30 %",
        }
        if not _are_joined(wiring, a, b):
            faults[f"short {a} {b}"] = {
                "title": f"{a} and {b} joined",
                "change": [{"element": key, "value": SHORT}],
            }
    groups = [each for each in wiring.groups if any(contact in wiring.net_of for contact in each)]
    for first, second in [*pairwise(groups), *([(groups[-1], groups[0])] if groups[1:] else [])]:
        name = wiring.name_of(first)
        a, b = _wired(wiring, first), _wired(wiring, second)
        elements[f"capacitance {name}"] = {
            "type": "capacitor",
            "between": (a, b),
            "value": exact_text(farads / 2, CAPACITANCE),
            "spread": "10 %",
        }
        elements[f"insulation {name}"] = {
            "type": "resistor",
            "between": (a, b),
            "value": "100 GΩ",
            "spread": "30 %",
        }
        elements[f"gap {name}"] = {"type": "gap", "between": (a, b), "value": SOUND}
        faults[f"weak {name}"] = {
            "title": f"Insulation of {name} strikes through at {WEAK}",
            "change": [{"element": f"gap {name}", "value": WEAK}],
        }
        faults[f"poor {name}"] = {
            "title": f"Insulation of {name} of {POOR}",
            "change": [{"element": f"insulation {name}", "value": POOR}],
        }


def _wired(wiring: Wiring, group: tuple[str, ...]) -> str:
    return next(contact for contact in group if contact in wiring.net_of)


def _neighbours(product: Product) -> Iterator[tuple[str, str]]:
    """Contacts side by side in a row of a connector."""
    for connector in product.cable.connectors if product.cable is not None else ():
        for row in connector.rows:
            yield from pairwise(f"{connector.code}:{name}" for name in row)


def _are_joined(wiring: Wiring, a: str, b: str) -> bool:
    return any({a, b} <= set(group) for group in wiring.groups)


def _exchanges(product: Product) -> Faults:
    """Each two contacts of a connector exchanged; of a large one, those side by side."""
    wiring = product.wirings[0]
    used = {contact for each in product.wirings for contact in each.net_of}
    found: Faults = {}
    for connector in product.cable.connectors if product.cable is not None else ():
        pairs = list(combinations(connector.contacts, 2))
        if len(connector.contacts) > LARGE:
            pairs = [
                each for each in _neighbours(product) if connector_of(each[0]) == connector.code
            ]
        for a, b in pairs:
            is_free = a not in used and b not in used
            if is_free or wiring.net_of.get(a) is wiring.net_of.get(b, a):
                continue
            found[f"swapped {a} {b}"] = {"title": f"{a} and {b} exchanged", "swap": [(a, b)]}
    return found
