"""Limit sets: the limits of a standard's edition, and which of them hold for a product and a step.

An item says which reading of which kind of step it limits, for which products (``fits``, ``lacks``,
``spans``) and which variant of the step (``variant``). Where the standard has a formula the item
has one too. ``least`` and ``most`` say what the test itself must be for the limit to count: its
current, level, dwell.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.limits.limit import Code, Limit, LimitEntry, LimitSource
from loricate.core.products.product import Product
from loricate.core.quantities import DIMENSIONS, Dimension, display, parse, parse_any

LimitSets = Mapping[str, tuple["LimitSet", int]]


class Formula(BaseModel):
    """A figure that grows with a property of the product, as plain data.

    ``base + add · (property - beyond) / per``, with the fraction rounded up to whole steps where
    the standard counts steps begun, held between ``at_least`` and ``at_most``.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    base: str
    add: str
    per: str
    of: str = Field(description="A property of the product, such as cord_length")
    beyond: str | None = None
    begun: bool = False
    at_least: str | None = None
    at_most: str | None = None

    def value(self, product: Product, dimension: Dimension) -> float | None:
        """The figure for a product, in the SI unit of ``dimension``; None without the property.

        Raises QuantityError for a figure of another dimension.
        """
        known: float | None = getattr(product, self.of)
        per, of_dimension = parse_any(self.per)
        beyond = 0.0 if self.beyond is None else parse(self.beyond, of_dimension)
        base, add = parse(self.base, dimension), parse(self.add, dimension)
        low = -math.inf if self.at_least is None else parse(self.at_least, dimension)
        high = math.inf if self.at_most is None else parse(self.at_most, dimension)
        if known is None:
            return None
        steps = max(0.0, (known - beyond) / per)
        if self.begun:
            # 12.5 m of cord have begun one step of 7.5 m; binary fractions must not make it two.
            steps = math.ceil(round(steps, 9))
        return min(max(base + add * steps, low), high)


class Span(BaseModel):
    """A stretch of a product's rating."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    above: str | None = None
    at_least: str | None = None
    at_most: str | None = None
    below: str | None = None

    def holds(self, value: float) -> bool:
        """Whether ``value`` (SI) lies in it."""
        return (
            (self.above is None or value > parse_any(self.above)[0])
            and (self.at_least is None or value >= parse_any(self.at_least)[0])
            and (self.at_most is None or value <= parse_any(self.at_most)[0])
            and (self.below is None or value < parse_any(self.below)[0])
        )

    @property
    def text(self) -> str:
        """The span in words."""
        return " and ".join(
            f"{name.replace('_', ' ')} {edge}"
            for name, edge in self.model_dump(exclude_none=True).items()
        )


class LimitSetItem(BaseModel):
    """One figure of a limit set: what it limits, for whom, and the clause it comes from."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code
    clause: str
    applies: str = Field(default="", description="In words")
    kind: str = Field(default="", description="The kind of step; empty for what none measures yet")
    reading: str = Field(default="", description="Which of the kind's readings is limited")
    dimension: str
    minimum: str | None = None
    maximum: str | None = None
    minimum_by: Formula | None = None
    maximum_by: Formula | None = None
    fits: dict[str, tuple[str, ...]] = Field(
        default_factory=dict, description="Property of the product: the values it may have"
    )
    lacks: tuple[str, ...] = Field(default=(), description="Traits that the product must not have")
    spans: dict[str, Span] = Field(default_factory=dict)
    variant: dict[str, tuple[str, ...]] = Field(
        default_factory=dict, description="Setting of the step: the values that the item is for"
    )
    by_name: bool = Field(
        default=False, description="Counts only where it is cited: the product does not tell"
    )
    least: dict[str, str] = Field(
        default_factory=dict, description="Setting of the step: the least it must be"
    )
    least_by: dict[str, Formula] = Field(default_factory=dict)
    most: dict[str, str] = Field(default_factory=dict)
    dc_factor: float | None = Field(
        default=None, gt=1, description="DC in place of AC: times the AC level"
    )

    @model_validator(mode="after")
    def _figures_fit(self) -> "LimitSetItem":
        if self.dimension not in DIMENSIONS:
            raise ValueError(f"dimension '{self.dimension}' is not one of {', '.join(DIMENSIONS)}.")
        figures = (self.minimum, self.maximum, self.minimum_by, self.maximum_by)
        demands = (self.least, self.least_by, self.most)
        if all(each is None for each in figures) and not any(demands):
            raise ValueError("has neither a minimum nor a maximum nor demands; give one of them.")
        for figure in (self.minimum, self.maximum):
            if figure is not None:
                parse(figure, DIMENSIONS[self.dimension])
        for own in (*self.fits, *self.spans):
            if own not in Product.model_fields and own != "applied_part":
                raise ValueError(f"'{own}' is not a property of a product.")
        for formula in (self.minimum_by, self.maximum_by, *self.least_by.values()):
            if formula is not None and formula.of not in Product.model_fields:
                raise ValueError(f"'{formula.of}' is not a property of a product.")
        for edge in (*self.least.values(), *self.most.values()):
            parse_any(edge)
        return self

    @property
    def is_limit(self) -> bool:
        """Whether it limits a reading, rather than only say what the test must be."""
        return any(
            each is not None
            for each in (self.minimum, self.maximum, self.minimum_by, self.maximum_by)
        )

    @property
    def test_settings(self) -> tuple[str, ...]:
        """The settings of the step of which it says the least."""
        return tuple(dict.fromkeys((*self.least, *self.least_by)))

    def figures(self, product: Product | None) -> tuple[float | None, float | None]:
        """Minimum and maximum in SI units for a product.

        Raises ValueError when a formula needs a property that the product does not give.
        """
        dimension = DIMENSIONS[self.dimension]

        def figure(plain: str | None, formula: Formula | None) -> float | None:
            if plain is not None:
                return parse(plain, dimension)
            if formula is None:
                return None
            value = formula.value(product, dimension) if product is not None else None
            if value is None:
                named = "the product" if product is None else f"product '{product.code}'"
                raise ValueError(f"'{self.id}' depends on {formula.of}, which {named} lacks.")
            return value

        return figure(self.minimum, self.minimum_by), figure(self.maximum, self.maximum_by)

    def least_of(self, product: Product) -> dict[str, tuple[float, Dimension]]:
        """The least that each named setting must be for a product, in SI units."""
        found = {name: parse_any(edge) for name, edge in self.least.items()}
        for name, formula in self.least_by.items():
            dimension = parse_any(formula.base)[1]
            value = formula.value(product, dimension)
            if value is not None:
                found[name] = (max(value, found.get(name, (value,))[0]), dimension)
        return found


class LimitSet(BaseModel):
    """The limits of one standard's edition. ``checked`` says who compared it with a bought copy."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-limit-set/1"]
    code: Code
    title: str
    standard: str
    edition: str
    checked: str = ""
    status: Literal["draft", "released"] = "draft"
    items: tuple[LimitSetItem, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _ids_differ(self) -> "LimitSet":
        ids = [item.id for item in self.items]
        twice = sorted({each for each in ids if ids.count(each) > 1})
        if twice:
            raise ValueError(f"items has {', '.join(twice)} more than once; each id is one item's.")
        return self

    def find(self, item_id: str) -> LimitSetItem | None:
        """Give the item with this id, or None."""
        return next((item for item in self.items if item.id == item_id), None)


@dataclass(frozen=True, slots=True)
class Fit:
    """Whether an item holds for a product, and what decided it."""

    holds: bool
    reasons: tuple[str, ...]


def fit(item: LimitSetItem, product: Product) -> Fit:
    """Hold an item's conditions against a product. What the product does not say is not met."""
    holds, reasons = True, []

    def decide(met: bool, yes: str, no: str) -> None:
        nonlocal holds
        holds = holds and met
        reasons.append(yes if met else no)

    for name, wanted in item.fits.items():
        word = name.replace("_", " ")
        own = _values(product, name)
        shown, asked = " and ".join(own) or "not given", " or ".join(wanted)
        decide(bool(set(own) & set(wanted)), f"{word} {shown}", f"{word} {shown}, not {asked}")
    for trait in item.lacks:
        word = trait.replace("_", " ")
        decide(trait not in product.traits, f"not {word}", f"is {word}")
    for name, span in item.spans.items():
        word, value = name.replace("_", " "), getattr(product, name)
        dimension = parse_any(next(iter(span.model_dump(exclude_none=True).values())))[1]
        shown = "not given" if value is None else display(value, dimension)
        met = value is not None and span.holds(value)
        decide(met, f"{word} {span.text}", f"{word} {shown}, not {span.text}")
    return Fit(holds, tuple(reasons))


def _values(product: Product, name: str) -> tuple[str, ...]:
    """A property as words; of the applied parts their types."""
    if name == "applied_part":
        return tuple(sorted({part.type for part in product.applied_parts}))
    own = getattr(product, name)
    return () if own is None else own if isinstance(own, tuple) else (str(own),)


def is_variant(item: LimitSetItem, values: Mapping[str, Any]) -> bool:
    """Whether a step with these settings is the variant that the item is for."""
    return all(str(values.get(name)) in wanted for name, wanted in item.variant.items())


@dataclass(frozen=True, slots=True)
class Asked:
    """For what a limit is wanted: a reading of a kind of step, with the step's settings."""

    kind: str
    reading: str
    dimension: Dimension
    values: Mapping[str, Any]
    setting: str = ""  # which the reading tells what came of


def cited_item(
    source: str, asked: Asked, limit_sets: LimitSets, product: Product | None
) -> tuple[LimitSet, int, LimitSetItem] | None:
    """The set, revision and item that a source cites; None when it is the engineer's own ground.

    A set's code alone takes the one item for this reading that fits the product and the step.
    Raises ValueError, saying what there is, when there is none such or more than one.
    """
    code, slash, item_id = source.partition("/")
    if code not in limit_sets:
        return None
    limit_set, revision = limit_sets[code]
    if slash:
        item = limit_set.find(item_id)
        if item is None:
            known = ", ".join(each.id for each in limit_set.items)
            raise ValueError(f"limit set '{code}' has no item '{item_id}'; it has {known}.")
        return limit_set, revision, item
    if product is None:
        raise ValueError(f"which item of '{code}' holds depends on the product; name a known one.")
    mine = [
        item
        for item in limit_set.items
        if item.is_limit and (item.kind, item.reading) == (asked.kind, asked.reading)
    ]
    found = [
        each
        for each in mine
        if not each.by_name and is_variant(each, asked.values) and fit(each, product).holds
    ]
    if len(found) == 1:
        return limit_set, revision, found[0]
    if found:
        several = ", ".join(each.id for each in found)
        raise ValueError(f"several items of '{code}' hold here: {several}; cite one as {code}/ID.")
    if not mine:
        raise ValueError(
            f"limit set '{code}' limits no {asked.reading} of a {asked.kind} step; cite another."
        )
    why = "; ".join(f"{each.id}: {_why_not(each, asked, product)}" for each in mine)
    raise ValueError(f"no item of '{code}' holds for product '{product.code}' here ({why}).")


def _why_not(item: LimitSetItem, asked: Asked, product: Product) -> str:
    if item.by_name:
        return "only where cited by name"
    if not is_variant(item, asked.values):
        return "for " + ", ".join(
            f"{name} {' or '.join(wanted)}" for name, wanted in item.variant.items()
        )
    return ", ".join(fit(item, product).reasons)


def resolve(
    entry: LimitEntry, asked: Asked, limit_sets: LimitSets, product: Product | None
) -> Limit:
    """Turn a document's limit into SI figures with their source.

    ``limit_sets`` gives each known set and its revision by code. Figures written in the entry take
    precedence over the set's; where they let more pass than the set does, the source says so.

    Raises:
        QuantityError: a figure has another dimension than the reading.
        ValueError: the set or item does not exist or does not fit, or minimum is above maximum.
    """
    dimension = asked.dimension
    low = None if entry.minimum is None else parse(entry.minimum, dimension)
    high = None if entry.maximum is None else parse(entry.maximum, dimension)
    cited = cited_item(entry.source, asked, limit_sets, product)
    source = LimitSource(engineer=entry.source)
    if cited is not None:
        limit_set, revision, item = cited
        if DIMENSIONS[item.dimension] is not dimension:
            raise ValueError(
                f"'{entry.source}' limits a {item.dimension}, not a {dimension.name}; "
                "cite another item."
            )
        own = low is not None or high is not None
        set_low, set_high = _figures_of(item, asked, product)
        if set_low is None and set_high is None and not own:
            raise ValueError(
                f"'{entry.source}' says how to test and gives no limit; write the figure here, or "
                "cite it for what is measured of the "
                f"{' or '.join(item.test_settings) or 'test'}."
            )
        looser = own and _is_looser((low, high), (set_low, set_high))
        source = source_in(limit_set, revision, item).model_copy(
            update={
                "engineer": "figure set by the engineer" if own else "",
                "looser_than": _text(set_low, set_high, dimension) if looser else "",
            }
        )
        if not own:
            low, high = set_low, set_high
    elif low is None and high is None:
        code = entry.source.partition("/")[0]
        raise ValueError(f"there is no limit set '{code}'; add it, or write the figure here.")
    if low is not None and high is not None and low > high:
        raise ValueError(
            f"the minimum {entry.minimum} is above the maximum {entry.maximum}; swap them."
        )
    return Limit(dimension=dimension.name, minimum=low, maximum=high, source=source)


_Figures = tuple[float | None, float | None]


def source_in(limit_set: LimitSet, revision: int, item: LimitSetItem) -> LimitSource:
    """The item of a limit set as the source that a limit carries."""
    return LimitSource(
        standard=limit_set.standard,
        edition=limit_set.edition,
        clause=item.clause,
        limit_set=limit_set.code,
        item=item.id,
        revision=revision,
        checked=limit_set.checked,
    )


def _figures_of(item: LimitSetItem, asked: Asked, product: Product | None) -> _Figures:
    """The figures of an item for a reading; of one that only says how to test, what it demands."""
    if item.is_limit:
        return item.figures(product)
    least = {} if product is None else least_for(item, product, asked.values)
    return least.get(asked.setting, (None,))[0], None


def least_for(
    item: LimitSetItem, product: Product, values: Mapping[str, Any]
) -> dict[str, tuple[float, Dimension]]:
    """The least that each setting of a step must be, its AC level turned into DC where it is."""
    found = item.least_of(product)
    if "level" in found and item.dc_factor and values.get("voltage") == "dc":
        level, dimension = found["level"]
        found["level"] = (level * item.dc_factor, dimension)
    return found


def demanding_items(
    kind: str,
    values: Mapping[str, Any],
    sources: Iterable[LimitSource],
    limit_sets: LimitSets,
    product: Product,
) -> dict[str, tuple[LimitSet, int, LimitSetItem]]:
    """The items whose demands a test is under, by source: those cited, and their sets' own.

    Where a set's item that says how to test is cited by name, it takes the place of the others.
    """
    found: dict[str, tuple[LimitSet, int, LimitSetItem]] = {}
    named = set()
    cited = [source for source in sources if source.limit_set in limit_sets]
    for source in cited:
        limit_set, revision = limit_sets[source.limit_set]
        item = limit_set.find(source.item)
        if item is not None:
            found[f"{limit_set.code}/{item.id}"] = (limit_set, revision, item)
            if not item.is_limit:
                named.add(limit_set.code)
    for code in {source.limit_set for source in cited} - named:
        limit_set, revision = limit_sets[code]
        for item in limit_set.items:
            is_test = not item.is_limit and not item.by_name and item.kind == kind
            if is_test and is_variant(item, values) and fit(item, product).holds:
                found[f"{code}/{item.id}"] = (limit_set, revision, item)
    return found


def _is_looser(own: _Figures, cited: _Figures) -> bool:
    """Whether own figures let something pass that the cited ones do not."""
    below = cited[0] is not None and (own[0] is None or own[0] < cited[0])
    above = cited[1] is not None and (own[1] is None or own[1] > cited[1])
    return below or above


def _text(low: float | None, high: float | None, dimension: Dimension) -> str:
    return Limit(dimension=dimension.name, minimum=low, maximum=high).text
