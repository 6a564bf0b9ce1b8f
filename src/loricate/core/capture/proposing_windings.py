"""What transformers that were captured together say: each winding, and each pin without one.

A winding is known by its two pins. Its resistance is proposed at the reference temperature, with a
tenth on both sides of one unit, or three times as much as several differ, a twentieth at least.
Start and end are those of the first unit; the first ends of all are in phase.
"""

import math
from collections.abc import Iterator, Sequence
from itertools import combinations

from loricate.core.capture.proposal import Proposal, Proposed, rounded, too_far_apart
from loricate.core.capture.seen import Ohms, SeenWinding, SeenWindings
from loricate.core.quantities import RESISTANCE, TEMPERATURE, TURNS_RATIO, display
from loricate.core.windings.temperature import Conductor, conductor_factor

REFERENCE_C = 20.0
SHARE_OF_ONE, SHARE_OF_MORE, TIMES_SPREAD, MOST_SHARE = 0.10, 0.05, 3.0, 0.9
RATIO_DIFFERS = 0.01  # of good units; a turn more or less of a hundred
FEW_WINDINGS, ALIKE = 3, 0.0005  # as little a meter scatters from one time to the next
NOWHERE = "leads nowhere"


def propose_windings(units: Sequence[SeenWindings]) -> Proposed:
    """What these units, at least one, say together."""
    contacts = units[0].contacts
    keys = dict.fromkeys(each.pins for unit in units for each in unit.windings)
    order = sorted(keys, key=lambda pins: sorted(map(contacts.index, pins)))
    windings = [_winding(number, pins, units) for number, pins in enumerate(order, start=1)]
    led = {pin for pins in keys for pin in pins}
    spare = [_pin(pin, len(units)) for pin in contacts if pin not in led]
    differences = (each for item in windings for each in item.differs)
    return Proposed(
        "winding",
        contacts,
        (),
        (*windings, *spare),
        tuple(differences),
        tuple(_remarks(units)),
        units[0].columns,
        units[0].skipped,
    )


def _of(unit: SeenWindings, pins: frozenset[str]) -> SeenWinding | None:
    return next((each for each in unit.windings if each.pins == pins), None)


def _winding(number: int, pins: frozenset[str], units: Sequence[SeenWindings]) -> Proposal:
    seen = [_of(unit, pins) for unit in units]
    there = [(unit, each) for unit, each in zip(units, seen, strict=True) if each is not None]
    first = there[0][1]
    item = Proposal(
        "winding " + " ".join(sorted(pins, key=units[0].contacts.index)),
        "winding",
        (first.start, first.end),
        "",
        tuple(() if each is None else (each.ohms,) for each in seen),
        tuple(
            ""
            if each is None
            else "no ratio"
            if each.ratio is None
            else display(each.ratio, TURNS_RATIO)
            for each in seen
        ),
        name=f"W{number}",
    )
    at_reference = [_at_reference(unit, each.ohms) for unit, each in there]
    mean = math.fsum(at_reference) / len(at_reference)
    spread = (max(at_reference) - min(at_reference)) / mean if mean else 0.0
    usual = SHARE_OF_ONE if len(there) == 1 else SHARE_OF_MORE
    item.nominal = rounded(mean, 4)
    item.tolerance = min(MOST_SHARE, math.ceil(max(usual, TIMES_SPREAD * spread) * 100) / 100)
    item.differs += _differs(item, units, seen, there, at_reference)
    return item


def _at_reference(unit: SeenWindings, ohms: Ohms) -> float:
    if unit.temperature_c is None:
        return ohms.value
    return ohms.value * conductor_factor(Conductor.COPPER, unit.temperature_c, REFERENCE_C).factor


def _differs(
    item: Proposal,
    units: Sequence[SeenWindings],
    seen: Sequence[SeenWinding | None],
    there: Sequence[tuple[SeenWindings, SeenWinding]],
    at_reference: Sequence[float],
) -> Iterator[str]:
    """How units differ in one winding."""
    place = f"{item.name} ({' – '.join(item.contacts)})"
    lacking = [unit.serial for unit, each in zip(units, seen, strict=True) if each is None]
    if lacking:
        having = " and ".join(unit.serial for unit, _ in there)
        yield f"{place} is in {having}, and not in {' and '.join(lacking)}."
    if too_far_apart(at_reference, 0.0):
        told = ", ".join(
            f"{display(value, RESISTANCE)} in {unit.serial}"
            for value, (unit, _) in zip(at_reference, there, strict=True)
        )
        yield f"{place} has {told}: further apart than two good units."
    first_unit, first = there[0]
    for unit, each in there[1:]:
        if first.ratio is None or each.ratio is None:
            if first.ratio is not each.ratio:
                yield f"{place} has a ratio in one of {first_unit.serial} and {unit.serial} alone."
        elif abs(each.ratio - first.ratio) > RATIO_DIFFERS * first.ratio:
            yield (
                f"{place} has {display(first.ratio, TURNS_RATIO)} in {first_unit.serial} and "
                f"{display(each.ratio, TURNS_RATIO)} in {unit.serial}: not the same turns."
            )
        elif each.start != first.start:
            yield (
                f"{place} starts at {first.start} in {first_unit.serial} and at {each.start} in "
                f"{unit.serial}: one of them is the wrong way round."
            )


def _pin(pin: str, count: int) -> Proposal:
    return Proposal(
        f"pin {pin}", "pin", (pin,), "", ((),) * count, (NOWHERE,) * count, f"pin {pin}"
    )


def _remarks(units: Sequence[SeenWindings]) -> Iterator[str]:
    for unit in units:
        if unit.temperature_c is None:
            at = display(REFERENCE_C, TEMPERATURE, 2)
            yield (
                f"{unit.serial} was measured at a temperature that nobody told: its resistances "
                f"are as measured, and are proposed as if at {at}. Capture it again with it."
            )
        yield from (f"{unit.serial}: {remark}" for remark in unit.remarks)
    for one, other in combinations(units, 2):
        if _reads_the_same(one, other):
            yield (
                f"{one.serial} and {other.serial} read the same in every winding, within what a "
                "meter scatters: are they one unit? Then nobody knows how far good units differ."
            )


def _reads_the_same(one: SeenWindings, other: SeenWindings) -> bool:
    pairs = [(each, _of(other, each.pins)) for each in one.windings]
    if len(pairs) < FEW_WINDINGS or len(pairs) != len(other.windings):
        return False
    return all(
        twin is not None
        and abs(each.ohms.value - twin.ohms.value) <= ALIKE * max(each.ohms.value, twin.ohms.value)
        for each, twin in pairs
    )
