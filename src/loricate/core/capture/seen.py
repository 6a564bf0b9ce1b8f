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
class SeenCable:
    """A cable: its serial, the contacts that were measured, and its wiring in each position.

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
    def from_json(cls, kept: Mapping[str, Any]) -> "SeenCable":
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


@dataclass(frozen=True, slots=True)
class SeenWinding:
    """One winding between two pins, or a part of a tapped one.

    ``ohms`` is its DC resistance as measured, ``ratio`` the volts of the driven winding over its
    own, above 0. ``start`` is in phase with the driven one's; where nothing couples the two, there
    is no ratio, and start and end are told apart by nothing.
    """

    start: str
    end: str
    ohms: Ohms
    ratio: float | None

    @property
    def pins(self) -> frozenset[str]:
        """Its two ends, whichever is which."""
        return frozenset((self.start, self.end))


@dataclass(frozen=True, slots=True)
class SeenWindings:
    """A transformer or coil: its serial, its pins, and the windings between them.

    ``columns`` are the matrix columns of its pins, ``skipped`` those beside them that lead nowhere.
    The driven winding is the first. Resistances are at ``temperature_c``, where somebody told it.
    """

    serial: str
    contacts: tuple[str, ...]
    columns: Mapping[str, int]
    skipped: tuple[int, ...]
    windings: tuple[SeenWinding, ...]
    temperature_c: float | None = None
    remarks: tuple[str, ...] = ()
    instrument: str = ""

    @property
    def is_zeroed(self) -> bool:
        """Resistances are four-wire: no leads are in them."""
        return True

    def as_json(self) -> dict[str, Any]:
        """The same as records keep it."""
        return {"family": "winding", **asdict(self)}

    @classmethod
    def from_json(cls, kept: Mapping[str, Any]) -> "SeenWindings":
        """Read what ``as_json`` gave."""
        windings = tuple(
            SeenWinding(each["start"], each["end"], Ohms(**each["ohms"]), each["ratio"])
            for each in kept["windings"]
        )
        return cls(
            kept["serial"],
            tuple(kept["contacts"]),
            kept["columns"],
            tuple(kept["skipped"]),
            windings,
            kept["temperature_c"],
            tuple(kept["remarks"]),
            kept["instrument"],
        )


SeenUnit = SeenCable | SeenWindings


def read_seen(kept: Mapping[str, Any]) -> SeenUnit:
    """A unit as records keep it, of either family."""
    family = SeenWindings if kept.get("family") == "winding" else SeenCable
    return family.from_json(kept)
