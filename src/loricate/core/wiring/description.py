"""What a cable should be: which contacts hang together, and what lies between those that do not.

A contact is named by its connector and itself, ``X1:4``, as in IEC 61346 terminal designations.
Everything here is frozen and in SI units.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property

from loricate.core.wiring.joining import Joined


class PartSort(StrEnum):
    """What lies between two contacts."""

    RESISTOR = "resistor"
    CAPACITOR = "capacitor"
    DIODE = "diode"


@dataclass(frozen=True, slots=True)
class Net:
    """Contacts that are joined, with the least and greatest resistance (Ω) from the first to each.

    What is None is not known. ``is_shield`` is of one that surrounds the others.
    """

    name: str
    contacts: tuple[str, ...]
    minimum: float | None = None
    maximum: float | None = None
    expected: float | None = None
    is_shield: bool = False

    @property
    def branches(self) -> tuple[tuple[str, str, str], ...]:
        """What is measured of it: a name, and two contacts; each contact is reached by one."""
        first, *others = self.contacts
        if len(others) == 1:
            return ((self.name, first, others[0]),)
        return tuple((f"{self.name} {first} to {other}", first, other) for other in others)


@dataclass(frozen=True, slots=True)
class Part:
    """A component between two contacts, of a diode anode first.

    ``minimum`` and ``maximum`` are what may be measured between its contacts, in Ω, F, or V of a
    diode in its forward direction.
    """

    name: str
    sort: PartSort
    between: tuple[str, str]
    nominal: float
    minimum: float
    maximum: float


@dataclass(frozen=True)
class Wiring:
    """All of a cable with its switch, if it has one, in one position.

    ``contacts`` are those of all connectors in their order, wired to something or not.
    """

    contacts: tuple[str, ...]
    nets: tuple[Net, ...]
    parts: tuple[Part, ...] = ()
    position: str = ""
    title: str = ""

    @cached_property
    def net_of(self) -> Mapping[str, Net]:
        """The net of each contact that is in one."""
        return {contact: net for net in self.nets for contact in net.contacts}

    @cached_property
    def spares(self) -> tuple[str, ...]:
        """The contacts that no net has, nor any part."""
        used = {contact for net in self.nets for contact in net.contacts}
        used |= {contact for part in self.parts for contact in part.between}
        return tuple(contact for contact in self.contacts if contact not in used)

    @cached_property
    def groups(self) -> tuple[tuple[str, ...], ...]:
        """Contacts that current may flow between, by nets and parts; each spare is by itself.

        In order of their first contacts. Any two of them must be apart.
        """
        joined = Joined(self.contacts)
        for net in self.nets:
            joined.join_all(net.contacts)
        for part in self.parts:
            joined.join(*part.between)
        return joined.sets

    @cached_property
    def sets(self) -> frozenset[frozenset[str]]:
        """The contacts as they should hang together by nets alone."""
        joined = Joined(self.contacts)
        for net in self.nets:
            joined.join_all(net.contacts)
        return frozenset(frozenset(each) for each in joined.sets)

    def name_of(self, contacts: Iterable[str]) -> str:
        """The nets, contacts or both that a group of contacts is called by."""
        names = {
            self.net_of[contact].name if contact in self.net_of else contact: None
            for contact in contacts
        }
        return "+".join(names)


def connector_of(contact: str) -> str:
    """The code of the connector that a contact belongs to."""
    return contact.partition(":")[0]


def connectors_of(contacts: Iterable[str]) -> dict[str, list[str]]:
    """The names of contacts by the code of their connector, in their order."""
    found: dict[str, list[str]] = {}
    for contact in contacts:
        code = connector_of(contact)
        found.setdefault(code, []).append(contact.removeprefix(f"{code}:"))
    return found


def bound(wiring: Wiring) -> int:
    """How many measurements a good cable takes at most.

    One for each contact of a net after its first (so one for a net of two), the bits of the number
    of groups that must be apart, and one for each part.
    """
    branches = sum(len(net.contacts) - 1 for net in wiring.nets)
    return branches + splits_needed(len(wiring.groups)) + len(wiring.parts)


def splits_needed(count: int) -> int:
    """How many splits in two put every two of ``count`` things apart once: ceil(log2 count)."""
    return max(0, count - 1).bit_length()
