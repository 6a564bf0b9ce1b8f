"""Diagnosing: the least that explains what hangs together, where it differs from the description.

Two contacts exchanged are one fault, not two opens and two shorts; an end put into a contact that
should be free is one as well. What no exchange explains is open or joined.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations, pairwise

from loricate.core.quantities import RESISTANCE, display
from loricate.core.wiring.description import Net, Wiring, connector_of

MOST_EXCHANGES = 64  # what takes more is another cable, and is told net by net
Sets = frozenset[frozenset[str]]
Place = tuple[str, str]


class Wrong(StrEnum):
    """What is wrong with how contacts hang together."""

    OPEN = "open"
    SHORT = "short"
    SWAPPED = "swapped"
    UNPLUGGED = "unplugged"


@dataclass(frozen=True, slots=True)
class WiringFault:
    """One thing that is wrong: which nets and contacts it is about, and a sentence.

    ``places`` are where it may be, each two contacts side by side; ``ohms`` is the resistance of a
    joint, where it was measured.
    """

    wrong: Wrong
    nets: tuple[str, ...]
    contacts: tuple[str, ...]
    text: str
    places: tuple[Place, ...] = ()
    ohms: float | None = None


@dataclass(frozen=True, slots=True)
class Leak:
    """A resistance (Ω) between two contacts that is neither a wire nor nothing."""

    a: str
    b: str
    ohms: float


def diagnose(
    wiring: Wiring,
    seen: Iterable[Sequence[str]],
    ohms: Mapping[frozenset[str], float] | None = None,
    leaks: Sequence[Leak] = (),
) -> tuple[WiringFault, ...]:
    """What explains the difference between a description and what was seen to hang together.

    ``seen`` are the sets of contacts that wires join, ``ohms`` the resistance of joints among them
    that should not be, by two contacts; ``leaks`` join sets by more than a wire has.
    """
    found = frozenset(frozenset(each) for each in seen)
    if empty := _nothing_plugged(found, leaks):
        return empty
    found, exchanged, faults = _exchanges(wiring, found)
    rest = [*_opens(wiring, found), *_shorts(wiring, found, ohms or {})]
    return (*faults, *rest, *_leaks(wiring, exchanged, leaks))


def said_once(
    found: Iterable[tuple[Wiring, Sequence[WiringFault]]],
) -> tuple[tuple[Wiring, WiringFault], ...]:
    """The faults of a cable in all its positions, each with the first that it was seen in.

    Two that may be at the same place are one, and that place is where it is.
    """
    once: list[tuple[Wiring, WiringFault]] = []
    for wiring, faults in found:
        for fault in faults:
            known = next((at for at, (_, each) in enumerate(once) if _is_same(each, fault)), None)
            if known is None:
                once.append((wiring, fault))
                continue
            first, earlier = once[known]
            common = [place for place in earlier.places if place in fault.places]
            if common and len(common) < len(earlier.places):
                once[known] = first, _at(first, earlier, common)
    return tuple(once)


def _is_same(one: WiringFault, other: WiringFault) -> bool:
    if one.wrong is not other.wrong:
        return False
    if one.places and other.places:
        return bool(set(one.places) & set(other.places))
    return one.contacts == other.contacts


def _at(wiring: Wiring, fault: WiringFault, places: Sequence[Place]) -> WiringFault:
    """The fault, said of these places alone."""
    if fault.wrong is Wrong.SWAPPED:
        return _swapped(wiring, places)
    a, b = fault.contacts
    return _short(wiring, (_thing(wiring, a), a), (_thing(wiring, b), b), fault.ohms, places)


def _leaks(
    wiring: Wiring, exchanged: Mapping[str, str], leaks: Sequence[Leak]
) -> Iterator[WiringFault]:
    """Each leak that is no component of the cable, where exchanged contacts have put it."""
    parts = {
        frozenset(_thing(wiring, contact) for contact in part.between) for part in wiring.parts
    }
    for leak in leaks:
        ends = [exchanged.get(contact, contact) for contact in (leak.a, leak.b)]
        things = [(_thing(wiring, contact), contact) for contact in ends]
        if frozenset(name for name, _ in things) not in parts:
            yield _short(wiring, things[0], things[1], leak.ohms)


def _thing(wiring: Wiring, contact: str) -> str:
    """The net of a contact, or the contact itself."""
    net = wiring.net_of.get(contact)
    return contact if net is None else net.name


def _nothing_plugged(seen: Sets, leaks: Sequence[Leak]) -> tuple[WiringFault, ...]:
    """With nothing in the fixture every contact is by itself."""
    if leaks or any(len(each) > 1 for each in seen):
        return ()
    text = "Nothing seems to be plugged in: no two contacts are joined. Plug the cable in."
    return (WiringFault(Wrong.UNPLUGGED, (), (), text),)


def unplugged(wiring: Wiring, seen: Iterable[Sequence[str]]) -> tuple[str, ...]:
    """The connectors that no net reaches from another, although some net should.

    None where that is true of every connector: then nobody can say which.
    """
    reached: set[str] = set()
    for each in seen:
        connectors = {connector_of(contact) for contact in each}
        if len(connectors) > 1:
            reached |= connectors
    wanted = {
        connector_of(contact)
        for net in wiring.nets
        for contact in net.contacts
        if len({connector_of(each) for each in net.contacts}) > 1
    }
    missing = tuple(sorted(wanted - reached))
    return missing if reached else ()


def _exchange(seen: Sets, a: str, b: str) -> Sets:
    """The sets with two contacts in each other's place."""
    places = {a: b, b: a}
    return frozenset(
        frozenset(places.get(contact, contact) for contact in each)
        if a in each or b in each
        else each
        for each in seen
    )


def _exchanges(wiring: Wiring, seen: Sets) -> tuple[Sets, Mapping[str, str], list[WiringFault]]:
    """Undo exchanges of two contacts of one connector, each time the one that puts most right.

    Gives the sets after it, where each contact belongs that was exchanged, and the faults.

    Where another exchange explains as much of the same nets, as at the other end, both are said.
    """
    faults: list[WiringFault] = []
    places: dict[str, str] = {}
    while len(faults) < MOST_EXCHANGES:
        wrong = len(wiring.sets - seen)
        wrong_ones = {contact for each in seen - wiring.sets for contact in each}
        astray = [contact for contact in wiring.contacts if contact in wrong_ones]
        gains = {
            (a, b): wrong - len(wiring.sets - _exchange(seen, a, b))
            for a, b in combinations(astray, 2)
            if connector_of(a) == connector_of(b) and not _is_one_net(wiring, a, b)
        }
        most = max(gains.values(), default=0)
        if most <= 0:
            break
        best = [pair for pair, gained in gains.items() if gained == most]
        nets = _nets_at(wiring, best[0])
        alike = [pair for pair in best if _nets_at(wiring, pair) == nets]
        a, b = best[0]
        seen = _exchange(seen, a, b)
        swap = {a: b, b: a}
        places = {contact: swap.get(now, now) for contact, now in places.items()}
        places = {**swap, **places}
        faults.append(_swapped(wiring, alike))
    return seen, places, faults


def _nets_at(wiring: Wiring, pair: tuple[str, str]) -> frozenset[str]:
    return frozenset(wiring.net_of[each].name for each in pair if each in wiring.net_of)


def _is_one_net(wiring: Wiring, a: str, b: str) -> bool:
    return a in wiring.net_of and wiring.net_of[a] is wiring.net_of.get(b)


def _swapped(wiring: Wiring, places: Sequence[Place]) -> WiringFault:
    """Two contacts exchanged, at one of these places: each of them explains as much."""
    a, b = places[0]
    first, second = wiring.net_of.get(a), wiring.net_of.get(b)
    if first is not None and second is not None:
        where = ", or ".join(f"{one} and {other}" for one, other in places)
        text = (
            f"{first.name} and {second.name} are crossed: {where} are exchanged. Put each wire "
            "into the other's place."
        )
        names = (first.name, second.name)
        return WiringFault(Wrong.SWAPPED, names, (a, b), text, tuple(places))
    net, own, taken = (first, a, b) if first is not None else (second, b, a)
    name = net.name if net is not None else ""
    text = f"{name} ends at {taken} instead of {own}. Put its wire into {own}."
    return WiringFault(Wrong.SWAPPED, (name,), (own, taken), text, tuple(places))


def _opens(wiring: Wiring, seen: Sets) -> Iterator[WiringFault]:
    set_of = {contact: each for each in seen for contact in each}
    for net in wiring.nets:
        parts: list[list[str]] = []
        for contact in net.contacts:
            part = next((each for each in parts if contact in set_of[each[0]]), None)
            if part is None:
                parts.append([contact])
            else:
                part.append(contact)
        if len(parts) > 1:
            yield _open(net, parts)


def _open(net: Net, parts: Sequence[Sequence[str]]) -> WiringFault:
    whole = max(parts, key=len)
    loose = tuple(contact for part in parts if part is not whole for contact in part)
    contacts = (whole[0], *loose)
    if net.is_shield:
        at = " and ".join(loose)
        text = f"Shield {net.name} is not connected at {at}. Look at its clamp or its braid there."
    elif len(whole) == 1:
        ends = " and ".join(net.contacts)
        text = f"{net.name} is open between {ends}. Look at both crimps, then along the wire."
    else:
        told = "is" if len(loose) == 1 else "are"
        text = f"{' and '.join(loose)} {told} cut off from {net.name}. Look at the crimp there."
    return WiringFault(Wrong.OPEN, (net.name,), contacts, text)


def _shorts(
    wiring: Wiring, seen: Sets, ohms: Mapping[frozenset[str], float]
) -> Iterator[WiringFault]:
    """Each two things joined that should be apart, in a chain: three joined are two faults."""
    place = {contact: index for index, contact in enumerate(wiring.contacts)}
    for each in sorted(seen, key=lambda one: min(place[contact] for contact in one)):
        things: dict[str, str] = {}
        for contact in sorted(each, key=place.__getitem__):
            net = wiring.net_of.get(contact)
            things.setdefault(net.name if net is not None else contact, contact)
        names = list(things)
        for first, second in pairwise(names):
            a, b = things[first], things[second]
            known = [value for pair, value in ohms.items() if pair <= each]
            yield _short(wiring, (first, a), (second, b), min(known) if known else None)


def _short(
    wiring: Wiring,
    first: tuple[str, str],
    second: tuple[str, str],
    ohms: float | None,
    places: Sequence[Place] = (),
) -> WiringFault:
    """Two things joined, each its name and one of its contacts."""
    measured = "" if ohms is None else f" ({display(ohms, RESISTANCE)})"
    nets = tuple(name for name, contact in (first, second) if contact in wiring.net_of)
    places = places or _neighbours(wiring, first, second)
    near = ", and between ".join(f"{a} and {b}" for a, b in places)
    free = [name for name, contact in (first, second) if contact not in wiring.net_of]
    told = f" Nothing should be wired to {' or '.join(free)}." if free else ""
    text = f"{first[0]} and {second[0]} are joined{measured}.{told} Look between {near}."
    return WiringFault(Wrong.SHORT, nets, (first[1], second[1]), text, tuple(places), ohms)


def _neighbours(wiring: Wiring, first: tuple[str, str], second: tuple[str, str]) -> list[Place]:
    """Where the two come next to each other: their contacts on one connector, else their first."""
    order = {contact: place for place, contact in enumerate(wiring.contacts)}
    ends = [
        wiring.net_of[contact].contacts if contact in wiring.net_of else (contact,)
        for _, contact in (first, second)
    ]
    same = [
        (a, b) if order[a] < order[b] else (b, a)
        for a in ends[0]
        for b in ends[1]
        if connector_of(a) == connector_of(b)
    ]
    return same or [(ends[0][0], ends[1][0])]
