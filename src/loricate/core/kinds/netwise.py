"""Netwise: an output between each net of a cable and all others tied together, or by groups.

``each_net`` takes as many applications as there are nets, and reads each net. ``groups`` numbers
the nets in Gray code: application k puts those with bit k set against the rest, so that every two
of them are apart in one of ceil(log2 N). The leakage of a net to all others tied together is then
at most the sum of all applications' currents, for parallel paths at most add up; its resistance is
at least V over that sum, stated `above`. Where that decides, it is proven. Where not, the groups in
question are taken apart until the net or the pair is named.

What a component joins is tied together: at these volts it would conduct, or be spoiled.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from pydantic import Field

from loricate.core.kinds.kind import Point, Points
from loricate.core.measuring.actions import Ask, Asking, At, do
from loricate.core.measuring.grading import Cause, Fault, GradedReading, Verdict
from loricate.core.measuring.readings import Bound, Reading, resistance_of
from loricate.core.products.product import Product
from loricate.core.wiring.description import Wiring, splits_needed
from loricate.core.wiring.splitting import splits

Apply = Literal["between", "each_net", "groups"]
Contacts = tuple[str, ...]
UNUSED = "unused contacts"
DONE, GIVE_UP = "it stands there", "give up"
NETS_ONE_BY_ONE = "the nets of one cable are gone through at a time; write each."


def apply_field() -> Any:
    """The setting of what an output is applied between."""
    return Field(
        default="between",
        title="Applied",
        description="between the terminals named; each net of a cable against all others; or "
        "groups of nets, which prove all in a few applications",
    )


@dataclass(frozen=True, slots=True)
class Item:
    """What is tied together in every application: a net, nets that a component joins."""

    point: str
    name: str
    contacts: Contacts


@dataclass(frozen=True, slots=True)
class Applied:
    """What one application came to: its readings, and what was wrong outright."""

    readings: tuple[Reading, ...]
    faults: tuple[Fault, ...] = ()
    position: str = ""  # where the switch stands after it

    def reading(self, quantity: str) -> Reading | None:
        """One of its readings, if it has it."""
        return next((each for each in self.readings if each.quantity == quantity), None)

    @property
    def amperes(self) -> float:
        """The greatest current in A; without end where it was cut, or is no number."""
        current = self.reading("current")
        if self.faults or current is None or not math.isfinite(current.value):
            return math.inf
        return math.inf if current.bound is Bound.ABOVE else abs(current.value)


Between = Callable[[Contacts, Contacts], Asking[Applied]]


def position_field() -> Any:
    """The setting of the position that a cable's switch stands in."""
    return Field(
        default="",
        title="Position of the switch",
        description="Of a cable that has one: each of them if empty",
    )


def net_points(product: Product, position: str = "") -> Points:
    """A point for each net, or nets that a component joins, in each position or in one of them."""
    return tuple(
        point
        for wiring in product.wirings
        if position in ("", wiring.position)
        for point in _points(wiring)
    )


def _points(wiring: Wiring) -> Iterator[Point]:
    prefix = f"{wiring.position}: " if wiring.position else ""
    for group in wiring.groups:
        if any(contact in wiring.net_of for contact in group):
            values = {"wiring": wiring, "terminals": group}
            yield Point(prefix + wiring.name_of(group), values)
    if wiring.spares:
        yield Point(prefix + UNUSED, {"wiring": wiring, "terminals": wiring.spares})


def applications(points: Points, how: Apply) -> int:
    """How many applications a good cable takes."""
    return sum(
        splits_needed(len(items)) if how == "groups" else len(items)
        for _, items in _by_position(points)
    )


def farads_at_once(product: Product, how: Apply) -> float:
    """What a source charges at a time, in F: one net, or half of all; 0 where it is not known."""
    own = (product.cable.net_capacitance if product.cable is not None else None) or 0.0
    most = max((len(wiring.groups) for wiring in product.wirings), default=1)
    return own * max(1, most // 2) if how == "groups" else own


def _by_position(points: Points) -> list[tuple[Wiring, list[Item]]]:
    found: dict[Wiring, list[Item]] = {}
    for point in points:
        wiring: Wiring = point.values["wiring"]
        name = point.name.removeprefix(f"{wiring.position}: ")
        item = Item(point.name, name, tuple(point.values["terminals"]))
        found.setdefault(wiring, []).append(item)
    return list(found.items())


@dataclass(frozen=True)
class Netwise:
    """How an output goes through the nets of a cable.

    ``between`` applies it once, ``is_enough`` says whether applications together prove what is
    asked of a net, ``proven`` gives a net's readings from them. With ``stop_at_first`` the first
    net that fails ends it.
    """

    between: Between
    is_enough: Callable[[Sequence[Applied]], bool]
    proven: Callable[[Sequence[Applied]], tuple[Reading, ...]]
    stop_at_first: bool = False

    def go(self, points: Points, how: Apply) -> Asking[Applied]:
        """Go through every position; gives the readings at their points, and every fault."""
        readings: list[Reading] = []
        faults: list[Fault] = []
        stands = ""
        for wiring, items in _by_position(points):
            if wiring.position:
                title = f" ({wiring.title})" if wiring.title else ""
                question = f"Put the switch into position {wiring.position}{title}."
                asked = Ask(question, (DONE, GIVE_UP), DONE, True, wiring.position)
                answer = yield from do(asked)
                if answer.choice != DONE:
                    text = f"Position {wiring.position} was given up. {answer.note}".strip()
                    faults.append(Fault(Cause.NOT_SEEN, wiring.position, text))
                    continue
                stands = wiring.position
            way = self._by_groups if how == "groups" else self._each
            made = yield from way(items)
            readings += made.readings
            faults += made.faults
            if faults and self.stop_at_first:
                break
        once = {
            (fault.cause, frozenset(fault.contacts) or fault.text): fault for fault in faults[::-1]
        }
        return Applied(tuple(readings), tuple(once.values())[::-1], stands)

    def _each(self, items: Sequence[Item]) -> Asking[Applied]:
        """Each against all others tied together."""
        readings: list[Reading] = []
        faults: list[Fault] = []
        for number, item in enumerate(items, start=1):
            yield from do(At(item.point, number, len(items)))
            made = yield from self._alone(item, items)
            readings += made.readings
            faults += made.faults
            if made.faults and self.stop_at_first:
                break
        return Applied(tuple(readings), tuple(faults))

    def _alone(self, item: Item, items: Sequence[Item]) -> Asking[Applied]:
        """One against all others tied together, said of its point."""
        rest = _contacts([each for each in items if each is not item])
        made = yield from self.between(item.contacts, rest)
        return Applied(
            tuple(reading.at(item.point) for reading in made.readings),
            tuple(_alone_fault(item, fault, made) for fault in made.faults),
        )

    def _by_groups(self, items: Sequence[Item]) -> Asking[Applied]:
        """Prove all by splits; what does not decide is taken apart until it is named."""
        units = [[item] for item in items]
        alone: dict[str, Applied] = {}  # what was measured by itself, by point
        faults: list[Fault] = []
        while len(units) > 1:
            made = yield from self._splits(units)
            if all(not each.faults for _, each in made) and self.is_enough(
                [each for _, each in made]
            ):
                proven = self.proven([each for _, each in made])
                for item in items:
                    if item.point not in alone:
                        at = tuple(reading.at(item.point) for reading in proven)
                        alone[item.point] = Applied(at)
                break
            high, _ = max(made, key=lambda pair: pair[1].amperes)[0]
            worst = yield from self._narrowed(high, units)
            bad = yield from self._measured(worst, items, alone)
            if not bad:
                # It is many small leaks and no great one: each is read by itself.
                for unit in units:
                    yield from self._measured(unit, items, alone)
                break
            if self.stop_at_first:
                break
            other = yield from self._partner(worst, units)
            if other is None:
                # It leaks to several, none of which is to blame alone.
                for unit in units:
                    yield from self._measured(unit, items, alone)
                break
            yield from self._measured(other, items, alone)
            faults.append(_pair(worst, other, bad[0].cause))
            units = [unit for unit in units if unit is not worst and unit is not other]
            units.append([*worst, *other])
        told = {contact for fault in faults for contact in fault.contacts}
        own = [
            fault
            for made_alone in alone.values()
            for fault in made_alone.faults
            if not set(fault.contacts) <= told
        ]
        readings = [reading for each in alone.values() for reading in each.readings]
        return Applied(tuple(readings), (*faults, *own))

    def _splits(
        self, units: Sequence[list[Item]]
    ) -> Asking[list[tuple[tuple[list[list[Item]], list[list[Item]]], Applied]]]:
        """Apply split after split, up to one that breaks down."""
        made = []
        halves = splits(units)
        for number, (high, low) in enumerate(halves, start=1):
            yield from do(At(f"groups {number}", number, len(halves)))
            applied = yield from self.between(_tied(high), _tied(low))
            made.append(((high, low), applied))
            if applied.faults:
                break
        return made

    def _narrowed(
        self, high: Sequence[list[Item]], units: Sequence[list[Item]]
    ) -> Asking[list[Item]]:
        """Of the units on one side of a split, one that leaks most, by halves."""
        among = list(high)
        while len(among) > 1:
            half, other = among[: len(among) // 2], among[len(among) // 2 :]
            rest = [unit for unit in units if unit not in half]
            applied = yield from self.between(_tied(half), _tied(rest))
            among = half if self._is_bad(applied) else other
        return among[0]

    def _partner(self, worst: list[Item], units: Sequence[list[Item]]) -> Asking[list[Item] | None]:
        """What a unit leaks to, by halves, the others standing open; None where it is no one."""
        among = [unit for unit in units if unit is not worst]
        while len(among) > 1:
            half, other = among[: len(among) // 2], among[len(among) // 2 :]
            applied = yield from self.between(_contacts(worst), _tied(half))
            among = half if self._is_bad(applied) else other
        applied = yield from self.between(_contacts(worst), _contacts(among[0]))
        return among[0] if self._is_bad(applied) else None

    def _measured(
        self, unit: Sequence[Item], items: Sequence[Item], alone: dict[str, Applied]
    ) -> Asking[list[Fault]]:
        """Read each of a unit by itself, once; gives what is wrong with any of them."""
        faults: list[Fault] = []
        for item in unit:
            if item.point not in alone:
                alone[item.point] = yield from self._alone(item, items)
            made = alone[item.point]
            if self._is_bad(made):
                faults += made.faults or (Fault(Cause.UNDER_LIMIT, item.point),)
        return faults

    def _is_bad(self, applied: Applied) -> bool:
        return bool(applied.faults) or not self.is_enough([applied])


def _alone_fault(item: Item, fault: Fault, made: Applied) -> Fault:
    """What is wrong with one against all others, in a sentence."""
    voltage = made.reading("voltage")
    at = f" at {voltage.text}" if voltage is not None and voltage.value > 0 else ""
    text = {
        Cause.BREAKDOWN: f"{item.name} breaks down{at} against all others. Look at its insulation.",
        Cause.ARC: f"{item.name} arcs{at} against all others. Look for loose strands.",
        Cause.SHORT: f"{item.name} is joined to another: no volts come up. Look for a short.",
        Cause.OVER_LIMIT: f"{item.name} draws more than the trip{at} against all others.",
        Cause.LEVEL_NOT_REACHED: f"{item.name} does not come up to its level{at}.",
        Cause.OVERSTRESS: f"{item.name} had more than its level{at}.",
    }.get(fault.cause, fault.text)
    return replace(fault, point=item.point, text=text, contacts=item.contacts)


def explain_nets(
    points: Points, readings: Sequence[GradedReading], faults: Sequence[Fault]
) -> Iterator[Fault]:
    """A sentence for each net whose current or resistance is out of its limits, said once."""
    named = {contact for fault in faults for contact in fault.contacts}
    at = {point.name: point.values for point in points}
    said: set[frozenset[str]] = set()
    for graded in readings:
        grade, reading, limit = graded.grade, graded.reading, graded.limit
        contacts = tuple(at.get(reading.point, {}).get("terminals", ()))
        if grade is None or limit is None or grade.verdict is not Verdict.FAIL or not contacts:
            continue
        if named & {*contacts} or frozenset(contacts) in said:
            continue
        said.add(frozenset(contacts))
        name = reading.point.rpartition(": ")[2]
        text = (
            f"{name} has a {reading.quantity.replace('_', ' ')} of {reading.text} against all "
            f"others, where {limit.text} is asked. Look at its insulation, and for dirt or damp."
        )
        yield Fault(grade.cause, reading.point, text, contacts=contacts)


def _pair(worst: Sequence[Item], other: Sequence[Item], cause: Cause) -> Fault:
    """Between which two it is, in a sentence."""
    first = " and ".join(item.name for item in worst)
    second = " and ".join(item.name for item in other)
    what = {
        Cause.BREAKDOWN: "break down",
        Cause.ARC: "arc",
        Cause.SHORT: "are joined",
    }.get(cause, "leak")
    text = f"{first} and {second} {what} to each other. Look where they lie side by side."
    contacts = (*_contacts(worst), *_contacts(other))
    return Fault(cause, worst[0].point, text, contacts=contacts)


def _contacts(items: Sequence[Item]) -> Contacts:
    return tuple(contact for item in items for contact in item.contacts)


def _tied(units: Sequence[Sequence[Item]]) -> Contacts:
    return tuple(contact for unit in units for contact in _contacts(unit))


def summed(applied: Sequence[Applied]) -> Reading:
    """The current in A that a net has at most, from applications that part it from all others."""
    currents = [reading for each in applied if (reading := each.reading("current")) is not None]
    if len(currents) < len(applied) or not currents:
        raise ValueError("An application without a current proves nothing.")
    values = [abs(each.value) if each.bound is not Bound.ABOVE else math.nan for each in currents]
    return Reading(
        "current",
        sum(values),
        currents[0].dimension,
        bound=Bound.BELOW,
        uncertainty=math.fsum(each.uncertainty for each in currents),
        instrument=currents[0].instrument,
    )


def ohms_of(made: Sequence[Applied]) -> Reading:
    """What a net has to all others at least, V over the sum of the currents; NaN without volts."""
    voltage = least(made, "voltage")
    if voltage is None:
        raise ValueError("An application without volts proves nothing.")
    current = summed(made)
    found = resistance_of(voltage, replace(current, bound=Bound.EXACT))
    return replace(found, bound=Bound.ABOVE)


def least(applied: Sequence[Applied], quantity: str) -> Reading | None:
    """The least of a quantity among applications; None where one lacks it."""
    found = [reading for each in applied if (reading := each.reading(quantity)) is not None]
    if len(found) < len(applied):
        return None
    return min(found, key=lambda each: each.value, default=None)


def check_terminals(values: Mapping[str, Any]) -> tuple[str, str, str] | None:
    """What is wrong with the terminals of a step: place, reason and remedy; None if nothing."""
    named = [name for name in ("high", "low") if values[name]]
    if values["apply"] == "between":
        lacking = [name for name in ("high", "low") if not values[name]]
        if lacking:
            return lacking[0], "is missing", "name the terminals, or apply it to each net."
    elif named:
        how = str(values["apply"]).replace("_", " ")
        return named[0], f"is named beside apply = {how}", "leave it out: all nets are taken."
    return None
