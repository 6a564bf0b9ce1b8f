"""Units under test as electrical networks, with faults as data.

A unit file lists elements between the unit's terminals and inner nodes, and faults that change
them.
"""

import random
import tomllib
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.quantities import CAPACITANCE, RATIO, RESISTANCE, VOLTAGE, parse
from loricate.simulator.network import Capacitor, Element, Gap, Resistor


class UnitElement(BaseModel):
    """One element of a unit: what it is, between which nodes, and its value."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    type: Literal["resistor", "capacitor", "gap", "arcing_gap"]
    between: tuple[str, str]
    value: str
    spread: str = "0 %"


class Change(BaseModel):
    """One change that a fault makes: another type or value, or the element gone."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    element: str
    type: Literal["resistor", "capacitor", "gap", "arcing_gap"] | None = None
    value: str | None = None
    gone: bool = False


class Fault(BaseModel):
    """A fault: elements changed, and pairs of terminals swapped at the plug."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    title: str
    change: tuple[Change, ...] = ()
    swap: tuple[tuple[str, str], ...] = ()


class UnitModel(BaseModel):
    """A unit file."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-stand-in-unit/1"]
    code: str
    terminals: tuple[str, ...]
    element: dict[str, UnitElement]
    fault: dict[str, Fault] = Field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Unit:
    """One unit in a nest: its elements, and which inner node each terminal reaches."""

    elements: tuple[Element, ...]
    terminals: dict[str, str]


def read_unit_model(path: Path) -> UnitModel:
    """Read a unit file; raises pydantic's ValidationError naming the key."""
    return UnitModel.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))


def build_unit(model: UnitModel, faults: tuple[str, ...], prefix: str, seed: str) -> Unit:
    """Make a unit of a model with the named faults; ``seed`` fixes its scatter.

    Node names get ``prefix`` so that units in several nests do not touch. Raises KeyError for a
    fault or element that the model does not have.
    """
    chosen = dict(model.element)
    terminals = {name: f"{prefix}{name}" for name in model.terminals}
    for name in faults:
        fault = model.fault[name]
        for change in fault.change:
            element = chosen[change.element]
            if change.gone:
                del chosen[change.element]
            else:
                update = change.model_dump(include={"type", "value"}, exclude_none=True)
                chosen[change.element] = element.model_copy(update=update)
        for a, b in fault.swap:
            terminals[a], terminals[b] = terminals[b], terminals[a]
    elements = tuple(
        _build(element, prefix, random.Random(f"{seed}/{name}")) for name, element in chosen.items()
    )
    return Unit(elements, terminals)


def _build(element: UnitElement, prefix: str, chance: random.Random) -> Element:
    a, b = (prefix + node for node in element.between)
    factor = 1 + chance.uniform(-1, 1) * parse(element.spread, RATIO)
    match element.type:
        case "resistor":
            return Resistor(a, b, parse(element.value, RESISTANCE) * factor)
        case "capacitor":
            return Capacitor(a, b, parse(element.value, CAPACITANCE) * factor)
        case "gap" | "arcing_gap":
            volts = parse(element.value, VOLTAGE) * factor
            return Gap(a, b, volts, arcing=element.type == "arcing_gap")
