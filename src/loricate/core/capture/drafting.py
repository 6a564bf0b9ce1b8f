"""From what was captured and decided to a product's document; nothing is stored or released here.

Each net, component and winding is accepted as proposed, changed, or refused; what units differ in
has to be decided anew when another unit shows it. Until everything is decided there is no document.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from loricate.core.capture.proposal import Proposal, Proposed
from loricate.core.documents import read_document
from loricate.core.errors import DocumentError, Finding
from loricate.core.products.product import FORMAT, Product
from loricate.core.quantities import RATIO, exact_text
from loricate.core.wiring.description import connectors_of

ACCEPTED, CHANGED, REFUSED, OPEN = "accepted", "changed", "refused", "open"
NET_FIELDS = ("name", "colour", "cross_section", "minimum", "maximum", "shield")
PART_FIELDS = ("name", "value", "tolerance")
WINDING_FIELDS = ("name", "start", "end", "resistance", "tolerance")
Entry = Mapping[str, str]
Taken = tuple[Proposal, Entry]


@dataclass(frozen=True, slots=True)
class Decision:
    """What somebody decided of one item, with how many units they saw."""

    choice: str
    changes: Entry
    units: int


def standing(item: Proposal, decision: Decision | None) -> str:
    """Whether an item is decided; one that other units differ in since then is open again."""
    count = len(item.measured)
    if decision is None or (item.differs and decision.units < count):
        return OPEN
    return decision.choice


def entry_of(item: Proposal) -> dict[str, str]:
    """What is proposed of an item, as texts by the fields of its kind."""
    entry = {"name": item.name}
    if item.sort == "net":
        for field in ("minimum", "maximum"):
            entry[field] = exact_text(getattr(item, field), item.dimension)
    elif item.sort == "winding":
        entry["start"], entry["end"] = item.contacts
        entry["resistance"] = exact_text(item.nominal, item.dimension)
        entry["tolerance"] = exact_text(item.tolerance, RATIO)
    elif item.sort != "pin":
        entry["value"] = exact_text(item.nominal, item.dimension)
        entry["tolerance"] = exact_text(item.tolerance, RATIO)
    return entry


def fields_of(item: Proposal) -> tuple[str, ...]:
    """What of an item may be changed."""
    if item.sort == "pin":
        return ()
    return {"net": NET_FIELDS, "winding": WINDING_FIELDS}.get(item.sort, PART_FIELDS)


def check_changes(item: Proposal, changes: Entry) -> list[Finding]:
    """What is wrong with the changes to an item, at their fields."""
    known = fields_of(item)
    remedy = f"{', '.join(known)} are." if known else "accept it, or refuse it."
    return [
        Finding(f"{item.name}.{name}", "is not to be changed here", remedy)
        for name in changes
        if name not in known
    ]


def draft(
    proposed: Proposed, decisions: Mapping[str, Decision], code: str, title: str
) -> dict[str, Any]:
    """The document of a product; raises DocumentError while anything is open, or does not fit."""
    waiting = [
        item.name for item in proposed.items if standing(item, decisions.get(item.key)) == OPEN
    ]
    if waiting:
        more = f" and {len(waiting) - 8} more" if len(waiting) > 8 else ""
        told = f"{', '.join(waiting[:8])}{more} not decided yet"
        raise DocumentError(
            "capture", (Finding("items", told, "accept, change or refuse each of them."),)
        )
    taken = [
        (item, entry_of(item) | dict(decision.changes))
        for item in proposed.items
        if (decision := decisions[item.key]).choice != REFUSED
    ]
    parts = _winding_parts if proposed.family == "winding" else _cable_parts
    document = {
        "format": FORMAT,
        "code": code,
        "title": title,
        "family": proposed.family,
        **parts(proposed, taken),
    }
    read_document(Product, document, "product")
    return document


def _cable_parts(proposed: Proposed, taken: Sequence[Taken]) -> dict[str, Any]:
    section: dict[str, Any] = {"connectors": _connectors(proposed.contacts)}
    for name, own in (
        ("nets", [_net(*each) for each in taken if _is_net(*each) and not each[0].position]),
        ("shields", [_shield(*each) for each in taken if each[1].get("shield") == "yes"]),
        ("parts", [_part(*each) for each in taken if each[0].sort != "net"]),
        ("positions", list(_positions(proposed.positions, taken))),
    ):
        if own:
            section[name] = own
    return {"cable": section}


def _winding_parts(proposed: Proposed, taken: Sequence[Taken]) -> dict[str, Any]:
    """Its windings, and of the pins those that one leads to or that were accepted."""
    windings = [
        {name: entry[name] for name in WINDING_FIELDS if entry.get(name)}
        for item, entry in taken
        if item.sort == "winding"
    ]
    kept = {pin for item, _ in taken for pin in item.contacts}
    terminals = [pin for pin in proposed.contacts if pin in kept]
    return {"terminals": terminals, "winding": {"windings": windings}}


def _connectors(contacts: Sequence[str]) -> list[dict[str, Any]]:
    """One row of contacts each, the first connector on the left, as nobody knows better."""
    return [
        {"code": code, "side": "right" if place else "left", "rows": [names]}
        for place, (code, names) in enumerate(connectors_of(contacts).items())
    ]


def _is_net(item: Proposal, entry: Entry) -> bool:
    return item.sort == "net" and entry.get("shield") != "yes"


def _net(item: Proposal, entry: Entry) -> dict[str, Any]:
    own = {name: entry[name] for name in NET_FIELDS if entry.get(name) and name != "shield"}
    resistance = exact_text(item.nominal, item.dimension)
    return {**own, "contacts": list(item.contacts), "resistance": resistance}


def _shield(item: Proposal, entry: Entry) -> dict[str, Any]:
    own = {name: entry[name] for name in ("name", "maximum") if entry.get(name)}
    return {**own, "contacts": list(item.contacts)}


def _part(item: Proposal, entry: Entry) -> dict[str, Any]:
    own = {name: entry[name] for name in PART_FIELDS if entry.get(name)}
    return {**own, "sort": item.sort, "between": list(item.contacts)}


def _positions(positions: Sequence[str], taken: Sequence[Taken]) -> Iterator[dict[str, Any]]:
    for code in positions:
        nets = [_net(*each) for each in taken if each[0].position == code and _is_net(*each)]
        if nets:
            yield {"code": code, "nets": nets}
