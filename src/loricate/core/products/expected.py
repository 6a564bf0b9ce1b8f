"""What must have been tested of a product: by its family and class, and by the limit sets cited.

An expectation names kinds of step of which one must be performed, measured and passed. A site may
leave one out for a product, by name and reason, which the certificate then says.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from loricate.core.limits.fitting import fit
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Verdict
from loricate.core.products.product import NotTested, Product

EARTH, ACROSS = ("ground_bond", "continuity"), ("insulation", "withstand")


@dataclass(frozen=True, slots=True)
class Expectation:
    """Kinds of which one must be tested, and what for."""

    kinds: tuple[str, ...]
    purpose: str

    @property
    def text(self) -> str:
        """What is missing where none of the kinds was tested."""
        kinds = " or ".join(kind.replace("_", " ") for kind in self.kinds)
        return f"{self.purpose} ({kinds})"


@dataclass(frozen=True, slots=True)
class Done:
    """What came of a step in the end: its kind, its verdict, and whether an instrument measured."""

    kind: str
    verdict: Verdict
    is_measured: bool


def expected_tests(product: Product) -> list[Expectation]:
    """What a product's family and protection class ask for, waivers left in."""
    wanted: list[Expectation] = []
    if product.protection_class == "I":
        wanted.append(Expectation(EARTH, "the protective earth of class I"))
    match product.family:
        case "appliance":
            wanted.append(
                Expectation(("withstand",), "the insulation of an appliance at its level")
            )
        case "medical":
            level = "the insulation of medical equipment at its level"
            wanted.append(Expectation(("withstand",), level))
            leaks = "the leakage currents of medical equipment"
            wanted.append(Expectation(("leakage",), leaks))
        case "cable":
            wanted.append(Expectation(("continuity", "polarity"), "the conductors of a cable"))
            wanted.append(Expectation(ACROSS, "the insulation between the conductors"))
        case "winding":
            wanted.append(Expectation(("impedance", "continuity"), "the resistance of a winding"))
            wanted.append(Expectation(ACROSS, "the insulation of a winding"))
    return wanted


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
