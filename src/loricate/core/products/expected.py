"""What must have been tested of a product: by its family and class, and by the limit sets cited.

An expectation names kinds of step of which one must be performed, measured and passed. A site may
leave one out for a product, by name and reason, which the certificate then says.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from loricate.core.limits.fitting import fit
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Verdict
from loricate.core.products.families import FAMILIES
from loricate.core.products.families.section import ACROSS, EARTH, Expectation, Occasion
from loricate.core.products.product import NotTested, Product


@dataclass(frozen=True, slots=True)
class Done:
    """What came of a step in the end: its kind, its verdict, and whether an instrument measured."""

    kind: str
    verdict: Verdict
    is_measured: bool


def expected_tests(product: Product, occasions: Iterable[Occasion]) -> list[Expectation]:
    """What a product's family and protection class ask for on any of these; waivers left in."""
    wanted: list[Expectation] = []
    if product.protection_class == "I":
        wanted.append(Expectation(EARTH, "the protective earth of class I"))
    asked = [*wanted, *FAMILIES[product.family].expected]
    here = set(occasions)
    return [each for each in asked if not each.occasions or here & set(each.occasions)]


def asked_by_sets(
    product: Product, cited: Iterable[str], limit_sets: LimitSets
) -> list[Expectation]:
    """What the limit sets that a sequence cites ask for: the kinds of their items that fit.

    Earth may be tested by either of its kinds, and insulation where a set has both by either.
    """
    wanted: dict[Expectation, None] = {}
    for code in sorted(set(cited)):
        known = limit_sets.get(code)
        if known is None:
            continue
        kinds = {
            item.kind
            for item in known[0].items
            if item.kind and not item.by_name and fit(item, product.facts).holds
        }
        for group in (EARTH, ACROSS):
            if kinds & set(group):
                chosen = EARTH if group is EARTH else tuple(k for k in ACROSS if k in kinds)
                wanted[Expectation(chosen, f"what {code} asks")] = None
        wanted |= {
            Expectation((kind,), f"what {code} asks"): None
            for kind in sorted(kinds - {*EARTH, *ACROSS})
        }
    return list(wanted)


def is_left_out(not_tested: Iterable[NotTested], expectation: Expectation) -> bool:
    """Whether the product's waivers leave an expectation out."""
    left = {waiver.kind for waiver in not_tested}
    return set(expectation.kinds) <= left


def is_met(expectation: Expectation, done: Mapping[str, Done]) -> bool:
    """Whether some step of a kind expected was performed, measured and passed."""
    return any(
        each.kind in expectation.kinds and each.verdict is Verdict.PASS and each.is_measured
        for each in done.values()
    )
