"""What a review looks at, what it finds, and the table of its rules."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from loricate.core.kinds.advice import Severity
from loricate.core.kinds.wiring import WiringStep
from loricate.core.limits.facts import Facts
from loricate.core.limits.fitting import fit, is_variant
from loricate.core.limits.limit_sets import LimitSet, LimitSetItem, LimitSets
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Measurand
from loricate.core.measuring.roles import Role
from loricate.core.products.families.section import Occasion
from loricate.core.products.product import Product
from loricate.core.sequences.capability import Instruments, can_do
from loricate.core.sequences.ready import ReadySequence, ReadyStep


@dataclass(frozen=True, slots=True)
class ReviewFinding:
    """One finding: by which rule, where (a step's id, empty for the whole), why, and the remedy."""

    severity: Severity
    step: str
    reason: str
    remedy: str
    rule: str = ""


@dataclass(frozen=True, slots=True)
class FittingItem:
    """An item of a limit set that holds for the product under review."""

    limit_set: LimitSet
    item: LimitSetItem

    @property
    def source(self) -> str:
        """How a step cites it."""
        return f"{self.limit_set.code}/{self.item.id}"


@dataclass(frozen=True)
class Reviewed:
    """A sequence under review, with what is known of the bench and of the limits it cites.

    Without a bench, ``bench`` is None and what depends on instruments is not looked at. ``nests``
    is how many units a load has; ``earthed`` what of a unit each fixture of the bench earths.
    """

    sequence: ReadySequence
    limit_sets: LimitSets = field(default_factory=dict)
    bench: Instruments | None = None
    nests: int = 4
    earthed: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @property
    def product(self) -> Product:
        """The product that the sequence is for."""
        return self.sequence.product

    @property
    def occasions(self) -> tuple[Occasion, ...]:
        """On which it is used."""
        return self.sequence.occasions

    @property
    def steps(self) -> tuple[ReadyStep, ...]:
        """The steps in their order."""
        return self.sequence.steps

    def of_kind(self, *names: str) -> list[ReadyStep]:
        """The steps of these kinds, in their order."""
        return [step for step in self.steps if step.kind.name in names]

    @cached_property
    def fitting(self) -> Mapping[str, Sequence[FittingItem]]:
        """What of all limit sets holds for the product, by kind of step."""
        found: dict[str, list[FittingItem]] = {}
        for _, (limit_set, _) in sorted(self.limit_sets.items()):
            for item in limit_set.items:
                if fit(item, self.product.facts).holds:
                    found.setdefault(item.kind, []).append(FittingItem(limit_set, item))
        return found

    @cached_property
    def after_temperature(self) -> frozenset[str]:
        """The steps before which one tells the unit's temperature."""
        told = (place for place, step in enumerate(self.steps) if step.kind.tells_temperature)
        first = next(told, len(self.steps))
        return frozenset(step.id for step in self.steps[first + 1 :])

    @cached_property
    def wired(self) -> frozenset[str]:
        """The steps before which another has found every contact of a cable connected."""
        found: set[str] = set()
        is_found = False
        for step in self.steps:
            if is_found:
                found.add(step.id)
            is_found = is_found or (step.kind is WiringStep and step.is_required)
        return frozenset(found)

    def facts_at(self, step: ReadyStep, point: str) -> Facts:
        """What limit sets may ask of the product at a point of a step."""
        values = {each.name: each.values for each in step.points}
        return self.product.facts.at(values.get(point, {}))

    @staticmethod
    def is_variant(item: LimitSetItem, step: ReadyStep, point: str = "") -> bool:
        """Whether a step is the variant that an item is for, at a point.

        What is of the step as a whole is of each of its points: one that is will do.
        """
        places = [point] if point else [each.name for each in step.points] or [""]
        return any(is_variant(item, step.written_at(each)) for each in places)

    def candidates(self, role: Role, step: ReadyStep) -> list[Capability]:
        """The instruments of a role that a step may take: each that can do it."""
        known = () if self.bench is None else self.bench.get(role, ())
        return [each for each in known if can_do(each, role, step.demands)]

    def cited_items(self, step: ReadyStep) -> dict[Measurand, LimitSetItem]:
        """The limit set items that a step's limits cite, by what they limit."""
        found = {}
        for name, limit in step.limits.items():
            known = self.limit_sets.get(limit.source.limit_set)
            item = known[0].find(limit.source.item) if known else None
            if item is not None:
                found[name] = item
        return found


Rule = Callable[[Reviewed], Iterator[ReviewFinding]]
RULES: dict[str, Rule] = {}


def rule(function: Rule) -> Rule:
    """Add a rule to the table under its function's name."""
    RULES[function.__name__] = function
    return function


__all__ = ["RULES", "FittingItem", "ReviewFinding", "Reviewed", "Rule", "Severity", "rule"]
