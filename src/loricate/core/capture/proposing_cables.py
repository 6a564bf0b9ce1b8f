"""What cables that were captured together say: each net and component, with limits.

A net or component is known by its contacts. What one unit has and another has not, and what
differs by more than two good units do, is said, and has to be decided by somebody.

Limits are proposed around what was measured. Of one unit nobody knows how far good ones scatter: a
quarter on both sides. Of several the scatter is known a little: a tenth, or three times as much as
they differ, whichever is more. Two contacts' worth is added both ways, for each mating differs.
"""

import hashlib
import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

from loricate.core.capture.proposal import Proposal, Proposed, Sort, rounded, too_far_apart
from loricate.core.capture.seen import Ohms, SeenCable, SeenNet, SeenWiring
from loricate.core.quantities import display
from loricate.core.wiring.description import PartSort
from loricate.core.wiring.diagnosing import diagnose

SHARE_OF_ONE, SHARE_OF_MORE, TIMES_SPREAD = 0.25, 0.10, 3.0
CONTACTS_OHMS = 0.02  # for the two contacts of a wire, as the description of a cable allows
LONGEST_KEY = 100
FEW_NETS = 6  # as few may be alike by chance
ALIKE, ALIKE_OHMS = 0.002, 0.5e-3  # what a wiring meter scatters from one time to the next
PART_SHARE, DIODE_SHARE = 0.10, 0.30
_E24 = "10 11 12 13 15 16 18 20 22 24 27 30 33 36 39 43 47 51 56 62 68 75 82 91"
E24 = tuple(map(int, _E24.split()))
NEAR_E24 = 0.05  # half of the step between two of its values
LETTERS = {"net": "N", "resistor": "R", "capacitor": "C", "diode": "D"}


@dataclass(slots=True)
class _Found:
    """A net or component in the making: by unit what was measured, and in which positions."""

    sort: Sort
    contacts: tuple[str, ...]
    seen: dict[int, dict[str, tuple[Ohms, ...]]] = field(default_factory=dict)


def propose_cable(units: Sequence[SeenCable]) -> Proposed:
    """What these units, at least one, say together."""
    contacts = tuple(dict.fromkeys(each for unit in units for each in unit.contacts))
    positions = tuple(
        dict.fromkeys(each.position for unit in units for each in unit.wirings if each.position)
    )
    place = {contact: number for number, contact in enumerate(contacts)}
    items = sorted(
        _items(units, positions), key=lambda each: [place[contact] for contact in each.contacts]
    )
    counts: dict[str, int] = {}
    for item in items:
        letter = LETTERS[item.sort]
        counts[letter] = counts.get(letter, 0) + 1
        item.name = f"{letter}{counts[letter]}"
        _compare(item, units)
        _set_limits(item)
    return Proposed(
        "cable",
        contacts,
        positions,
        tuple(items),
        tuple(_differences(units, items)),
        tuple(_remarks(units)),
    )


def _items(units: Sequence[SeenCable], positions: Sequence[str]) -> Iterator[Proposal]:
    """Each net and component once; one that is not in every position is of those it is in."""
    found: dict[tuple[str, ...], _Found] = {}
    for place, unit in enumerate(units):
        for wiring in unit.wirings:
            for sort, own, values in _things(wiring):
                key = (sort, *own)
                entry = found.setdefault(key, _Found(sort, own))
                entry.seen.setdefault(place, {})[wiring.position] = values
    for entry in found.values():
        where = {position for seen in entry.seen.values() for position in seen}
        is_always = entry.sort != "net" or len(positions) < 2 or where >= set(positions)
        for position in ("",) if is_always else sorted(where, key=list(positions).index):
            yield Proposal(
                _key(entry, position),
                entry.sort,
                entry.contacts,
                position,
                tuple(_values(entry.seen.get(place, {}), position) for place in range(len(units))),
            )


def _key(entry: _Found, position: str) -> str:
    """What an item is known by whichever units are added: its contacts, or their digest if many."""
    told = " ".join((entry.sort, *entry.contacts, *filter(None, (position,))))
    if len(told) <= LONGEST_KEY:
        return told
    return f"{entry.sort} {entry.contacts[0]} {hashlib.sha256(told.encode()).hexdigest()[:16]}"


def _things(wiring: SeenWiring) -> Iterator[tuple[Sort, tuple[str, ...], tuple[Ohms, ...]]]:
    for net in wiring.nets:
        yield "net", net.contacts, net.branches
    for part in wiring.parts:
        ends = part.between if part.sort is PartSort.DIODE else tuple(sorted(part.between))
        yield part.sort.value, ends, (Ohms(part.value),)


def _values(seen: Mapping[str, tuple[Ohms, ...]], position: str) -> tuple[Ohms, ...]:
    """What a unit read in a position, or in the mean of all of them."""
    if position:
        return seen.get(position, ())
    each = list(seen.values())
    if not each:
        return ()
    return tuple(
        Ohms(
            math.fsum(one.value for one in branch) / len(branch),
            max(one.uncertainty for one in branch),
        )
        for branch in zip(*each, strict=True)
    )


def _compare(item: Proposal, units: Sequence[SeenCable]) -> None:
    """Say how the units differ in one net or component."""
    there = [unit.serial for unit, own in zip(units, item.measured, strict=True) if own]
    lacking = [unit.serial for unit, own in zip(units, item.measured, strict=True) if not own]
    where = f" in position {item.position}" if item.position else ""
    if lacking:
        item.differs.append(
            f"{item.name} ({' – '.join(item.contacts)}) is in {' and '.join(there)}{where}, and "
            f"not in {' and '.join(lacking)}."
        )
    for branch in zip(*(own for own in item.measured if own), strict=True):
        values = [each.value for each in branch]
        if too_far_apart(values, CONTACTS_OHMS if item.sort == "net" else 0.0):
            told = ", ".join(
                f"{display(value, item.dimension)} in {serial}"
                for value, serial in zip(values, there, strict=True)
            )
            item.differs.append(
                f"{item.name} has {told}{where}: further apart than two good units. Look at its "
                "joints in the one that has more."
            )


def _set_limits(item: Proposal) -> None:
    """What may be measured of it, from what was."""
    branches = [
        _credible(each) for each in zip(*(own for own in item.measured if own), strict=True)
    ]
    values = [each.value for branch in branches for each in branch]
    spread = max(max(e.value for e in each) - min(e.value for e in each) for each in branches)
    mean = math.fsum(values) / len(values)
    count = max(map(len, branches))
    if item.sort == "net":
        share = SHARE_OF_ONE if count == 1 else SHARE_OF_MORE
        unsure = max(each.uncertainty for branch in branches for each in branch)
        half = max(share * mean, TIMES_SPREAD * spread, unsure)
        item.nominal = rounded(mean)
        item.minimum = max(0.0, _floored(min(values) - half - CONTACTS_OHMS))
        item.maximum = _raised(max(values) + half + CONTACTS_OHMS)
        return
    usual = DIODE_SHARE if item.sort == "diode" else PART_SHARE
    item.nominal = rounded(mean) if item.sort == "diode" else _standard(mean)
    off = max(abs(value - item.nominal) for value in values) / item.nominal
    share = max(usual, TIMES_SPREAD * spread / mean, off + usual / 2)
    item.tolerance = min(0.9, math.ceil(share * 100) / 100)


def _credible(branch: Sequence[Ohms]) -> Sequence[Ohms]:
    """Of units that differ too far the one with least: a bad joint only ever adds."""
    values = [each.value for each in branch]
    if not too_far_apart(values, CONTACTS_OHMS):
        return branch
    return [min(branch, key=lambda each: each.value)]


def _standard(value: float) -> float:
    """The nearest value of the E24 series (IEC 60063), if it is near; else as measured."""
    decade = 10.0 ** (math.floor(math.log10(value)) - 1)
    nearest = min((each * decade for each in (*E24, 100)), key=lambda each: abs(each - value))
    return rounded(nearest if abs(nearest - value) <= NEAR_E24 * value else value)


def _unit_of(value: float) -> float:
    """One step of the third significant digit."""
    return 10.0 ** (math.floor(math.log10(abs(value))) - 2) if value else 1.0


def _floored(value: float) -> float:
    unit = _unit_of(value)
    return rounded(math.floor(value / unit + 1e-9) * unit)


def _raised(value: float) -> float:
    unit = _unit_of(value)
    return rounded(math.ceil(value / unit - 1e-9) * unit)


def _differences(units: Sequence[SeenCable], items: Sequence[Proposal]) -> Iterator[str]:
    """What explains how later units differ from the first, then net by net what is left."""
    first = units[0]
    said: set[str] = set()
    explained: set[str] = set()  # contacts that a sentence is about already
    for unit in units[1:]:
        if set(unit.contacts) != set(first.contacts):
            yield f"{unit.serial} was measured at other contacts than {first.serial}."
            continue
        for position, one, other in _side_by_side(first, unit):
            if one is None or other is None:
                lacking = first if one is None else unit
                yield f"{lacking.serial} was not measured in position {position}."
                continue
            if one.sets == other.sets:
                continue
            names = _names(one, items)
            loose = frozenset(first.contacts) - {c for net in other.nets for c in net.contacts}
            sets = [*other.sets, *(frozenset((each,)) for each in loose)]
            for fault in diagnose(
                one.described(first.contacts, names), [sorted(each) for each in sets]
            ):
                explained |= {
                    each
                    for net in names
                    for each in net
                    if names[net] in fault.nets or net & set(fault.contacts)
                }
                sentence = f"In {unit.serial}, against {first.serial}: {fault.text}"
                if sentence not in said:
                    said.add(sentence)
                    yield sentence
    for item in items:
        is_explained = set(item.contacts) <= explained and not all(item.measured)
        yield from () if is_explained else item.differs


def _side_by_side(
    first: SeenCable, other: SeenCable
) -> Iterator[tuple[str, SeenWiring | None, SeenWiring | None]]:
    own = {each.position: each for each in first.wirings}
    others = {each.position: each for each in other.wirings}
    for position in dict.fromkeys((*own, *others)):
        yield position, own.get(position), others.get(position)


def _names(wiring: SeenWiring, items: Iterable[Proposal]) -> dict[frozenset[str], str]:
    nets = [each for each in items if each.sort == "net"]

    def name_of(net: SeenNet) -> str:
        return next(
            each.name
            for each in nets
            if each.contacts == net.contacts and each.position in ("", wiring.position)
        )

    return {frozenset(net.contacts): name_of(net) for net in wiring.nets}


def _remarks(units: Sequence[SeenCable]) -> Iterator[str]:
    for unit in units:
        if not unit.is_zeroed:
            yield (
                f"{unit.serial} was measured without a zero of the fixture: its resistances have "
                "the fixture's leads in them. Zero the leads and capture it again."
            )
        told = dict.fromkeys(remark for each in unit.wirings for remark in each.remarks)
        for remark in told:
            yield f"{unit.serial}: {remark}"
    for one, other in combinations(units, 2):
        if _reads_the_same(one, other):
            yield (
                f"{one.serial} and {other.serial} read the same in every net, within what a meter "
                "scatters: are they one unit? Then nobody knows how far good units differ."
            )


def _reads_the_same(one: SeenCable, other: SeenCable) -> bool:
    """Whether no net of two units differs as those of two units do."""
    values = [
        [
            branch.value
            for wiring in unit.wirings
            for net in sorted(wiring.nets, key=lambda each: each.contacts)
            for branch in net.branches
        ]
        for unit in (one, other)
    ]
    if len(values[0]) < FEW_NETS or len(values[0]) != len(values[1]):
        return False
    return all(abs(a - b) <= ALIKE * (a + b) / 2 + ALIKE_OHMS for a, b in zip(*values, strict=True))
