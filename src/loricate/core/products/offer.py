"""What is on offer for a product: kinds of step, and the limits of standards that hold for it."""

from collections.abc import Iterator
from dataclasses import dataclass

from loricate.core.kinds import KINDS
from loricate.core.limits.fitting import fit, variant_text
from loricate.core.limits.limit import Limit
from loricate.core.limits.limit_sets import LimitSet, LimitSetItem, LimitSets
from loricate.core.products.product import Product
from loricate.core.quantities import DIMENSIONS, exact_text


@dataclass(frozen=True, slots=True)
class OfferedKind:
    """A kind of step; ``why_not`` is empty when it is on offer.

    One that ``is_filled`` can be set as a limit set has it.
    """

    name: str
    title: str
    why_not: str
    is_filled: bool


@dataclass(frozen=True, slots=True)
class OfferedLimit:
    """One item of a limit set held against a product, with what decided it.

    ``figure`` is its limit in words for this product, ``demands`` what the test must be for it to
    count, ``variant`` the variant of the step that it is for.
    """

    limit_set: LimitSet
    revision: int
    item: LimitSetItem
    holds: bool
    reasons: tuple[str, ...]
    figure: str
    demands: str

    @property
    def variant(self) -> str:
        """The settings of the step that the item is for, in words."""
        return variant_text(self.item)


def offered_kinds(product: Product) -> tuple[OfferedKind, ...]:
    """Every kind, by name, with the reason where it is not on offer."""
    return tuple(
        OfferedKind(kind.name, kind.title, kind.why_not(product), kind.is_filled)
        for _, kind in sorted(KINDS.items())
    )


def offered_limits(product: Product, limit_sets: LimitSets) -> tuple[OfferedLimit, ...]:
    """Every item of every set, those that hold first within their set."""
    return tuple(
        each
        for _, (limit_set, revision) in sorted(limit_sets.items())
        for each in sorted(_items(product, limit_set, revision), key=lambda each: not each.holds)
    )


def _items(product: Product, limit_set: LimitSet, revision: int) -> Iterator[OfferedLimit]:
    for item in limit_set.items:
        found = fit(item, product.facts)
        holds, reasons = found.holds, found.reasons
        figure = demands = ""
        try:
            demands = demands_text(item, product)
            low, high = item.figures(product.facts)
            figure = Limit(dimension=item.dimension, minimum=low, maximum=high).text
        except ValueError as error:
            holds, reasons = False, (*reasons, str(error))
        if item.by_name:
            reasons = (*reasons, "counts where it is cited by name")
        yield OfferedLimit(limit_set, revision, item, holds, reasons, figure, demands)


def demands_text(item: LimitSetItem, product: Product) -> str:
    """What the test must be for the item's limit to count: ``current at least 10 A``."""
    parts = [
        f"{name} at least {exact_text(value, dimension)}"
        for name, (value, dimension) in item.least_of(product.facts).items()
    ]
    parts += [f"{name} at most {edge}" for name, edge in item.most.items()]
    if item.dc_factor is not None:
        level, dimension = item.least_of(product.facts).get("level", (None, DIMENSIONS["voltage"]))
        if level is not None:
            dc = exact_text(item.dc_level(level), dimension)
            parts.append(f"or DC {dc} ({item.dc_factor:g} times)")
    return ", ".join(parts)
