"""What a kind is, and the table of kinds that refuses duplicates."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict

from loricate.core.errors import AlreadyRegistered
from loricate.core.limits.limit import Limit
from loricate.core.measuring.actions import Procedure, Role
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.measuring.readings import Bound
from loricate.core.products.product import Product
from loricate.core.quantities import Dimension


class KindSettings(BaseModel):
    """Base of every kind's settings: immutable, and unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    def terminals_used(self) -> Mapping[str, tuple[str, ...]]:
        """The unit's terminals each setting names, by setting."""
        return {}


@dataclass(frozen=True, slots=True)
class LimitSlot:
    """A quantity that a kind can grade, and whether a limit must be given.

    Its dimension is None in a kind's table where the settings of the step decide it. Where the
    output is programmed from the limit (``programs``), nothing can be tried without it either.
    """

    dimension: Dimension | None
    needed: bool = False
    title: str = ""
    programs: bool = False


@dataclass(frozen=True, slots=True)
class Demand:
    """What a step needs of an instrument: ``capability`` must reach ``value`` (SI units)."""

    role: Role
    capability: str
    value: float
    dimension: Dimension
    field: str


def _no_leads(settings: KindSettings) -> Mapping[str, tuple[str, ...]]:
    return {}


def _as_written(settings: KindSettings, limits: Mapping[str, Limit]) -> Mapping[str, Limit]:
    return limits


def _no_path(settings: KindSettings) -> ImpedancePath | None:
    return None


def _for_all(product: Product) -> str:
    return ""


Place = tuple[str | int, ...]
S = TypeVar("S", bound=KindSettings)


MEASURED_OUTCOMES = frozenset({"pass", "fail", "inconclusive"})
ANSWERED_OUTCOMES = frozenset({"pass", "fail"})


@dataclass(frozen=True, slots=True)
class Kind(Generic[S]):
    """One kind of step: its settings model, the quantities it grades, and its procedure.

    ``leads`` gives, by reading, the contacts whose lead resistance is in it, and ``impedance_path``
    the path that is zeroed open and shorted, if one is. ``judged_by`` names the readings
    of which one at least must be limited: any of them where it is None, none where it is empty.
    ``why_not`` says why the kind is not on offer for a product, or nothing. ``slots`` gives what a
    step can grade where its settings decide that, and ``graded`` the limits by reading where a step
    has several of one sort; ``limit_place`` then says where the limit of one of them is written.
    ``nominal`` names the settings that take a measured value as the one to expect, and its
    tolerance. ``ganged`` says how each reading of units in parallel stands to one unit's part; a
    kind without it cannot be done together. ``outcomes`` are those that a step which was done can
    have. ``measured_as`` names the reading that tells what came
    of a setting: what a standard asks of the setting at least, the measured value must hold too.
    """

    name: str
    title: str
    settings: type[S]
    limits: Mapping[str, LimitSlot]
    procedure: Callable[[S, Mapping[str, Limit]], Procedure]
    demands: Callable[[S, Mapping[str, Limit]], tuple[Demand, ...]]
    programmed_s: Callable[[S], float]
    measured_as: Mapping[str, str] = field(default_factory=dict)
    leads: Callable[[S], Mapping[str, tuple[str, ...]]] = _no_leads
    judged_by: tuple[str, ...] | None = None
    why_not: Callable[[Product], str] = _for_all
    slots: Callable[[S], Mapping[str, LimitSlot]] | None = None
    graded: Callable[[S, Mapping[str, Limit]], Mapping[str, Limit]] = _as_written
    impedance_path: Callable[[S], ImpedancePath | None] = _no_path
    limit_place: Callable[[S, str], Place | None] | None = None
    nominal: tuple[str, str] | None = None
    outcomes: frozenset[str] = MEASURED_OUTCOMES
    ganged: Mapping[str, Bound] = field(default_factory=dict)

    def __reduce__(self) -> tuple[Callable[[str], "Kind[Any]"], tuple[str]]:
        # Between processes a kind goes by its name; its functions are in each of them.
        return get_kind, (self.name,)

    def slots_of(self, settings: S) -> Mapping[str, LimitSlot]:
        """What a step with these settings can grade."""
        return self.limits if self.slots is None else self.slots(settings)

    def place_of_limit(self, settings: S, reading: str) -> Place | None:
        """The way to where the limit of a reading is written in a step; None if it has none."""
        if self.limit_place is not None:
            return self.limit_place(settings, reading)
        return ("limits", reading) if reading in self.slots_of(settings) else None


KINDS: dict[str, Kind[Any]] = {}


def register(kind: Kind[S]) -> Kind[S]:
    """Add a kind to the table; raises AlreadyRegistered for a name that is taken."""
    if kind.name in KINDS:
        raise AlreadyRegistered("kind", kind.name)
    KINDS[kind.name] = kind
    return kind


def find_kind(name: str) -> Kind[Any] | None:
    """Give the kind of this name, or None."""
    return KINDS.get(name)


def get_kind(name: str) -> Kind[Any]:
    """Give the kind of this name; raises KeyError."""
    return KINDS[name]
