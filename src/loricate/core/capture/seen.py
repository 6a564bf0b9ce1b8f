"""What was measured of one known-good unit: which contacts hang together, and by what.

Everything here is frozen, in SI units, and as it was measured: nothing is a proposal yet.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from loricate.core.wiring.description import Net, PartSort, Wiring


@dataclass(frozen=True, slots=True)
class Ohms:
    """A resistance with its expanded uncertainty (k = 2), in Ω."""

    value: float
    uncertainty: float = 0.0


@dataclass(frozen=True, slots=True)
class SeenNet:
    """Contacts that wires join, with the resistance from the first of them to each other."""

    contacts: tuple[str, ...]
    branches: tuple[Ohms, ...]


@dataclass(frozen=True, slots=True)
class SeenPart:
    """What lies between two contacts, of a diode its anode first: Ω, F or V."""

    sort: PartSort
    between: tuple[str, str]
    value: float


@dataclass(frozen=True, slots=True)
class SeenWiring:
    """A unit with its switch in one position; ``remarks`` say what could not be told."""

    position: str
    nets: tuple[SeenNet, ...]
    parts: tuple[SeenPart, ...] = ()
    remarks: tuple[str, ...] = ()

    @property
    def sets(self) -> frozenset[frozenset[str]]:
        """The contacts of each net."""
        return frozenset(frozenset(net.contacts) for net in self.nets)

    def described(self, contacts: tuple[str, ...], names: Mapping[frozenset[str], str]) -> Wiring:
        """The same as a description of nets, by the names that are given to them."""
        nets = tuple(Net(names[frozenset(net.contacts)], net.contacts) for net in self.nets)
        return Wiring(contacts, nets, position=self.position)


@dataclass(frozen=True, slots=True)
class SeenUnit:
    """A unit: its serial, the contacts that were measured, and its wiring in each position.

    ``is_zeroed`` says whether the fixture's leads were taken off.
    """

    serial: str
    contacts: tuple[str, ...]
    wirings: tuple[SeenWiring, ...]
    instrument: str = ""
    is_zeroed: bool = False

    def as_json(self) -> dict[str, Any]:
        """The same as records keep it."""
        return asdict(self)

    @classmethod
    def from_json(cls, kept: Mapping[str, Any]) -> "SeenUnit":
        """Read what ``as_json`` gave."""
        wirings = tuple(
            SeenWiring(
                each["position"],
                tuple(
                    SeenNet(tuple(net["contacts"]), tuple(Ohms(**one) for one in net["branches"]))
                    for net in each["nets"]
                ),
                tuple(
                    SeenPart(
                        PartSort(part["sort"]),
                        (part["between"][0], part["between"][1]),
                        part["value"],
                    )
                    for part in each["parts"]
                ),
                tuple(each["remarks"]),
            )
            for each in kept["wirings"]
        )
        return cls(
            kept["serial"],
            tuple(kept["contacts"]),
            wirings,
            kept["instrument"],
            kept["is_zeroed"],
        )
