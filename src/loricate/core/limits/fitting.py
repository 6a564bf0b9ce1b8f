"""Which items of a limit set hold for a product, one of its points, and a step."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.limits.limit_sets import LimitSetItem
from loricate.core.quantities import display


@dataclass(frozen=True, slots=True)
class Decided:
    """One thing that an item asks: whether it is met, whether it is known, and a sentence."""

    met: bool
    known: bool
    told: str


@dataclass(frozen=True, slots=True)
class Fit:
    """Whether an item holds for a product, and what decided it."""

    decided: tuple[Decided, ...]

    @property
    def holds(self) -> bool:
        """Whether all is met. What is not known is not met."""
        return all(each.met for each in self.decided)

    @property
    def reasons(self) -> tuple[str, ...]:
        """What decided it."""
        return tuple(each.told for each in self.decided)

    @property
    def contradictions(self) -> tuple[str, ...]:
        """What is known that the item is not for; what is not known contradicts nothing."""
        return tuple(each.told for each in self.decided if each.known and not each.met)


def fit(item: LimitSetItem, facts: Facts) -> Fit:
    """Hold what an item asks for against what is known."""
    return Fit(tuple(_decide(item, facts)))


def _decide(item: LimitSetItem, facts: Facts) -> Iterator[Decided]:
    for name, wanted in item.fits.items():
        own = facts.word(name)
        met = bool(set(own) & set(wanted))
        told = f"{name.replace('_', ' ')} {' and '.join(own) or 'not given'}"
        yield Decided(met, bool(own), told if met else f"{told}, not {' or '.join(wanted)}")
    for trait in item.lacks:
        met, word = trait not in facts.word("traits"), trait.replace("_", " ")
        yield Decided(met, True, f"not {word}" if met else f"is {word}")
    for name, span in item.spans.items():
        word, value = name.replace("_", " "), facts.numbers.get(name)
        if value is None:
            yield Decided(False, False, f"{word} not given, not {span.text}")
        elif span.holds(value):
            yield Decided(True, True, f"{word} {span.text}")
        else:
            shown = display(value, NUMBERS[name])
            yield Decided(False, True, f"{word} {shown}, not {span.text}")


def is_variant(item: LimitSetItem, values: Mapping[str, Any]) -> bool:
    """Whether a step with these settings is the variant that the item is for."""
    return all(str(values.get(name)) in wanted for name, wanted in item.variant.items())


def variant_text(item: LimitSetItem) -> str:
    """The settings of the step that an item is for, in words."""
    return ", ".join(
        f"{name.replace('_', ' ')} {' or '.join(each.replace('_', ' ') for each in wanted)}"
        for name, wanted in item.variant.items()
    )
