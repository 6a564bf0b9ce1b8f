"""Which items of a limit set hold for a product, one of its points, and a step."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.quantities import display


@dataclass(frozen=True, slots=True)
class Fit:
    """Whether an item holds for a product, and what decided it."""

    holds: bool
    reasons: tuple[str, ...]


def fit(item: LimitSetItem, facts: Facts) -> Fit:
    """Hold an item's conditions against what is known. What is not known is not met."""
    holds, reasons = True, []

    def decide(met: bool, yes: str, no: str) -> None:
        nonlocal holds
        holds = holds and met
        reasons.append(yes if met else no)

    for name, wanted in item.fits.items():
        word = name.replace("_", " ")
        own = facts.word(name)
        shown, asked = " and ".join(own) or "not given", " or ".join(wanted)
        decide(bool(set(own) & set(wanted)), f"{word} {shown}", f"{word} {shown}, not {asked}")
    for trait in item.lacks:
        word = trait.replace("_", " ")
        decide(trait not in facts.word("traits"), f"not {word}", f"is {word}")
    for name, span in item.spans.items():
        word, value = name.replace("_", " "), facts.numbers.get(name)
        shown = "not given" if value is None else display(value, NUMBERS[name])
        met = value is not None and span.holds(value)
        decide(met, f"{word} {span.text}", f"{word} {shown}, not {span.text}")
    return Fit(holds, tuple(reasons))


def contradictions(item: LimitSetItem, facts: Facts) -> tuple[str, ...]:
    """What is known that an item is not for; what is not known contradicts nothing."""
    found = []
    for name, wanted in item.fits.items():
        own = facts.word(name)
        if own and not set(own) & set(wanted):
            word = name.replace("_", " ")
            found.append(f"{word} {' and '.join(own)}, not {' or '.join(wanted)}")
    found += [
        f"is {trait.replace('_', ' ')}" for trait in item.lacks if trait in facts.word("traits")
    ]
    for name, span in item.spans.items():
        value = facts.numbers.get(name)
        if value is not None and not span.holds(value):
            shown = display(value, NUMBERS[name])
            found.append(f"{name.replace('_', ' ')} {shown}, not {span.text}")
    return tuple(found)


def is_variant(item: LimitSetItem, values: Mapping[str, Any]) -> bool:
    """Whether a step with these settings is the variant that the item is for."""
    return all(str(values.get(name)) in wanted for name, wanted in item.variant.items())


def variant_text(item: LimitSetItem) -> str:
    """The settings of the step that an item is for, in words."""
    return ", ".join(
        f"{name.replace('_', ' ')} {' or '.join(each.replace('_', ' ') for each in wanted)}"
        for name, wanted in item.variant.items()
    )
