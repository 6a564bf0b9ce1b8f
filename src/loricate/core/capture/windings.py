"""Measuring what windings a known-good transformer has, with no description to go by.

Pins hang together by continuity at the wiring meter's low volts; what is beside the nest's columns
and leads nowhere is a skipped channel. Three pins and more that hang together are one winding with
taps if their resistances add up, and otherwise are said and left to somebody. Each winding's
resistance is four-wire and steady; the one of most inductance is driven, so that no other has more
volts than it, and the others are read: their ratio, and which of their ends is in phase.

At the end what hangs together is held against itself. A unit that moved is not captured.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

from loricate.core.capture.cables import PARTED_OHMS, NotCaptured, least_ohms
from loricate.core.capture.seen import Ohms, SeenWinding
from loricate.core.measuring.actions import Asking, Connect, Ending, Energise, do
from loricate.core.measuring.impedance import inductance_h
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.measuring.roles import IMPEDANCE, RATIO_METER
from loricate.core.measuring.steady_current import SteadyBy, steady_current, without_fixture
from loricate.core.quantities import CURRENT, RESISTANCE, VOLTAGE, display
from loricate.core.windings.ratio import COUPLED
from loricate.core.wiring.joining import Joined
from loricate.core.wiring.searching import touching

WINDING_OHMS = 10e3  # what hangs together by more is no winding
MOST_TAPS = 6  # pins of one winding: every two of them are measured
USUAL_A, LEAST_A, DRIVEN_BY_V = 1.0, 0.01, 5.0  # the current, and what it may drop at most
WITHIN, FOR_S, AT_MOST_S = 0.001, 0.5, 60.0  # when its volts are steady
LEAST_SHARE = 0.9  # of the current that must flow
ADDS_UP, ADDS_UP_OHMS = 0.02, 0.01  # how well the parts of a tapped winding make the whole
# So little that a winding with hundreds of times as many turns has no volts that could hurt.
SIGNAL_V, SIGNAL_HZ, SIGNAL_S = 0.1, 1000.0, 0.2
RATIO_V, RATIO_HZ, RATIO_S = 1.0, 400.0, 0.2
Pins = tuple[str, ...]
Pair = tuple[Pins, Pins]
Ends = tuple[str, str]


@dataclass(frozen=True, slots=True)
class FoundWindings:
    """The windings of a unit, the driven one first; ``remarks`` say what could not be told."""

    windings: tuple[SeenWinding, ...]
    skipped: tuple[str, ...]
    remarks: tuple[str, ...]


def capture_windings(pins: Pins, beside: Sequence[str]) -> Asking[FoundWindings]:
    """Find the windings between pins; ``beside`` are columns that the bench file has no pin at.

    Raises NotCaptured where nothing hangs together, something has no resistance, or it changed.
    """
    everything = (*beside, *pins)
    sets = yield from hanging_together(everything)
    found = [each for each in sets if len(each) > 1]
    if not found:
        raise NotCaptured(
            "Nothing seems to be plugged in: no two pins hang together. Plug the unit in, and "
            "capture again."
        )
    strange = [each for one in found for each in one if each in beside]
    remarks = [
        f"Something hangs at {each}, where the bench file has no pin: map the nest first."
        for each in strange
    ]
    sections: dict[Ends, Ohms] = {}
    for each in found:
        own, told = yield from _sections(each)
        sections |= own
        remarks += told
    windings, more = yield from _coupled(sections)
    yield from _hold_against_itself(everything, sets, sections)
    skipped = tuple(each for each in beside if each not in strange)
    return FoundWindings(tuple(windings), skipped, (*remarks, *more))


def hanging_together(everything: Pins) -> Asking[tuple[Pins, ...]]:
    """The pins as windings join them, each that nothing hangs at by itself."""
    joints = yield from touching([(each,) for each in everything], least_ohms, WINDING_OHMS)
    joined = Joined(everything)
    for first, second, _ in joints:
        joined.join_all([everything[place] for place in (*first, second)])
    return joined.sets


def _sections(pins: Pins) -> Asking[tuple[dict[Ends, Ohms], list[str]]]:
    """A winding's resistance, or those of the parts between its taps."""
    if len(pins) > MOST_TAPS:
        return {}, [
            f"{len(pins)} pins hang together, {', '.join(pins[:4])} among them: they were not told "
            "apart. Describe them by hand."
        ]
    ohms: dict[frozenset[str], Ohms] = {}
    for a, b in combinations(pins, 2):
        ohms[frozenset((a, b))] = yield from resistance_between(a, b)
    if len(pins) == 2:
        return {(pins[0], pins[1]): ohms[frozenset(pins)]}, []
    order = in_a_row(pins, ohms)
    if order is None:
        return {}, [
            f"{', '.join(pins)} hang together, and not as a winding with taps: their resistances "
            "do not add up. Describe them by hand."
        ]
    return {(a, b): ohms[frozenset((a, b))] for a, b in pairwise(order)}, []


def in_a_row(pins: Pins, ohms: Mapping[frozenset[str], Ohms]) -> Pins | None:
    """Pins in their order along one winding; None where their resistances do not add up."""

    def between(a: str, b: str) -> float:
        return 0.0 if a == b else ohms[frozenset((a, b))].value

    one, other = max(combinations(pins, 2), key=lambda ends: between(*ends))
    first = min(one, other, key=pins.index)
    order = tuple(sorted(pins, key=lambda pin: between(first, pin)))
    for a, b in combinations(range(len(order)), 2):
        parts = math.fsum(between(*each) for each in pairwise(order[a : b + 1]))
        whole = between(order[a], order[b])
        if abs(parts - whole) > ADDS_UP * whole + ADDS_UP_OHMS:
            return None
    return order


def resistance_between(a: str, b: str) -> Asking[Ohms]:
    """Four-wire and steady, at a current that the winding lets through; raises NotCaptured."""
    (coarse,) = yield from least_ohms([((a,), (b,))])
    current_a = max(LEAST_A, min(USUAL_A, float(f"{DRIVEN_BY_V / max(coarse, 1e-9):.1g}")))
    by = SteadyBy(current_a, WITHIN, FOR_S, AT_MOST_S)
    output, is_steady = yield from steady_current(a, b, by)
    current = output.reading("current", CURRENT)
    if output.ending is not Ending.FINISHED or not current.value >= LEAST_SHARE * current_a:
        raise NotCaptured(
            f"Only {current.text} of {display(current_a, CURRENT)} flowed from {a} to {b}: look "
            "for a loose contact, and capture again."
        )
    told = resistance_of(output.reading("voltage", VOLTAGE), current)
    made = yield from without_fixture(told, a, b)
    if not is_steady or made.bound is not Bound.EXACT or not math.isfinite(made.value):
        raise NotCaptured(
            f"The resistance from {a} to {b} did not become steady: look for a loose contact, and "
            "capture again."
        )
    return Ohms(made.value, made.uncertainty)


def _coupled(sections: Mapping[Ends, Ohms]) -> Asking[tuple[list[SeenWinding], list[str]]]:
    """The windings with their ratios to the one of most inductance, ends in phase with its."""
    if not sections:
        return [], []
    henries: dict[Ends, float] = {}
    for ends in sections:
        henries[ends] = yield from _inductance(ends)
    driven = max(henries, key=lambda ends: henries[ends])
    found = [SeenWinding(*driven, sections[driven], 1.0)]
    remarks: list[str] = []
    for ends, ohms in sections.items():
        if ends == driven:
            continue
        ratio = yield from _signed_ratio(driven, ends)
        if ratio is None:
            remarks.append(
                f"{ends[0]} – {ends[1]} has no volts from {driven[0]} – {driven[1]}: they are not "
                "on one core, and which end is its start is told by nothing."
            )
            found.append(SeenWinding(*ends, ohms, None))
        else:
            start, end = ends if ratio > 0 else (ends[1], ends[0])
            found.append(SeenWinding(start, end, ohms, abs(ratio)))
    return found, remarks


def _inductance(ends: Ends) -> Asking[float]:
    """In H, rough: it says which winding has most turns."""
    yield from do(Connect(IMPEDANCE, {"high": ends[:1], "low": ends[1:]}))
    programme = {"level_v": SIGNAL_V, "frequency_hz": SIGNAL_HZ, "dwell_s": SIGNAL_S}
    output = yield from do(Energise(IMPEDANCE, programme))
    ohms = complex(output.summary["resistance"], output.summary["reactance"])
    if output.bounds.get("impedance", Bound.EXACT) is Bound.ABOVE:
        return math.inf
    if output.ending is not Ending.FINISHED or not math.isfinite(abs(ohms)):
        raise NotCaptured(
            f"The inductance from {ends[0]} to {ends[1]} could not be measured; capture again."
        )
    return inductance_h(ohms, SIGNAL_HZ)


def _signed_ratio(driven: Ends, read: Ends) -> Asking[float | None]:
    """Volts driven over volts read, below 0 where they are against each other; None without any."""
    points = {
        "high": driven[:1],
        "low": driven[1:],
        "sense_high": read[:1],
        "sense_low": read[1:],
    }
    yield from do(Connect(RATIO_METER, points))
    programme = {"level_v": RATIO_V, "frequency_hz": RATIO_HZ, "dwell_s": RATIO_S}
    output = yield from do(Energise(RATIO_METER, programme))
    voltage = output.reading("voltage", VOLTAGE)
    secondary = output.reading("secondary", VOLTAGE)
    in_phase = output.summary["in_phase"]
    values = (voltage.value, secondary.value, in_phase)
    if output.ending is not Ending.FINISHED or voltage.bound is not Bound.EXACT:
        raise NotCaptured(
            f"{driven[0]} – {driven[1]} takes no volts of the ratio meter; capture again."
        )
    if not all(map(math.isfinite, values)):
        raise NotCaptured("The ratio meter answered with what is no number; capture again.")
    if secondary.bound is not Bound.EXACT or abs(in_phase) < COUPLED * secondary.value:
        return None
    return math.copysign(voltage.value / secondary.value, in_phase)


def _hold_against_itself(
    everything: Pins, sets: Sequence[Pins], sections: Mapping[Ends, Ohms]
) -> Asking[None]:
    """Nothing else hangs together, and what did does so to the last; raises NotCaptured."""
    own = [set(each) for each in sets]
    apart: list[Pair] = [
        (each, tuple(pin for pin in everything if pin not in mine))
        for each, mine in zip(sets, own, strict=True)
        if len(mine) < len(everything)
    ]
    for (own_pins, _), value in zip(apart, (yield from least_ohms(apart)), strict=True):
        if value < PARTED_OHMS:
            raise NotCaptured(
                f"{', '.join(own_pins)} conduct to the others ({display(value, RESISTANCE)}), and "
                "no winding does: the insulation is damp or damaged, or the unit moved. Capture a "
                "good one."
            )
    joined: list[Pair] = [((a,), (b,)) for a, b in sections]
    for (a, b), ohms in zip(sections, (yield from least_ohms(joined)), strict=True):
        if not ohms < WINDING_OHMS:
            raise NotCaptured(
                f"{a} and {b} hung together and do not any more: the unit moved, or has a loose "
                "contact. Look at it, and capture again."
            )
