"""Measuring what a known-good unit consists of, with no description to go by.

Wires are told from everything else by volts, not by ohms: at the small current of the meter's diode
test a wire drops next to nothing in both directions, and neither a diode nor two of them do. What
is left between the nets is looked for by resistance in both directions, and by capacitance.

At the end the whole is held against itself: every net is measured once more, and splits show that
nothing is joined which was not found. A unit that moved meanwhile is not captured.
"""

import math
import statistics
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from loricate.core.capture.seen import Ohms, SeenNet, SeenPart, SeenWiring
from loricate.core.errors import CoreError
from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.actions import Asking, Scan, do
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.measuring.roles import WIRING
from loricate.core.quantities import RESISTANCE, display
from loricate.core.wiring.description import PartSort
from loricate.core.wiring.joining import Joined
from loricate.core.wiring.resistors import between_each
from loricate.core.wiring.searching import touching
from loricate.core.wiring.splitting import splits

SLOT_S = 0.025
WIRE_V = 0.06  # at about 1 mA what a wiring step takes for joined drops; any junction drops more
PARTED_OHMS = 1e6  # what is joined by more is insulation, and for the insulation test
FEW_OHMS, JUNCTION_V = 100.0, 0.2  # as few ohms drop half of that in the diode test
ALIKE = 0.05  # a resistor reads the same in both directions; so much is noise
MOST_IN_ISLAND = 24  # nets that components tie together: every two of them are measured
# How much more capacitance than the usual net a capacitor shows: by a factor, and in F.
CAPACITOR, CAPACITOR_F = 3.0, 1e-9
EXPLAINED = 0.01  # how well resistors in a row explain what is measured between all nets
DIRECT = 0.02  # the least share of a current that flows through a resistor itself and not around it
Contacts = tuple[str, ...]
Pair = tuple[Contacts, Contacts]


class NotCaptured(CoreError):
    """A unit cannot be captured; says why and what to do."""


@dataclass(frozen=True, slots=True)
class _Direction:
    """Between two sets of contacts in both directions: V of the diode test."""

    forward: float
    reverse: float

    @property
    def is_wire(self) -> bool:
        return self.forward < WIRE_V and self.reverse < WIRE_V


def capture(contacts: Contacts, position: str, zeroes: Mapping[str, Zero]) -> Asking[SeenWiring]:
    """Measure what hangs together; raises NotCaptured where that is nothing, or it changed."""
    sets = yield from wired(contacts)
    if all(len(each) == 1 for each in sets):
        raise NotCaptured(
            "Nothing seems to be plugged in: no two contacts are joined. Plug the unit in, and "
            "capture again."
        )
    pairs: list[Pair] = [((each[0],), (other,)) for each in sets for other in each[1:]]
    made = iter((yield from _scan("RESISTANCE", pairs, "resistance"))["resistance"])
    nets = tuple(
        SeenNet(each, tuple(_less_zero(next(made), each[0], other, zeroes) for other in each[1:]))
        for each in sets
        if len(each) > 1
    )
    parts, remarks = yield from _parts(sets)
    capacitors, more = yield from _capacitors(sets, parts)
    seen = SeenWiring(position, nets, (*parts, *capacitors), (*remarks, *more))
    yield from _hold_against_itself(contacts, seen, remarks)
    return seen


def _less_zero(reading: Reading, a: str, b: str, zeroes: Mapping[str, Zero]) -> Ohms:
    """A resistance with the leads of both contacts taken off, where both are known."""
    if not {a, b} <= set(zeroes):
        return Ohms(reading.value, reading.uncertainty)
    first, second = zeroes[a], zeroes[b]
    spread = math.hypot(reading.uncertainty, first.uncertainty, second.uncertainty)
    return Ohms(max(0.0, reading.value - first.ohms - second.ohms), spread)


def _scan(
    function: str, pairs: Sequence[Pair], *reads: str
) -> Asking[Mapping[str, tuple[Reading, ...]]]:
    if not pairs:
        return dict.fromkeys(reads, ())
    paths = tuple({"high": high, "low": low} for high, low in pairs)
    scanned = yield from do(Scan(WIRING, {"function": function}, paths, SLOT_S, reads))
    return scanned.readings


def _directions(pairs: Sequence[Pair]) -> Asking[list[_Direction]]:
    made = yield from _scan("DIODE", pairs, "forward_voltage", "reverse_voltage")
    both = zip(made["forward_voltage"], made["reverse_voltage"], strict=True)
    return [_Direction(_volts(forward), _volts(back)) for forward, back in both]


def _volts(reading: Reading) -> float:
    return math.inf if reading.bound is Bound.ABOVE else reading.value


def _greatest_volts(pairs: Sequence[Pair]) -> Asking[list[float]]:
    """What a wire between two sets would make small in both directions."""
    found = yield from _directions(pairs)
    return [max(each.forward, each.reverse) for each in found]


def _ohms(pairs: Sequence[Pair]) -> Asking[list[tuple[float, float]]]:
    """Ω in both directions."""
    there_and_back = [pair for a, b in pairs for pair in ((a, b), (b, a))]
    made = (yield from _scan("RESISTANCE", there_and_back, "resistance"))["resistance"]
    values = [math.inf if each.bound is Bound.ABOVE else each.value for each in made]
    return list(zip(values[::2], values[1::2], strict=True))


def least_ohms(pairs: Sequence[Pair]) -> Asking[list[float]]:
    """What anything that conducts between two sets makes small in one direction at least."""
    found = yield from _ohms(pairs)
    return [min(each) for each in found]


def wired(contacts: Contacts) -> Asking[tuple[Contacts, ...]]:
    """The contacts as wires join them, each that nothing is wired to by itself."""
    groups = [(contact,) for contact in contacts]
    joints = yield from touching(groups, _greatest_volts, WIRE_V)
    joined = Joined(contacts)
    for first, second, _ in joints:
        joined.join_all([contacts[place] for place in (*first, second)])
    return joined.sets


def _parts(sets: Sequence[Contacts]) -> Asking[tuple[list[SeenPart], list[str]]]:
    """Resistors and diodes between nets, and what conducts there but is neither."""
    joints = yield from touching(sets, least_ohms, PARTED_OHMS)
    tied = Joined(str(place) for place in range(len(sets)))
    for first, second, _ in joints:
        tied.join_all([str(place) for place in (*first, second)])
    parts: list[SeenPart] = []
    remarks: list[str] = []
    for island in tied.sets:
        own = [sets[int(place)] for place in island]
        if len(own) > MOST_IN_ISLAND:
            remarks.append(
                f"Components tie {len(own)} nets together, {_named(own)} among them: they were not "
                "told apart. Describe them by hand."
            )
        elif len(own) > 1:
            found, told = yield from _of_island(own)
            parts += found
            remarks += told
    return parts, remarks


def _of_island(own: Sequence[Contacts]) -> Asking[tuple[list[SeenPart], list[str]]]:
    """What lies between nets that hang together by components, by measuring every two of them."""
    places = list(combinations(range(len(own)), 2))
    pairs: list[Pair] = [((own[a][0],), (own[b][0],)) for a, b in places]
    ohms = yield from _ohms(pairs)
    volts = yield from _directions(pairs)
    for (a, b), volt in zip(pairs, volts, strict=True):
        if volt.is_wire:
            raise NotCaptured(
                f"{a[0]} and {b[0]} are joined and were not before: the unit moved, or has a loose "
                "contact. Look at it, and capture again."
            )
    is_linear = all(
        _is_alike(*each) and not _bends(min(each), volt)
        for each, volt in zip(ohms, volts, strict=True)
    )
    if is_linear:
        seen = {place: sum(each) / 2 for place, each in zip(places, ohms, strict=True)}
        if not all(map(math.isfinite, seen.values())):
            return [], [f"What lies between {_named(own)} could not be told: look at it by hand."]
        return [
            SeenPart(PartSort.RESISTOR, (own[a][0], own[b][0]), value)
            for (a, b), value in between_each(len(own), seen, EXPLAINED, DIRECT).items()
        ], []
    if len(own) == 2:
        volt = volts[0]
        for ends, forward, back in (
            ((own[0][0], own[1][0]), volt.forward, volt.reverse),
            ((own[1][0], own[0][0]), volt.reverse, volt.forward),
        ):
            if math.isfinite(forward) and back > 2 * forward:
                return [SeenPart(PartSort.DIODE, ends, forward)], []
    return [], [
        f"What lies between {_named(own)} is neither one resistor nor one diode: describe it by "
        "hand."
    ]


def _is_alike(there: float, back: float) -> bool:
    return there == back or abs(there - back) <= ALIKE * max(there, back)


def _bends(ohms: float, volt: _Direction) -> bool:
    """Whether what looks like few ohms at much current drops too much at little: a junction."""
    return ohms < FEW_OHMS and max(volt.forward, volt.reverse) > JUNCTION_V


def _capacitors(
    sets: Sequence[Contacts], parts: Sequence[SeenPart]
) -> Asking[tuple[list[SeenPart], list[str]]]:
    """Capacitors between nets: what shows much more than the usual net has to all others."""
    everything = [contact for each in sets for contact in each]
    whole: list[Pair] = [
        (each, tuple(contact for contact in everything if contact not in each)) for each in sets
    ]
    made = (yield from _scan("CAPACITANCE", whole, "capacitance"))["capacitance"]
    farads = [each.value if math.isfinite(each.value) else 0.0 for each in made]
    wired = [value for value, each in zip(farads, sets, strict=True) if len(each) > 1]
    least = CAPACITOR * statistics.median(wired) + CAPACITOR_F
    hot = [each for each, value in zip(sets, farads, strict=True) if value >= least]

    def elastance(pairs: Sequence[Pair]) -> Asking[list[float]]:
        """1/F, so that much capacitance is small, as a joint's resistance is."""
        found = (yield from _scan("CAPACITANCE", pairs, "capacitance"))["capacitance"]
        return [1 / max(each.value, 1e-15) for each in found]

    joints = yield from touching(hot, elastance, 1 / least)
    tied = {contact for part in parts for contact in part.between}
    found: list[SeenPart] = []
    remarks: list[str] = []
    for first, second, value in joints:
        a, b = hot[first[0]][0], hot[second][0]
        if len(first) > 1 or {a, b} & tied:
            remarks.append(
                f"There is capacitance between {a} and {b} beside other components: describe it "
                "by hand."
            )
        else:
            found.append(SeenPart(PartSort.CAPACITOR, (a, b), 1 / value))
    return found, remarks


def _hold_against_itself(
    contacts: Contacts, seen: SeenWiring, remarks: Iterable[str]
) -> Asking[None]:
    """Every net once more, and what should be apart by splits; raises NotCaptured."""
    joined = Joined(contacts)
    branches: list[Pair] = []
    for net in seen.nets:
        joined.join_all(net.contacts)
        branches += [((net.contacts[0],), (other,)) for other in net.contacts[1:]]
    again = yield from _directions(branches)
    for (a, b), each in zip(branches, again, strict=True):
        if not each.is_wire:
            raise NotCaptured(
                f"{a[0]} and {b[0]} were joined and are not any more: the unit moved, or has a "
                "loose contact. Look at it, and capture again."
            )
    if list(remarks):
        return  # what conducts there was seen and is told; it is no net that was overlooked
    for part in seen.parts:
        joined.join(*part.between)
    sides: list[Pair] = [
        (tuple(c for one in high for c in one), tuple(c for one in low for c in one))
        for high, low in splits(joined.sets)
    ]
    for value in (yield from least_ohms(sides)):
        if value < PARTED_OHMS:
            raise NotCaptured(
                f"Something conducts ({display(value, RESISTANCE)}) that was not found before: the "
                "unit moved, or has a loose contact. Look at it, and capture again."
            )


def _named(sets: Iterable[Contacts]) -> str:
    return " and ".join([each[0] for each in sets][:4])
