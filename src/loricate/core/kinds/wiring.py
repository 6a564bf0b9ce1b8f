"""Wiring: every contact of a cable against its description, at low voltage.

Each net's resistance (Ω) is measured four-wire from its first contact to each other, the fixture's
zero taken off. That nothing else is joined is shown by splits: the groups of contacts that should
be apart are numbered, and split k ties those with bit k of their number together against the rest,
so that ceil(log2 N) measurements put every two of them apart once. Each component is one
measurement more. Only a cable that differs is searched further, until every fault is named.

Its limits come from the product: a net's own, else copper's of its length and cross-section, else
what counts as joined. A cable with a switch is measured in one position after another; each begins
by itself when its wiring is seen.
"""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.limits.grouping import grouped
from loricate.core.limits.limit import Limit, LimitSource, is_looser
from loricate.core.measuring.actions import (
    Asking,
    At,
    Connect,
    OtherCables,
    Procedure,
    Programme,
    Scan,
    Watch,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, GradedReading, Measured, Verdict
from loricate.core.measuring.holding import Answered, For, Leaves
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import WIRING
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CAPACITANCE,
    NUMBER,
    RESISTANCE,
    TIME,
    VOLTAGE,
    Ohms,
    Seconds,
    display,
)
from loricate.core.wiring.description import Net, Part, PartSort, Wiring, bound, connector_of
from loricate.core.wiring.diagnosing import Leak, WiringFault, Wrong, diagnose, said_once, unplugged
from loricate.core.wiring.joining import Joined
from loricate.core.wiring.searching import fragments, touching
from loricate.core.wiring.splitting import splits

LEAST_APART_OHMS = 50e3  # what insulation.py takes for the least that any standard asks
MOST_JOINED_OHMS = 50.0  # 100 m of the thinnest wire in use, 0.05 mm², have 34 Ω
OHMS: Programme = {"function": "RESISTANCE"}
QUANTITY = {
    PartSort.RESISTOR: "resistance",
    PartSort.CAPACITOR: "capacitance",
    PartSort.DIODE: "forward_voltage",
}
DIMENSION = {"resistance": RESISTANCE, "capacitance": CAPACITANCE, "forward_voltage": VOLTAGE}
CAUSES = {
    Wrong.OPEN: Cause.OPEN,
    Wrong.SHORT: Cause.SHORT,
    Wrong.SWAPPED: Cause.SWAPPED,
    Wrong.UNPLUGGED: Cause.NO_CONTACT,
}
GIVE_UP = "give up"
# How much more capacitance a connector shows that a cable hangs on: by a factor, and in F.
PLUGGED, PLUGGED_F = 1.5, 30e-12
MANY_FAULTS, LIKE = 2, 0.8  # from which on another cable is thought of, and how like it must be
SHORTED_V = 0.1  # a diode that drops less is bridged
Contacts = tuple[str, ...]


@dataclass(slots=True)
class _Found:
    """What came of one position."""

    readings: list[Reading] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    wrong: tuple[WiringFault, ...] = ()
    sets: frozenset[frozenset[str]] = frozenset()  # what hangs together; empty: as described

    def wrong_in(self, wirings: Sequence[Wiring]) -> bool:
        """Whether something is wrong that is not just another position of the switch."""
        is_other = self.sets in {each.sets for each in wirings}
        return bool(self.faults or self.wrong) and not is_other


class WiringStep(KindSettings):
    """From which resistance on contacts count as joined, and as apart, and how long each takes."""

    name = "wiring"
    title = "Wiring"
    slots = {
        "resistance": LimitSlot(RESISTANCE, title="Resistance of a net", side="maximum"),
        "isolation": LimitSlot(RESISTANCE, title="Between nets, low voltage", side="minimum"),
        "capacitance": LimitSlot(CAPACITANCE, title="Capacitor"),
        "forward_voltage": LimitSlot(VOLTAGE, title="Diode, forward"),
        "reverse_voltage": LimitSlot(VOLTAGE, title="Diode, reverse", side="minimum"),
    }
    judged_by = ()
    meters = ("resistance",)
    advises = ("loose_wiring",)

    joined_below: Annotated[Ohms, Field(gt=0)] = Field(
        default=50.0, title="Joined below", description="A net with more is open"
    )
    parted_above: Annotated[Ohms, Field(gt=0)] = Field(
        default=1e6, title="Apart above", description="Nets with less between them are joined"
    )
    slot: Annotated[Seconds, Field(gt=0)] = Field(
        default=0.025, title="Time of a measurement", description="Settling of relays included"
    )
    wait: Annotated[Seconds, Field(gt=0)] = Field(
        default=120.0, title="Wait for a position", description="Of a switch, at most"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        if product.wirings:
            return ""
        return "The product describes no connectors and nets; describe them in its cable section."

    def points(self, product: Product) -> Points:
        """Each net (each branch of one with more contacts), each component, and the rest of it."""
        return tuple(point for wiring in product.wirings for point in _points(wiring))

    def shares_terminals(self) -> bool:
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Measure each position as it is seen; say every fault once."""
        wirings = list(dict.fromkeys(point.values["wiring"] for point in points))
        readings: list[Reading] = []
        faults: list[Fault] = []
        wrong: list[tuple[Wiring, tuple[WiringFault, ...]]] = []
        seen: list[frozenset[frozenset[str]]] = []
        stands = ""
        for number, wiring in enumerate(wirings, start=1):
            yield from do(At(wiring.position, number, len(wirings)))
            comes = not wiring.position or (yield from self._comes(wiring, wirings))
            found = yield from self._measure(wiring)
            if not comes and comes is not None and not found.wrong_in(wirings):
                text = (
                    f"The wiring of position {wiring.position} was never seen. Look at the switch, "
                    "and at the wires that it joins there."
                )
                faults.append(Fault(Cause.NOT_SEEN, wiring.position, text))
                continue
            readings += found.readings
            faults += found.faults
            seen.append(found.sets)
            wrong.append((wiring, found.wrong))
            if comes is None:
                break
            stands = wiring.position
        faults += [_fault(*each) for each in said_once(wrong)]
        note = ""
        if len(faults) >= MANY_FAULTS:
            note = _likeness(seen, wirings, (yield from do(OtherCables())))
        return Measured(tuple(readings), tuple(faults), note, position=stands)

    def _probe(self, pairs: Sequence[tuple[Contacts, Contacts]]) -> Asking[list[float]]:
        """The resistance in Ω between two sets of contacts each; beyond the range, the range."""
        made = yield from self._scan(OHMS, pairs, "resistance")
        return [each.value for each in made["resistance"]]

    def _scan(
        self, programme: Programme, pairs: Sequence[tuple[Contacts, Contacts]], *reads: str
    ) -> Asking[Mapping[str, tuple[Reading, ...]]]:
        paths = tuple({"high": high, "low": low} for high, low in pairs)
        scanned = yield from do(Scan(WIRING, programme, paths, self.slot, reads))
        return scanned.readings

    def _comes(self, wiring: Wiring, all_of_them: Sequence[Wiring]) -> Asking[bool | None]:
        """Whether a position's wiring is there, or comes while the operator turns the switch.

        None where not one net is joined: nobody need turn a switch that is not there.
        """
        a, b = _telling(wiring, all_of_them)
        (ohms,) = yield from self._probe([((a,), (b,))])
        if ohms < self.joined_below:
            return True
        ends = [((first,), (second,)) for net in wiring.nets for _, first, second in net.branches]
        if not any(ohms < self.joined_below for ohms in (yield from self._probe(ends))):
            return None
        title = f" ({wiring.title})" if wiring.title else ""
        question = f"Put the switch into position {wiring.position}{title}."
        until = (
            Leaves("resistance", self.joined_below, math.inf),
            Answered(question, (GIVE_UP,), wiring.position, hands_in=True),
            For(self.wait),
        )
        programme: Programme = {**OHMS, "points": 1.0, "dwell_s": self.wait + 1.0}
        yield from do(Connect(WIRING, {"high": (a,), "low": (b,)}))
        watched = yield from do(Watch(WIRING, programme, until))
        return watched.held is not None and watched.held.met is until[0]

    def _measure(self, wiring: Wiring) -> Asking[_Found]:
        """Nets, splits and resistors in one scan; then what another function measures."""
        found = _Found()
        prefix = _prefix(wiring)
        branches = [(net, *branch) for net in wiring.nets for branch in net.branches]
        resistors = [part for part in wiring.parts if part.sort is PartSort.RESISTOR]
        sides = [
            tuple(tuple(contact for group in side for contact in group) for side in split)
            for split in splits(wiring.groups)
        ]
        pairs: list[tuple[Contacts, Contacts]] = [((a,), (b,)) for _, _, a, b in branches]
        pairs += [((part.between[0],), (part.between[1],)) for part in resistors]
        pairs += [(high, low) for high, low in sides]
        made = list((yield from self._scan(OHMS, pairs, "resistance"))["resistance"])
        nets, made = made[: len(branches)], made[len(branches) :]
        of_parts, of_splits = made[: len(resistors)], made[len(resistors) :]
        found.readings += [
            reading.at(prefix + name)
            for (_, name, _, _), reading in zip(branches, nets, strict=True)
        ]
        found.readings += [
            reading.at(prefix + part.name)
            for part, reading in zip(resistors, of_parts, strict=True)
        ]
        if of_splits:
            found.readings.append(_isolation(of_splits, wiring.position))
        yield from self._measure_parts(wiring, found)
        loose = [
            b
            for (_, _, _, b), reading in zip(branches, nets, strict=True)
            if not reading.value < self.joined_below
        ]
        is_apart = all(not reading.value < self.parted_above for reading in of_splits)
        if loose or not is_apart:
            yield from self._search(wiring, loose, found)
        return found

    def _measure_parts(self, wiring: Wiring, found: _Found) -> Asking[None]:
        """Capacitors and diodes, a scan each sort; of a diode both directions."""
        for sort, function, reads in (
            (PartSort.CAPACITOR, "CAPACITANCE", ("capacitance",)),
            (PartSort.DIODE, "DIODE", ("forward_voltage", "reverse_voltage")),
        ):
            parts = [part for part in wiring.parts if part.sort is sort]
            if not parts:
                continue
            pairs = [((part.between[0],), (part.between[1],)) for part in parts]
            made = yield from self._scan({"function": function}, pairs, *reads)
            for quantity in reads:
                found.readings += [
                    reading.at(_prefix(wiring) + part.name)
                    for part, reading in zip(parts, made[quantity], strict=True)
                ]

    def _search(self, wiring: Wiring, loose: Sequence[str], found: _Found) -> Asking[None]:
        """Find what hangs together where it is not as described, and name what explains it."""
        sets = yield from fragments(wiring, loose, self._probe, self.joined_below)
        ohms = {
            frozenset((a, b)): value
            for a, b, value in (yield from self._joints(wiring, sets, self.joined_below))
        }
        joined = Joined(wiring.contacts)
        for each in (*sets, *ohms):
            joined.join_all(each)
        sets = joined.sets
        leaks = [Leak(*each) for each in (yield from self._joints(wiring, sets, self.parted_above))]
        found.sets = frozenset(frozenset(each) for each in sets)
        missing = unplugged(wiring, sets)
        if not missing and all(len(each) == 1 for each in sets):
            missing = yield from self._without_cable(wiring)
        found.wrong = tuple(
            each
            for each in diagnose(wiring, sets, ohms, leaks)
            if not (missing and _is_for_lack_of(missing, each.wrong, each.nets, wiring))
        )
        found.faults += [
            Fault(
                Cause.NO_CONTACT,
                wiring.position,
                f"Connector {code} seems not to be plugged in: none of its nets comes through. "
                "Plug it in.",
                contacts=tuple(each for each in wiring.contacts if connector_of(each) == code),
            )
            for code in missing
        ]

    def _joints(
        self, wiring: Wiring, sets: Sequence[Contacts], below: float
    ) -> Asking[list[tuple[str, str, float]]]:
        """Which sets touch by less than ``below`` Ω without being described to, and by how much.

        Those that a component ties together are tried as one; then the nearest of them is named.
        """
        tied = Joined(wiring.contacts)
        for each in sets:
            tied.join_all(each)
        for part in wiring.parts:
            tied.join(*part.between)
        groups = tied.sets
        within = [[each for each in sets if set(each) <= set(group)] for group in groups]
        found = []
        for first, second, value in (yield from touching(groups, self._probe, below)):
            pairs = [(a, b) for each in first for a in within[each] for b in within[second]]
            values = [value] if len(pairs) == 1 else (yield from self._probe(pairs))
            least = min(values)
            a, b = pairs[values.index(least)]
            found.append((a[0], b[0], least))
        return found

    def _without_cable(self, wiring: Wiring) -> Asking[tuple[str, ...]]:
        """Of connectors that no net joins, those that show less capacitance: no cable hangs there.

        None where all show alike: then it hangs nowhere.
        """
        codes = list(
            dict.fromkeys(connector_of(each) for net in wiring.nets for each in net.contacts)
        )
        pairs = []
        for code in codes:
            own = [each for each in wiring.contacts if connector_of(each) == code]
            wired = next(each for each in own if each in wiring.net_of)
            pairs.append(((wired,), tuple(each for each in own if each != wired)))
        if len(pairs) < 2 or not all(low for _, low in pairs):
            return ()
        made = yield from self._scan({"function": "CAPACITANCE"}, pairs, "capacitance")
        farads = [each.value for each in made["capacitance"]]
        most = max(farads)
        return tuple(
            code
            for code, value in zip(codes, farads, strict=True)
            if value * PLUGGED < most and value + PLUGGED_F < most
        )

    def explain(
        self, points: Points, readings: Sequence[GradedReading], faults: Sequence[Fault]
    ) -> Iterator[Fault]:
        """A sentence for each net and component that is out of its limits, once in all positions.

        What hangs on a contact that is named already is not said again.
        """
        at = {point.name: point.values for point in points}
        said: set[str] = set()
        named = {contact for fault in faults for contact in fault.contacts}
        if any(fault.cause is Cause.NO_CONTACT and not fault.contacts for fault in faults):
            return
        for graded in readings:
            grade, reading, limit = graded.grade, graded.reading, graded.limit
            values = at.get(reading.point, {})
            if grade is None or limit is None or grade.verdict is not Verdict.FAIL:
                continue
            if "net" in values:
                if reading.value > self.joined_below or named & {*values["net"].contacts}:
                    continue
                name, fault = values["net"].name, _net_fault
            elif "part" in values and not _is_touched(values["wiring"], values["part"], named):
                name, fault = values["part"].name, _part_fault
            else:
                continue
            if name not in said:
                yield fault(values, reading, limit)
            said.add(name)

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A meter that takes no more than the slot for a path."""
        return (
            Demand(WIRING, "slot_s", self.slot, TIME, "slot"),
            Demand(WIRING, "points", 1.0, NUMBER, "slot"),
        )

    def programmed_s(self, points: Points) -> float:
        wirings = dict.fromkeys(point.values["wiring"] for point in points)
        return sum((bound(each) + bool(each.position)) * self.slot for each in wirings)

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        return {
            Measurand("resistance", point.name): tuple(point.values["terminals"])
            for point in points
            if "net" in point.values or "part" in point.values
        }

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The limits of each net and component from the product, else the step's own."""
        judged: dict[Measurand, Limit] = {}
        for point in points:
            if "net" in point.values:
                measurand = Measurand("resistance", point.name)
                judged[measurand] = limits.get(measurand) or self._net_limit(point.values["net"])
            elif "part" in point.values:
                judged |= _part_limits(point.name, point.values["part"], limits)
            else:
                measurand = Measurand("isolation", point.name)
                own = Limit(
                    dimension=RESISTANCE.name,
                    minimum=self.parted_above,
                    source=LimitSource(engineer="what counts as apart"),
                )
                judged[measurand] = limits.get(measurand) or own
        return judged

    def _net_limit(self, net: Net) -> Limit:
        is_known = net.maximum is not None
        return Limit(
            dimension=RESISTANCE.name,
            minimum=net.minimum,
            maximum=net.maximum if is_known else self.joined_below,
            source=LimitSource(
                engineer="description of the net" if is_known else "what counts as joined"
            ),
        )

    def fails_when_empty(self, limits: Limits) -> bool:
        return True

    def advice(self, step: Considered) -> Iterator[Advice]:
        """What counts as joined, where a net has no limit of its own, and as apart."""
        if self.parted_above < LEAST_APART_OHMS:
            yield Advice(
                "loose_wiring",
                Severity.WARNING,
                f"it takes nets with {display(self.parted_above, RESISTANCE)} between them for "
                "apart: moisture and flux stay unseen.",
                f"Set it to at least {display(LEAST_APART_OHMS, RESISTANCE)}.",
            )
        nets = dict.fromkeys(net for wiring in step.product.wirings for net in wiring.nets)
        bare = [net.name for net in nets if net.maximum is None]
        if bare and self.joined_below > MOST_JOINED_OHMS:
            yield Advice(
                "loose_wiring",
                Severity.WARNING,
                f"it takes {display(self.joined_below, RESISTANCE)} for joined, and {bare[0]} has "
                "no limit of its own: a bad joint passes.",
                "Give each net its length and cross-section, or a maximum; or set less.",
            )
        described = self.judged(self.points(step.product), {})
        for told, measurand, limit in grouped(step.limits):
            other = described.get(measurand)
            if other is not None and is_looser(
                (limit.minimum, limit.maximum), (other.minimum, other.maximum)
            ):
                yield Advice(
                    "loose_wiring",
                    Severity.WARNING,
                    f"its {told} {limit.text} lets more pass than {other.text} "
                    f"({other.source.engineer}).",
                    "Leave the limit out; what the product describes is held against it.",
                )
                return


def _points(wiring: Wiring) -> Iterator[Point]:
    prefix = _prefix(wiring)
    for net in wiring.nets:
        for name, a, b in net.branches:
            yield Point(prefix + name, {"wiring": wiring, "net": net, "terminals": (a, b)})
    for part in wiring.parts:
        yield Point(prefix + part.name, {"wiring": wiring, "part": part, "terminals": part.between})
    yield Point(wiring.position, {"wiring": wiring})


def _likeness(
    seen: Iterable[frozenset[frozenset[str]]],
    own: Iterable[Wiring],
    others: Iterable[tuple[str, Wiring]],
) -> str:
    """Which other cable a unit is wired like, where one fits much better than its own."""

    def share(wiring: Wiring) -> float:
        """Of all nets, seen or described, those that are both; the best of what was seen."""
        described = {each for each in wiring.sets if len(each) > 1}
        shares = [0.0]
        for sets in seen:
            joined = {each for each in sets if len(each) > 1}
            shares.append(len(joined & described) / max(1, len(joined | described)))
        return max(shares)

    best, code = max(((share(wiring), code) for code, wiring in others), default=(0.0, ""))
    if best < LIKE or best <= max(map(share, own)):
        return ""
    return (
        f"It is wired like {code} ({best:.0%} of the nets): is it the wrong cable, or the wrong "
        "sequence?"
    )


def _prefix(wiring: Wiring) -> str:
    return f"{wiring.position}: " if wiring.position else ""


def _telling(wiring: Wiring, others: Sequence[Wiring]) -> tuple[str, str]:
    """Two contacts that are joined in this position alone, as far as there are such."""
    elsewhere = {
        frozenset(net.contacts) for each in others if each is not wiring for net in each.nets
    }
    own = [net for net in wiring.nets if frozenset(net.contacts) not in elsewhere]
    net = (own or list(wiring.nets))[-1]
    return net.contacts[0], net.contacts[-1]


def _isolation(made: Sequence[Reading], position: str) -> Reading:
    """The least of all splits: what every two groups have between them at least."""
    numbers = [each for each in made if math.isfinite(each.value)]
    least = min(numbers, key=lambda each: each.value, default=made[0])
    return Reading(
        "isolation",
        least.value if len(numbers) == len(made) else math.nan,
        RESISTANCE,
        position,
        # Several paths beside each other: what parts any two of them is at least that.
        Bound.ABOVE,
        least.uncertainty,
        least.instrument,
    )


def _is_for_lack_of(
    missing: Sequence[str], wrong: Wrong, nets: Sequence[str], wiring: Wiring
) -> bool:
    """Whether a connector that is not plugged in is reason enough for a fault."""
    if wrong is Wrong.UNPLUGGED:
        return True
    reach = {
        connector_of(contact) for net in wiring.nets if net.name in nets for contact in net.contacts
    }
    return wrong is Wrong.OPEN and bool(reach & set(missing))


def _fault(wiring: Wiring, wrong: WiringFault) -> Fault:
    point = _prefix(wiring) + wrong.nets[0] if wrong.nets else wiring.position
    return Fault(CAUSES[wrong.wrong], point, wrong.text, contacts=wrong.contacts)


def _is_touched(wiring: Wiring, part: Part, named: set[str]) -> bool:
    """Whether a fault that is known already is about a net that a component hangs on."""
    ends = {
        each
        for contact in part.between
        for each in (wiring.net_of[contact].contacts if contact in wiring.net_of else (contact,))
    }
    return bool(ends & named)


def _net_fault(values: Mapping[str, Any], reading: Reading, limit: Limit) -> Fault:
    net: Net = values["net"]
    ends: Contacts = values["terminals"]
    name = f"Shield {net.name}" if net.is_shield else net.name
    is_high = limit.maximum is not None and reading.value > limit.maximum
    if is_high:
        text = (
            f"{name} has {reading.text} between {ends[0]} and {ends[1]}, at most "
            f"{display(limit.maximum or 0.0, RESISTANCE)}. Look for a bad crimp at either end, or "
            "broken strands."
        )
        return Fault(Cause.HIGH_RESISTANCE, reading.point, text, contacts=ends)
    text = (
        f"{name} has {reading.text} between {ends[0]} and {ends[1]}, at least "
        f"{display(limit.minimum or 0.0, RESISTANCE)}. Look for a wire that is too short or too "
        "thick."
    )
    return Fault(Cause.UNDER_LIMIT, reading.point, text, contacts=ends)


def _part_limits(point: str, part: Part, limits: Limits) -> dict[Measurand, Limit]:
    quantity = QUANTITY[part.sort]
    measurand = Measurand(quantity, point)
    source = LimitSource(engineer="description of the component")
    found = {
        measurand: limits.get(measurand)
        or Limit(
            dimension=DIMENSION[quantity].name,
            minimum=part.minimum,
            maximum=part.maximum,
            source=source,
        )
    }
    if part.sort is PartSort.DIODE:
        back = Measurand("reverse_voltage", point)
        found[back] = limits.get(back) or Limit(
            dimension=VOLTAGE.name, minimum=2 * part.maximum, source=source
        )
    return found


def _part_fault(values: Mapping[str, Any], reading: Reading, limit: Limit) -> Fault:
    """What is wrong with a component: it is not there, turned, bridged, or another one."""
    part: Part = values["part"]
    a, b = part.between
    where = f"between {a} and {b}"
    told = f"{reading.text} {where}, where {limit.text} is expected"
    cause, text = Cause.WRONG_COMPONENT, f"{part.name} is not the one described: {told}. "
    text += "Look at what is fitted."
    bridged = f"{part.name} is bridged ({told}). Look for a short {where}."
    missing = f"{part.name} is missing ({told}). Look at its joints."
    is_open = reading.bound is Bound.ABOVE
    match part.sort, reading.quantity:
        case PartSort.DIODE, "reverse_voltage":
            text = f"{part.name} conducts backwards ({told}). Look for a bridge, or a bad diode."
        case PartSort.DIODE, _ if is_open:
            cause = Cause.REVERSED
            text = f"{part.name} does not conduct from {a} to {b}. Look whether it is turned."
        case PartSort.DIODE, _ if reading.value < SHORTED_V:
            cause, text = Cause.SHORT, bridged
        case PartSort.RESISTOR, _ if is_open or reading.value > 100 * part.maximum:
            cause, text = Cause.MISSING, missing
        case PartSort.RESISTOR, _ if reading.value < part.minimum / 10:
            cause, text = Cause.SHORT, bridged
        case PartSort.CAPACITOR, _ if is_open:
            cause, text = Cause.SHORT, bridged
        case PartSort.CAPACITOR, _ if reading.value < part.minimum / 10:
            cause, text = Cause.MISSING, missing
    return Fault(cause, reading.point, text, contacts=part.between)
