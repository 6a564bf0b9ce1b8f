"""Stand-in units made from what a product says of itself, with the faults of its family.

A site that knows its product better writes a unit file; these are for whoever has none.
"""

from typing import Any

from loricate.challenge.cables import cable_stand_in
from loricate.core.products.product import Product
from loricate.core.quantities import CAPACITANCE, RESISTANCE, exact_text
from loricate.simulator.units import UnitModel

DEFAULT_FILTER_F = 1e-9
DEFAULT_POWER_W = 100.0
CORD_OHMS_PER_M = 0.018
MAINS = {"L", "N"}


class NoStandIn(Exception):
    """No unit can be made from a product; a unit file is needed."""

    def __init__(self, product: str, reason: str) -> None:
        super().__init__(product, reason)
        self.product, self.reason = product, reason

    def __str__(self) -> str:
        return (
            f"No stand-in can be made for product '{self.product}' ({self.reason}); write a unit "
            "file and give it with --unit."
        )


def stand_in_for(product: Product) -> UnitModel:
    """A product as a network, from what it says of itself; raises NoStandIn.

    A cable is one from its wiring, a mains appliance or medical device from its ratings.

    Between the poles its load, from each pole to the case half its capacitance and its insulation,
    with a gap that strikes well above any level of its class.
    """
    if product.wirings:
        return cable_stand_in(product)
    if product.family not in ("appliance", "medical"):
        raise NoStandIn(product.code, f"a {product.family} is described by its own network")
    if not set(product.terminals) >= MAINS:
        raise NoStandIn(product.code, "its terminals have no L and N")
    if product.supply_voltage is None:
        raise NoStandIn(product.code, "it has no rated voltage")
    others = [name for name in product.terminals if name not in {*MAINS, "PE"}]
    has_earth = "PE" in product.terminals and product.protection_class != "II"
    volts = product.supply_voltage
    load = volts**2 / (product.rated_power or DEFAULT_POWER_W)
    half = (product.filter_capacitance or DEFAULT_FILTER_F) / 2
    cord = CORD_OHMS_PER_M * (product.cord_length or 1.0)
    gap = "6 kV" if product.protection_class == "II" else "4.2 kV"
    elements: dict[str, dict[str, Any]] = {
        "cord_line": _resistor("L", "line", cord),
        "cord_neutral": _resistor("N", "neutral", cord),
        "load": _resistor("line", "neutral", load, "3 %"),
        "filter_line": _capacitor("line", "case", half),
        "filter_neutral": _capacitor("neutral", "case", half),
        "insulation": _resistor("line", "case", 800e6, "30 %"),
        "insulator": {"type": "gap", "between": ("line", "case"), "value": gap, "spread": "5 %"},
    }
    for name in others:
        elements[f"bond_{name}"] = _resistor("case", name, 8e-3, "20 %")
    if has_earth:
        elements["cord_earth"] = _resistor("PE", "stud", cord, "8 %")
        elements["stud"] = _resistor("stud", "case", 9e-3, "20 %")
    return UnitModel.model_validate(
        {
            "format": "loricate-stand-in-unit/1",
            "code": product.code,
            "terminals": product.terminals,
            "element": elements,
            "fault": _faults(load, half, others, has_earth),
        }
    )


def _resistor(a: str, b: str, ohms: float, spread: str = "0 %") -> dict[str, Any]:
    value = exact_text(ohms, RESISTANCE)
    return {"type": "resistor", "between": (a, b), "value": value, "spread": spread}


def _capacitor(a: str, b: str, farads: float) -> dict[str, Any]:
    value = exact_text(farads, CAPACITANCE)
    return {"type": "capacitor", "between": (a, b), "value": value, "spread": "10 %"}


def _faults(load: float, half: float, others: list[str], has_earth: bool) -> dict[str, Any]:
    def change(element: str, **to: Any) -> dict[str, Any]:
        return {"element": element, **to}

    found: dict[str, Any] = {
        "cracked_insulator": (
            "Cracked insulator: strikes at 800 V",
            [change("insulator", value="1.13 kV"), change("insulation", value="60 MΩ")],
        ),
        "poor_insulation": ("Insulation of 700 kΩ", [change("insulation", value="700 kΩ")]),
        "dead_short": ("Line joined to the case", [change("insulation", value="0.2 Ω")]),
        "arcing_strand": (
            "Loose strand that arcs",
            [change("insulator", type="arcing_gap", value="1.05 kV")],
        ),
        "wrong_filter": (
            "Filter of ten times its value",
            [change("filter_line", value=exact_text(10 * half, CAPACITANCE))],
        ),
        "wrong_element": (
            "Load of three quarters its power",
            [change("load", value=exact_text(load / 0.75, RESISTANCE))],
        ),
        "open_element": ("Load not connected", [change("load", gone=True)]),
        "open_line": ("Line conductor broken", [change("cord_line", gone=True)]),
        "open_neutral": ("Neutral conductor broken", [change("cord_neutral", gone=True)]),
    }
    if has_earth:
        found |= {
            "missing_earth": ("Earth conductor not connected", [change("cord_earth", gone=True)]),
            "loose_earth": ("Loose earth stud, 450 mΩ", [change("stud", value="450 mΩ")]),
            "corroded_earth": ("Corroded earth stud, 180 mΩ", [change("stud", value="180 mΩ")]),
        }
    for name in others:
        found[f"unbonded_{name.lower()}"] = (
            f"{name} not bonded to the case",
            [change(f"bond_{name}", gone=True)],
        )
    faults = {key: {"title": title, "change": changes} for key, (title, changes) in found.items()}
    if has_earth:
        faults["swapped_line_earth"] = {
            "title": "Line and earth exchanged in the plug",
            "swap": [("L", "PE")],
        }
    return faults
