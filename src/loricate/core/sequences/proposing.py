"""A step filled from a limit set for a product, to be looked at and taken over."""

from dataclasses import dataclass
from typing import Any

from loricate.core.kinds import find_kind
from loricate.core.limits.fitting import fit
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.left_out import LeftOut
from loricate.core.products.product import Product


class NothingToPropose(ValueError):
    """No step can be filled, in a sentence."""


@dataclass(frozen=True, slots=True)
class ProposedStep:
    """A step as a document has it, and what of the standard's table it leaves out, and why."""

    step: dict[str, Any]
    left_out: tuple[LeftOut, ...]
    points: int


def proposed_step(kind_name: str, product: Product, limit_set: LimitSet) -> ProposedStep:
    """Fill a step of a kind with all that a limit set limits of such a product.

    Raises NothingToPropose where the kind is none, the set limits nothing of it here, or it does
    not decide how the step is set.
    """
    kind = find_kind(kind_name)
    if kind is None:
        raise NothingToPropose(f"'{kind_name}' is not a kind of step.")
    if not kind.is_filled:
        told = f"a standard does not decide how a {kind.name} step is set; set it by hand."
        raise NothingToPropose(told)
    if why_not := kind.why_not(product):
        raise NothingToPropose(f"{kind.title} is not on offer for {product.code}: {why_not}.")
    items = [
        item
        for item in limit_set.items
        if item.kind == kind.name
        and item.is_limit
        and not item.by_name
        and fit(item, product.facts).holds
    ]
    if not items:
        raise NothingToPropose(
            f"{limit_set.code} limits nothing of a {kind.name} step for product {product.code}."
        )
    written = kind.proposed(product, items)
    settings = kind.model_validate(written)
    readings = dict.fromkeys(item.reading for item in items)
    filled = {
        "id": kind.name,
        "kind": kind.name,
        "title": f"{kind.title}, {limit_set.standard}",
        "settings": written,
        "limits": {reading: {"source": limit_set.code} for reading in readings},
    }
    return ProposedStep(filled, settings.left_out(product), len(settings.points(product)))
