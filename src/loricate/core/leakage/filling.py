"""A leakage step as a standard has it for a product: no figure of it is typed by hand."""

import math
from collections.abc import Iterable, Sequence
from typing import Any, get_args

from loricate.core.leakage.table import Condition
from loricate.core.leakage.taps import Path
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT, VOLTAGE, exact_text

ABOVE = 0.03  # by how much a supply is set above the least that must be measured
TOLERANCE = 0.025  # of the supply, so that the least is reached all the same
SEEN_ON = 0.8  # of the rated current: what shows that the unit is on


def proposed_settings(product: Product, items: Sequence[LimitSetItem]) -> dict[str, Any]:
    """The settings of one step that measures whatever ``items`` limit, as a document has them.

    Both polarities always. Where a standard limits single faults it asks for the unit off as well;
    where it does not, its figures are for the rated voltage, and readings are scaled to it.
    """
    conditions = _named(items, "condition", get_args(Condition)) or ["normal"]
    has_faults = conditions != ["normal"]
    methods = _named(items, "method", ("direct", "differential", "alternative"))
    several = any(len(part.terminals) > 1 for part in product.applied_parts)
    settings: dict[str, Any] = {
        "path": _named(items, "path", get_args(Path)),
        "condition": conditions,
        "connections": ["together", "each"] if several and has_faults else ["together"],
        "polarity": ["normal", "reversed"],
        "switch": ["on", "off"] if has_faults else ["on"],
        "network": next(iter(_named(items, "network", ("iec60601", "iec60990", "none"))), "none"),
        "method": methods[0] if methods else "direct",
    }
    if "PE" not in product.terminals:
        settings["earth"] = "none"
        settings["condition"] = [each for each in conditions if each != "open_earth"]
    rated_v = product.supply_voltage
    if rated_v is None:
        return settings
    least_v = max((_least_supply(item, product) for item in items), default=0.0)
    if least_v > 0:
        settings["supply"] = exact_text(float(math.ceil(least_v * (1 + ABOVE))), VOLTAGE)
        settings["tolerance"] = f"{TOLERANCE * 100:g} %"
    else:
        settings["supply"] = settings["nominal"] = exact_text(rated_v, VOLTAGE)
    rated_a = product.rated_current or (product.rated_power or 0.0) / rated_v
    if rated_a:
        settings["load_current"] = exact_text(float(f"{SEEN_ON * rated_a:.2g}"), CURRENT)
    return settings


def _named(items: Iterable[LimitSetItem], setting: str, known: Sequence[str]) -> list[str]:
    """What items name of a setting, in the order in which it is known."""
    named = {word for item in items for word in item.variant.get(setting, ())}
    return [word for word in known if word in named]


def _least_supply(item: LimitSetItem, product: Product) -> float:
    return item.least_of(product.facts).get("supply", (0.0, VOLTAGE))[0]
