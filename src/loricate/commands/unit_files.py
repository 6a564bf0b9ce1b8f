"""Stand-in unit files as text: an element and a fault a line, so that hundreds stay readable."""

from typing import Any

import tomlkit

from loricate.simulator.units import UnitModel


def unit_text(model: UnitModel) -> str:
    """A unit file; faults that only exchange two terminals are left out, for any may be."""
    document = tomlkit.document()
    document["format"] = model.format
    document["code"] = model.code
    names = tomlkit.array()
    names.extend(model.terminals)
    document["terminals"] = names.multiline(len(model.terminals) > 8)
    if model.positions:
        document["positions"] = list(model.positions)
    elements = tomlkit.table()
    for name, element in model.element.items():
        elements[name] = _inline(element.model_dump(exclude_defaults=True))
    document["element"] = elements
    faults = tomlkit.table()
    for name, fault in model.fault.items():
        if fault.change:
            faults[name] = _inline(fault.model_dump(exclude_defaults=True))
    if faults:
        document["fault"] = faults
    return tomlkit.dumps(document)


def _inline(values: dict[str, Any]) -> tomlkit.items.InlineTable:
    table = tomlkit.inline_table()
    for name, value in values.items():
        if isinstance(value, tuple):
            value = [_inline(each) if isinstance(each, dict) else each for each in value]
        table[name] = value
    return table
