"""Response: what a device shows when it is stimulated, preset after preset.

A stimulus is set to all that a preset of the product gives, at once; the operator reads the
device's figures in one form, the target offered first, what settles slowly last. A figure that was
read before it can have settled is asked for again. The limit of a figure is its target and
tolerance, as the product has them; a target that somebody changes for one device moves its limit,
and the old one, the reason and the name stay with the record.

Errors: a stimulus that did not give what it was set to leaves the figure doubted.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Annotated, Any

from pydantic import Field

from loricate.core.kinds.advice import Advice, Considered, Severity
from loricate.core.kinds.kind import Demand, KindSettings, Limits, LimitSlot, Point, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import (
    BARE,
    Answer,
    Ask,
    Asking,
    At,
    Beside,
    Held,
    Hold,
    Off,
    Procedure,
    Source,
    Tell,
    do,
)
from loricate.core.measuring.grading import Cause, Fault, Measured
from loricate.core.measuring.holding import Answered, Entry, For
from loricate.core.measuring.readings import Doubt, Measurand, Reading
from loricate.core.measuring.roles import STIMULUS
from loricate.core.products.families.medical import SEEN, Parameter, Preset
from loricate.core.products.product import Product
from loricate.core.quantities import (
    DIMENSIONS,
    NUMBER,
    PRESSURE,
    TEMPERATURE,
    TIME,
    Dimension,
    Seconds,
    display,
    parse,
)

SETS = {"temperature": "temperature_c", "pressure": "pressure_pa"}
MOST_S, OVER_S = 3_600.0, 5.0
READ = "points_read"
EVERYTHING = LimitSource(engineer="all that the presets ask")
SHARE = 0.5  # of a figure's tolerance that the stimulus may be off by
IT_IS_ON, CANNOT = "it is on", "it cannot be"
NO_PARAMETERS = "the product describes no parameters and presets"


@dataclass(slots=True)
class _Found:
    """What the presets have shown so far."""

    readings: list[Reading] = field(default_factory=list)
    faults: list[Fault] = field(default_factory=list)
    doubts: list[Doubt] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    retargeted: dict[Measurand, Limit] = field(default_factory=dict)

    def measured(self) -> Measured:
        return Measured(
            tuple(self.readings),
            tuple(self.faults),
            " ".join(self.notes),
            doubts=tuple(self.doubts),
            position="on",
            retargeted=self.retargeted,
        )


class Response(KindSettings):
    """Which presets are given, and which parameters are read."""

    name = "response"
    title = "Response to stimuli"
    slots = {
        "temperature": LimitSlot(TEMPERATURE, title="Temperature shown"),
        "pressure": LimitSlot(PRESSURE, title="Pressure shown"),
        READ: LimitSlot(NUMBER, title="What was read", of_whole=True, side="minimum"),
    }
    judged_by = ()
    meters = ("temperature", "pressure")
    advises = ("same_at_every_preset",)

    presets: tuple[str, ...] = Field(
        default=(), title="Presets", description="Of the product, in order; all where none is named"
    )
    parameters: tuple[str, ...] = Field(
        default=(), title="Parameters", description="Of the product; all where none is named"
    )
    at_most: Annotated[Seconds, Field(gt=0, le=1800)] = Field(
        default=600.0, title="Waits at most", description="For the figures of one preset"
    )

    @classmethod
    def why_not(cls, product: Product) -> str:
        section = product.medical
        has = section is not None and section.parameters and section.presets
        return "" if has else NO_PARAMETERS

    def unfit(self, product: Product) -> Iterator[tuple[str, str, str]]:
        """Presets and parameters that the product does not have."""
        section = product.medical
        for place, named, known in (
            ("presets", self.presets, section.presets if section else ()),
            ("parameters", self.parameters, section.parameters if section else ()),
        ):
            names = [each.name for each in known]
            if strange := [name for name in named if name not in names]:
                listed = ", ".join(names) or "none"
                yield place, f"names {', '.join(strange)}", f"the product has {listed}."

    def _presets(self, product: Product) -> Iterator[Preset]:
        section = product.medical
        known = {each.name: each for each in (section.presets if section else ())}
        yield from (known[name] for name in self.presets or known if name in known)

    def points(self, product: Product) -> Points:
        """Each parameter at each preset, what settles first in front."""
        section = product.medical
        parameters = [
            each
            for each in (section.parameters if section else ())
            if not self.parameters or each.name in self.parameters
        ]
        return tuple(
            Point(
                f"{preset.name}, {parameter.title}",
                {"preset": preset, "parameter": parameter, "target": target},
            )
            for preset in self._presets(product)
            for parameter in sorted(parameters, key=lambda each: each.settles)
            if (target := preset.target(parameter))
        )

    def is_measured(self, quantity: str, point: Point) -> bool:
        """A figure is of its own quantity; what is seen has none."""
        return _parameter(point).quantity == quantity

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The target with its tolerance, as the product has them, unless a limit is written.

        All that the presets ask must have been read, figure or not: else nothing is decided.
        """
        found = dict(limits)
        for point in points:
            if (own := _usual(point)) is not None:
                found.setdefault(_measurand(point), own)
        found[Measurand(READ)] = Limit(
            dimension=NUMBER.name, minimum=float(len(points)), source=EVERYTHING
        )
        return found

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Give one preset after another, and have what the device shows read at each."""
        found = _Found()
        ask = Ask(
            "Connect the stimulus and switch the device on.",
            (IT_IS_ON, CANNOT),
            passing=IT_IS_ON,
            hands_in=True,
            position="on",
        )
        answer = yield from do(ask)
        if answer.choice != IT_IS_ON:
            return Measured(faults=(Fault(Cause.NO_CONTACT),), note=answer.note)
        groups: dict[str, list[Point]] = {}
        for point in points:
            groups.setdefault(_preset(point).name, []).append(point)
        done = 0
        for group in groups.values():
            yield from do(At(_preset(group[0]).name, done + 1, len(points)))
            programme = self._programme(_preset(group[0]), self._longest_s(points))
            level = yield from do(Source(STIMULUS, programme))
            if level.look is None:
                break
            began_s = level.look.sample.elapsed_s
            if not (yield from self._read(group, began_s, limits, found)):
                break
            done += len(group)
        yield from do(Off(STIMULUS))
        if done == len(points):
            found.readings.append(Reading(READ, float(done), NUMBER))
        return found.measured()

    def _longest_s(self, points: Points) -> float:
        """How long the stimulus is on at most, in s, for all presets together."""
        return min(MOST_S, len({_preset(point).name for point in points}) * self.at_most + OVER_S)

    def _programme(self, preset: Preset, longest_s: float) -> dict[str, float]:
        given = {
            SETS[quantity]: parse(text, DIMENSIONS[quantity])
            for quantity, text in preset.give.items()
        }
        return {**given, "dwell_s": longest_s}

    def _read(
        self, group: Sequence[Point], began_s: float, limits: Limits, found: _Found
    ) -> Asking[bool]:
        """Have a preset's figures read, those again that were read too early."""
        left = list(group)
        name = _preset(group[0]).name
        while left:
            asked = Answered(
                f"{name.capitalize()}: what does the device show?",
                entries=tuple(_entry(point, limits) for point in left),
            )
            held = yield from do(Hold(STIMULUS, (asked, For(self.at_most))))
            if held.met != asked or held.answer is None:
                found.notes.append(f"Nobody read the figures of {name}.")
                return False
            since_s = held.last.sample.elapsed_s - began_s
            early = [point for point in left if _parameter(point).settles > since_s]
            for point in left:
                if point not in early:
                    self._take(point, held, held.answer, found)
            left = early
            if early:
                names = ", ".join(_parameter(point).title for point in early)
                wait_s = max(_parameter(point).settles for point in early) - since_s
                text = f"{names}: read {display(since_s, TIME, 2)} after the stimulus, not settled."
                found.notes.append(f"{name.capitalize()}, {text}")
                yield from do(Tell(f"{text} It is asked for again.", is_refusal=True))
                yield from do(Hold(STIMULUS, (For(wait_s),)))
        return True

    def _take(self, point: Point, held: Held, answer: Answer, found: _Found) -> None:
        """Take what was read of one parameter."""
        parameter, target = _parameter(point), str(point.values["target"])
        name = parameter.name
        told = answer.values.get(name, "")
        beside = answer.beside.get(name, BARE)
        if beside.note:
            found.notes.append(f"{point.name}: {beside.note}")
        if beside.picture:
            found.notes.append(f"{point.name}: photo {beside.picture[:12]}.")
        if parameter.dimension is None:
            found.notes.append(f"{point.name}: {told}.")
            if told != target:
                text = f"{point.name}: {told} where {target} was expected."
                found.faults.append(Fault(Cause.ANSWERED_FAIL, point.name, text))
            return
        found.doubts += self._not_given(point, held)
        if beside.target:
            self._retarget(point, beside, answer.account, found)
        if not told:
            return  # a photo stands for it
        found.readings.append(_shown(point, told, held))

    def _not_given(self, point: Point, held: Held) -> Iterator[Doubt]:
        """Why the figure is none of this preset: the stimulus did not give what it was set to."""
        parameter, preset = _parameter(point), _preset(point)
        quantity = parameter.quantity
        if quantity is None or quantity not in preset.give or parameter.dimension is None:
            return
        dimension = parameter.dimension
        wanted = parse(preset.give[quantity], dimension)
        there = held.last.reading(quantity, dimension)
        tolerance = parse(parameter.tolerance, dimension) if parameter.tolerance else 0.0
        room = max(tolerance * SHARE, 3 * there.uncertainty)
        if not abs(there.value - wanted) <= room:
            given, asked = display(there.value, dimension), display(wanted, dimension)
            yield Doubt(held.last.instrument, f"gave {given} where it was set to {asked}")

    def _retarget(self, point: Point, changed: Beside, account: str, found: _Found) -> None:
        parameter, former = _parameter(point), point.values["target"]
        told = (
            f"target {changed.target} for this device in place of {former}: {changed.reason} "
            f"({account or 'nobody named'})"
        )
        found.notes.append(f"{point.name}: {told}.")
        if parameter.quantity is not None and parameter.tolerance:
            limit = _about(parameter, changed.target, LimitSource(engineer=told))
            found.retargeted[_measurand(point)] = limit

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """A stimulus."""
        return (Demand(STIMULUS, "dwell_s", self.at_most, TIME, "at_most"),)

    def demands_at(self, points: Points) -> tuple[Demand, ...]:
        """All that the presets give, for so long."""
        longest = Demand(STIMULUS, "dwell_s", self._longest_s(points), TIME, "at_most")
        presets = {_preset(point).name: _preset(point) for point in points}
        return longest, *(
            Demand(
                STIMULUS,
                SETS[quantity],
                parse(text, DIMENSIONS[quantity]),
                DIMENSIONS[quantity],
                "presets",
            )
            for preset in presets.values()
            for quantity, text in preset.give.items()
        )

    def programmed_s(self, points: Points) -> float:
        longest: dict[str, float] = {}
        for point in points:
            name = _preset(point).name
            longest[name] = max(longest.get(name, 0.0), _parameter(point).settles)
        return sum(longest.values())

    def advice(self, step: Considered) -> Iterator[Advice]:
        """A display that shows the same at every preset must not pass."""
        wide: dict[str, list[Limit]] = {}
        for measurand, limit in step.limits.items():
            wide.setdefault(measurand.quantity, []).append(limit)
        for quantity in SETS.keys() & wide.keys():
            limits = wide[quantity]
            lowest = max(limit.minimum or -math.inf for limit in limits)
            highest = min(limit.maximum or math.inf for limit in limits)
            if len(limits) > 1 and lowest <= highest:
                yield Advice(
                    "same_at_every_preset",
                    Severity.ERROR,
                    f"a device that always shows the same {quantity} passes at every preset.",
                    "Set closer tolerances, or presets that are further apart.",
                )
            elif len(limits) == 1:
                yield Advice(
                    "same_at_every_preset",
                    Severity.WARNING,
                    f"reads {quantity} at one preset alone: a display that stands still passes.",
                    "Read it at two presets at least.",
                )

    def leaves_switch(self) -> str:
        return "on"

    def fails_when_empty(self, limits: Limits) -> bool:
        return True


def _preset(point: Point) -> Preset:
    preset: Preset = point.values["preset"]
    return preset


def _parameter(point: Point) -> Parameter:
    parameter: Parameter = point.values["parameter"]
    return parameter


def _measurand(point: Point) -> Measurand:
    """What a figure is of."""
    return Measurand(_parameter(point).quantity or "", point.name)


def _usual(point: Point) -> Limit | None:
    """The limit that a figure has by its product; None for what has no tolerance."""
    parameter, target = _parameter(point), str(point.values["target"])
    if parameter.quantity is None or not parameter.tolerance:
        return None
    return _about(parameter, target, LimitSource(engineer=f"target {target} of the product"))


def _entry(point: Point, limits: Limits) -> Entry:
    """How a parameter is asked for; the target is changed where it is the product's that counts."""
    parameter = _parameter(point)
    usual = _usual(point)
    return Entry(
        parameter.name,
        parameter.title,
        parameter.dimension,
        () if parameter.dimension else (*SEEN[parameter.capture], *_UNSEEN[parameter.capture]),
        str(point.values["target"]),
        parameter.step,
        parameter.photo,
        parameter.settles,
        may_retarget=usual is not None and limits.get(_measurand(point)) == usual,
    )


_UNSEEN: Mapping[str, tuple[str, ...]] = {"yes_no": (), "pass_fail": ("fail",)}


def _about(parameter: Parameter, target: str, source: LimitSource) -> Limit:
    """The limit that a target and its tolerance make."""
    dimension: Dimension = DIMENSIONS[parameter.quantity or ""]
    value, tolerance = parse(target, dimension), parse(parameter.tolerance, dimension)
    fields: dict[str, Any] = {
        "dimension": dimension.name,
        "minimum": value - tolerance,
        "maximum": value + tolerance,
        "source": source,
    }
    return Limit(**fields)


def _shown(point: Point, told: str, held: Held) -> Reading:
    """What was read of the display; as fine as its step, and as sure as the stimulus."""
    parameter = _parameter(point)
    dimension = DIMENSIONS[parameter.quantity or ""]
    given = held.last.reading(parameter.quantity or "", dimension)
    half = parse(parameter.step, dimension) / math.sqrt(3) if parameter.step else 0.0
    return Reading(
        parameter.quantity or "",
        parse(told, dimension),
        dimension,
        point.name,
        uncertainty=math.hypot(half, given.uncertainty),
    )
