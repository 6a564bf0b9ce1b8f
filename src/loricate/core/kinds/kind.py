"""What a kind of step is: the settings of its steps, and what is done and judged by them.

A kind is a subclass of ``KindSettings``: its fields are what an engineer sets, its class variables
what every step of the kind has, its methods what one step does with its settings. All but
``procedure`` have defaults. ``loricate.core.kinds`` lists the kinds that ship; others are added by
``register``.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, ClassVar, Literal, get_origin

from pydantic import BaseModel, ConfigDict

from loricate.core.errors import AlreadyRegistered
from loricate.core.kinds.advice import Advice, Considered
from loricate.core.limits.limit import Limit
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.measuring.actions import Procedure
from loricate.core.measuring.grading import Fault, GradedReading
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.measuring.readings import Bound, Measurand
from loricate.core.measuring.roles import Role
from loricate.core.products.left_out import LeftOut
from loricate.core.products.product import Product
from loricate.core.quantities import Dimension

Limits = Mapping[Measurand, Limit]
# Choices that people write otherwise than a document does.
CHOICE_WORDS = {"ac": "AC", "dc": "DC", "iec60601": "IEC 60601-1", "iec60990": "IEC 60990"}
Place = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class NominalPlace:
    """The ways to where a value to expect is written in a step, and its tolerance.

    ``usual`` is the least tolerance to propose, a fraction: one part says nothing of how far good
    parts differ.
    """

    nominal: Place
    tolerance: Place
    usual: float


MEASURED_OUTCOMES = frozenset({"pass", "fail", "inconclusive"})
ANSWERED_OUTCOMES = frozenset({"pass", "fail"})


@dataclass(frozen=True, slots=True)
class Point:
    """What of a unit a step measures: a path, a net, an applied part; unnamed, the unit as a whole.

    ``values`` are what is different there from the step's settings, and the sort of the point where
    limit sets ask for it (``applied_part``).
    """

    name: str = ""
    values: Mapping[str, Any] = field(default_factory=dict)


WHOLE = Point()
Points = Sequence[Point]


@dataclass(frozen=True, slots=True)
class LimitSlot:
    """A quantity that a kind can grade, and whether a limit must be given.

    Its dimension is None in a kind's table where the settings of the step decide it. Where the
    output is programmed from the limit (``programs``), nothing can be tried without it either. One
    that is ``of_whole`` is measured once, whatever points the step has. ``side`` is the one
    on which it must be limited for the limit to find anything: minimum or maximum.
    """

    dimension: Dimension | None
    needed: bool = False
    title: str = ""
    programs: bool = False
    of_whole: bool = False
    side: str = ""


@dataclass(frozen=True, slots=True)
class Demand:
    """What a step needs of an instrument: ``capability`` must reach ``value`` (SI units)."""

    role: Role
    capability: str
    value: float
    dimension: Dimension
    field: str


class KindSettings(BaseModel):
    """Base of every kind: its settings are immutable, and unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: ClassVar[str]
    title: ClassVar[str]
    slots: ClassVar[Mapping[str, LimitSlot]] = {}
    """What a step of this kind can grade, by quantity."""
    judged_by: ClassVar[tuple[str, ...] | None] = None
    """Quantities of which one at least must be limited: any where None, none where empty."""
    measured_as: ClassVar[Mapping[str, str]] = {}
    """The quantity that tells what came of a setting: what a standard asks of the setting at least,
    the measured value must hold too."""
    metered_as: ClassVar[Mapping[str, str]] = {}
    """What the instrument calls a quantity in its own figures, where it is another name."""
    meters: ClassVar[tuple[str, ...]] = ()
    """What is shown while an output is on: sampled quantities, and resistance where volts and
    amperes are sampled. All that is sampled where it is empty."""
    outcomes: ClassVar[frozenset[str]] = MEASURED_OUTCOMES
    """The outcomes that a step which was done can have."""
    ganged: ClassVar[Mapping[str, Bound]] = {}
    """How each quantity of units in parallel stands to one unit's part; without it the kind cannot
    be done together."""
    tells_temperature: ClassVar[bool] = False
    """Whether it tells the temperature that later steps correct their readings with."""
    is_filled: ClassVar[bool] = False
    """Whether a standard's limits decide how its steps are set: ``proposed`` says it then."""
    points_stand_alone: ClassVar[bool] = False
    """Whether some of its points can be measured again without the others."""
    advises: ClassVar[tuple[str, ...]] = ()
    """The rules under which ``advice`` finds something."""

    @classmethod
    def why_not(cls, product: Product) -> str:
        """Why the kind is not on offer for a product, or nothing."""
        return ""

    def points(self, product: Product) -> Points:
        """The points that the step measures of such a product."""
        return (WHOLE,)

    @classmethod
    def proposed(cls, product: Product, items: Sequence[LimitSetItem]) -> dict[str, Any]:
        """The settings, as a document has them, with which a step measures what items limit."""
        raise NotImplementedError

    def left_out(self, product: Product) -> tuple[LeftOut, ...]:
        """What the step, as it is set, does not measure of such a product, with the reasons."""
        return ()

    def is_measured(self, quantity: str, point: Point) -> bool:
        """Whether a quantity that it grades is measured at a point."""
        return True

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """A fresh generator that performs the step once; see ``core.measuring.actions``."""
        raise NotImplementedError

    def unfit(self, product: Product) -> Iterator[tuple[str, str, str]]:
        """What is set that such a product does not have: the setting, the reason, the remedy."""
        yield from ()

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        """The unit's terminals each setting names, by setting."""
        return {}

    def demands(self, limits: Limits) -> tuple[Demand, ...]:
        """What it needs of instruments; empty when a person alone does it."""
        return ()

    def demands_at(self, points: Points) -> tuple[Demand, ...]:
        """What it needs beside that for its points."""
        return ()

    def programmed_s(self, points: Points) -> float:
        """The time in s that it is programmed for, as a unit that passes takes it."""
        return 0.0

    def leads(self, points: Points) -> Mapping[Measurand, tuple[str, ...]]:
        """The contacts whose lead resistance is in a reading."""
        return {}

    def zeroed_contacts(self, points: Points) -> tuple[str, ...]:
        """The contacts whose lead zero the procedure itself takes off what it reckons with."""
        return ()

    def impedance_paths(self) -> tuple[ImpedancePath, ...]:
        """The paths that are zeroed open and shorted for it."""
        return ()

    def slots_here(self) -> Mapping[str, LimitSlot]:
        """What a step with these settings can grade."""
        return self.slots

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The limits that count, from those written for every point: a point may have its own."""
        return limits

    def explain(
        self, points: Points, readings: Sequence[GradedReading], faults: Sequence[Fault]
    ) -> Iterator[Fault]:
        """What is wrong with the unit, in sentences, where readings are out of their limits.

        ``faults`` are those that were found outright: what they explain is not said again.
        """
        yield from ()

    def place_of_limit(self, measurand: Measurand) -> Place | None:
        """The way to where the limit of a reading is written in a step; None if it has none."""
        is_known = measurand.quantity in self.slots_here()
        return ("limits", measurand.quantity) if is_known else None

    def place_of_nominal(self, measurand: Measurand) -> NominalPlace | None:
        """Where a measured value is written as the one to expect; None where limits say that."""
        return None

    def earthed_after(self) -> float:
        """How long the unit stays earthed after it, in times of its time under voltage."""
        return 0.0

    def fails_when_empty(self, limits: Limits) -> bool:
        """Whether the step fails, or decides nothing, when nothing is in the nest."""
        return False

    def shares_terminals(self) -> bool:
        """Whether two settings or points of the step may name the same terminal."""
        return False

    def why_not_together(self) -> str:
        """Why a step so set cannot be done to units in parallel, or nothing."""
        return ""

    def takes_isolated(self) -> bool:
        """Whether what it measures must not flow to earth past its meter, as through a case would
        that the fixture earths."""
        return False

    def bends(self) -> bool:
        """Whether somebody bends the unit meanwhile: what is loose shows in no other step."""
        return False

    def measures_high(self) -> bool:
        """Whether a source measures on its high side for it, which is less fine."""
        return False

    def wants_switch(self) -> str:
        """Where the unit's own switch must stand, ``on`` or ``off``; empty where it is all one."""
        return ""

    def leaves_switch(self) -> str:
        """Where the unit's own switch stands after it; empty where it is all one."""
        return self.wants_switch()

    def advice(self, step: Considered) -> Iterator[Advice]:
        """What a review should say of such a step, besides what holds for every kind."""
        yield from ()

    @property
    def has_levels(self) -> tuple[str, ...]:
        """The settings that are levels, which count with the step's tolerance."""
        fields = type(self).model_fields
        names = ("level", "current", "supply") if "tolerance" in fields else ()
        return tuple(name for name in names if name in fields and name in self.measured_as)

    @property
    def conditions(self) -> str:
        """Every setting that has a value, with its title: ``Test voltage 1 kV, Dwell 1 s``."""
        parts = []
        for name, value in self.model_dump(mode="json").items():
            if value is None or value in ([], "") or name in ("question", "questions"):
                continue
            title = type(self).model_fields[name].title or name
            parts.append(f"{title} {_in_words(self, name, value)}")
        return ", ".join(parts)


LONG_S = 600.0  # from which on whole minutes and hours are said as such


def _in_words(settings: KindSettings, name: str, written: Any) -> str:
    """A setting's value for people: a choice in words, several values together."""
    value = getattr(settings, name)
    if isinstance(value, tuple):
        return "+".join(CHOICE_WORDS.get(str(each), str(each).replace("_", " ")) for each in value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, StrEnum):
        return str(value).replace("_", " ")
    if get_origin(type(settings).model_fields[name].annotation) is Literal:
        return CHOICE_WORDS.get(value, str(value).replace("_", " "))
    if isinstance(value, float) and value >= LONG_S and str(written).endswith(" s"):
        unit, seconds = ("h", 3600.0) if value % 3600 == 0 else ("min", 60.0)
        if value % seconds == 0:
            return f"{value / seconds:g} {unit}"
    return str(written)


Kind = type[KindSettings]
KINDS: dict[str, Kind] = {}


def register(kind: Kind) -> Kind:
    """Add a kind to the table; raises AlreadyRegistered for a name that is taken."""
    if kind.name in KINDS:
        raise AlreadyRegistered("kind", kind.name)
    KINDS[kind.name] = kind
    return kind


def find_kind(name: str) -> Kind | None:
    """Give the kind of this name, or None."""
    return KINDS.get(name)
