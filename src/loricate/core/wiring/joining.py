"""What hangs together: sets of contacts that grow as joints are found (union-find)."""

from collections.abc import Iterable


class Joined:
    """Contacts in disjoint sets; their order is kept."""

    def __init__(self, contacts: Iterable[str]) -> None:
        self._above = {contact: contact for contact in contacts}

    def find(self, contact: str) -> str:
        """The contact that stands for the set of this one; raises KeyError for an unknown one."""
        above = self._above
        while above[contact] != contact:
            above[contact] = above[above[contact]]
            contact = above[contact]
        return contact

    def join(self, a: str, b: str) -> None:
        """Make one set of those of two contacts."""
        first, second = self.find(a), self.find(b)
        if first != second:
            self._above[second] = first

    def join_all(self, contacts: Iterable[str]) -> None:
        """Make one set of those of all these contacts."""
        first, *others = contacts
        for other in others:
            self.join(first, other)

    @property
    def sets(self) -> tuple[tuple[str, ...], ...]:
        """Every set, in the order of first contacts."""
        found: dict[str, list[str]] = {}
        for contact in self._above:
            found.setdefault(self.find(contact), []).append(contact)
        return tuple(tuple(each) for each in found.values())
