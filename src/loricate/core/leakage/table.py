"""The table of a leakage step: each tap in each condition that applies, in the order to measure.

What changes from one measurement to the next are relays, the unit's own switch, or nothing: the
order is that with the fewest changes. Mains is off while anything but the tap changes.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise, product
from typing import Literal

from loricate.core.leakage.taps import WITH_MAINS, WORDS, Tap
from loricate.core.products.left_out import LeftOut

Condition = Literal["normal", "open_neutral", "open_earth"]
Polarity = Literal["normal", "reversed"]
SwitchedTo = Literal["on", "off"]
Method = Literal["direct", "differential", "alternative"]
# Every two neighbours differ in one relay, and the normal condition comes first: the load current
# then shows where the unit's switch stands. Backwards with the switch in its other position.
BOTH_WAYS: tuple[tuple[Condition, Polarity], ...] = (
    ("normal", "normal"),
    ("open_neutral", "normal"),
    ("open_neutral", "reversed"),
    ("normal", "reversed"),
    ("open_earth", "reversed"),
    ("open_earth", "normal"),
)
ONE_WAY: tuple[Condition, ...] = ("open_neutral", "normal", "open_earth")
CONDITION_WORDS = {"open_neutral": "neutral open", "open_earth": "earth open"}


@dataclass(frozen=True, slots=True)
class Supply:
    """How the unit is supplied while something is measured: nothing of it changes under mains."""

    condition: Condition
    polarity: Polarity
    switch: SwitchedTo

    @property
    def relays(self) -> tuple[bool, bool, bool, bool]:
        """Where its relays and the unit's switch stand."""
        return (
            self.condition == "open_neutral",
            self.condition == "open_earth",
            self.polarity == "reversed",
            self.switch == "off",
        )


@dataclass(frozen=True, slots=True)
class Cell:
    """One measurement of the table."""

    tap: Tap
    supply: Supply


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a step asks for: every combination of these."""

    conditions: tuple[Condition, ...]
    polarities: tuple[Polarity, ...]
    switches: tuple[SwitchedTo, ...]
    method: Method = "direct"
    has_earth: bool = True


def left_out_at(tap: Tap, supply: Supply, wanted: Wanted) -> LeftOut | None:
    """One combination that is not measured, as far as its reason tells it apart; None if it is."""
    place = f"{WORDS[tap.path]} {tap.name}".strip()
    here = f"{place}, {CONDITION_WORDS.get(supply.condition, 'normal condition')}"
    if tap.path == "earth" and not wanted.has_earth:
        return LeftOut(place, "the unit has no protective conductor")
    if supply.condition == "open_earth":
        if not wanted.has_earth:
            return LeftOut(here, "the unit has no earth that could open")
        if tap.path == "earth":
            return LeftOut(here, "nothing flows in a conductor that is open")
    if tap.path in (*WITH_MAINS, "mains_on_case") and supply.condition != "normal":
        return LeftOut(here, "mains on the part is the fault; there is no second one")
    if tap.is_earthed and supply.condition != "open_earth":
        return LeftOut(here, "it is earthed: a current comes from it with the earth open alone")
    if wanted.method == "alternative" and supply.polarity == "reversed":
        return LeftOut(f"{place}, reversed", "both poles are tied, and have no polarity")
    if wanted.method == "alternative" and supply.switch == "off":
        why = "nothing behind an open switch is reached without mains"
        return LeftOut(f"{place}, off", why)
    return None


def table_of(taps: Sequence[Tap], wanted: Wanted) -> tuple[tuple[Cell, ...], tuple[LeftOut, ...]]:
    """Every cell that applies, in the order to measure, and what is left out, with its reason."""
    left: dict[LeftOut, None] = {}
    stages: list[tuple[Supply, list[Tap]]] = []
    for supply in _supplies(wanted):
        here = []
        for tap in taps:
            if (none := left_out_at(tap, supply, wanted)) is not None:
                left[none] = None
            else:
                here.append(tap)
        if here:
            stages.append((supply, here))
    return tuple(_joined(stages)), tuple(left)


def _supplies(wanted: Wanted) -> list[Supply]:
    """Every way to supply the unit, neighbours as alike as can be."""
    if len(wanted.polarities) > 1:
        way = [each for each in BOTH_WAYS if each[0] in wanted.conditions]
    else:
        way = list(
            product([each for each in ONE_WAY if each in wanted.conditions], wanted.polarities)
        )
    found: list[Supply] = []
    for switch in wanted.switches:
        found += [Supply(condition, polarity, switch) for condition, polarity in way]
        way.reverse()
    return found


def _joined(stages: Sequence[tuple[Supply, list[Tap]]]) -> Iterable[Cell]:
    """The taps of each stage so that it ends with one that the next begins with."""
    before: Tap | None = None
    for number, (supply, taps) in enumerate(stages):
        later = stages[number + 1][1] if number + 1 < len(stages) else []
        first = (
            before
            if before in taps
            else next((each for each in taps if each not in later), taps[0])
        )
        last = next((each for each in reversed(taps) if each in later and each != first), None)
        between = [each for each in taps if each not in (first, last)]
        order = [first, *between] if last is None else [first, *between, last]
        yield from (Cell(tap, supply) for tap in order)
        before = order[-1]


def switchings(cells: Sequence[Cell]) -> int:
    """How many changes there are from each cell to the next: relays, the unit's switch, the tap."""
    return sum(
        sum(a != b for a, b in zip(one.supply.relays, other.supply.relays, strict=True))
        + (one.tap != other.tap)
        for one, other in pairwise(cells)
    )
