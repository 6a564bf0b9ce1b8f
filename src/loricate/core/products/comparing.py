"""What two standards ask of one product, side by side."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import get_args

from loricate.core.leakage.table import CONDITION_WORDS
from loricate.core.leakage.taps import WORDS, Path
from loricate.core.limits.fitting import fit
from loricate.core.limits.limit_sets import LimitSetItem, LimitSets
from loricate.core.products.offer import OfferedLimit, offered_limits
from loricate.core.products.product import Product


class NoSuchStandard(ValueError):
    """A standard that no limit set is of, in a sentence."""


@dataclass(frozen=True, slots=True)
class Compared:
    """One thing that is tested, and what each of two standards asks there; empty: nothing.

    ``kind`` and ``reading`` are of the step, ``what`` tells apart what a kind measures several of.
    """

    kind: str
    reading: str
    what: str
    one: tuple[str, ...]
    other: tuple[str, ...]

    @property
    def differs(self) -> bool:
        """Whether the two ask for something else."""
        return self.one != self.other


def standards_of(limit_sets: LimitSets) -> tuple[str, ...]:
    """The standards that there are limit sets of."""
    return tuple(sorted({limit_set.standard for limit_set, _ in limit_sets.values()}))


def compared(product: Product, limit_sets: LimitSets, one: str, other: str) -> tuple[Compared, ...]:
    """Every limit that either of two standards has for a product, with the other's beside it.

    Raises NoSuchStandard.
    """
    known = standards_of(limit_sets)
    for name in (one, other):
        if name not in known:
            raise NoSuchStandard(
                f"there is no limit set of '{name}'; there are {', '.join(known)}."
            )
    asked: dict[tuple[str, str, str], dict[str, list[str]]] = {}
    for offered in offered_limits(product, limit_sets):
        standard = offered.limit_set.standard
        if standard not in (one, other) or not offered.holds or not offered.item.kind:
            continue
        for what in _whats(offered.item, product):
            key = offered.item.kind, offered.item.reading, what
            asked.setdefault(key, {}).setdefault(standard, []).append(_text(offered))
    return tuple(
        Compared(kind, reading, what, *(tuple(by.get(name, ())) for name in (one, other)))
        for (kind, reading, what), by in sorted(asked.items(), key=lambda each: each[0][0])
    )


def _whats(item: LimitSetItem, product: Product) -> Iterator[str]:
    """What an item is about, in the same words for every standard."""
    if item.kind != "leakage":
        yield ""
        return
    types: list[str] = [
        each
        for each in dict.fromkeys(part.type for part in product.applied_parts)
        if "applied_part" in item.fits and fit(item, product.facts.at({"applied_part": each})).holds
    ]
    paths = [WORDS[path] for path in get_args(Path) if path in item.variant.get("path", ())]
    for path in paths or ["any path"]:
        for condition in _conditions(item):
            for kind in types or [""]:
                told = [path, f"type {kind}" if kind else "", condition]
                yield ", ".join(filter(None, told))


def _conditions(item: LimitSetItem) -> list[str]:
    """In which conditions an item counts: both single faults together, where it is for both."""
    named = item.variant.get("condition", ("normal",))
    if set(CONDITION_WORDS) <= set(named):
        return ["single fault", *("" for each in named if each not in CONDITION_WORDS)]
    return [CONDITION_WORDS.get(each, "") for each in named]


def _text(offered: OfferedLimit) -> str:
    """What an item asks: figure, how the test must be, and for which method, where it says so."""
    item = offered.item
    method = " or ".join(item.variant.get("method", ()))
    # Where several items of a set are chosen by hand, they differ by what they are for.
    named = item.applies if item.by_name or item.kind != "leakage" else ""
    told = ", ".join(filter(None, (offered.figure, offered.demands, method, named)))
    return f"{told} ({item.clause})" if item.clause else told
