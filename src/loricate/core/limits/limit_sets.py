"""Limit sets: the limits of a standard's edition, and which of them hold for a product and a step.

An item says which reading of which kind of step it limits, for which products (``fits``, ``lacks``,
``spans``) and which variant of the step (``variant``). Where the standard has a formula the item
has one too. ``least`` and ``most`` say what the test itself must be for the limit to count: its
current, level, dwell.
"""

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from loricate.core.documents import fault_at, is_incoming
from loricate.core.errors import QuantityError
from loricate.core.limits.facts import NUMBERS, WORDS, Facts
from loricate.core.limits.formulas import Formula, Span
from loricate.core.limits.limit import Code
from loricate.core.quantities import DIMENSIONS, Dimension, as_figure, exactly, parse, parse_any


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
    def _figures_fit(self, info: ValidationInfo) -> "LimitSetItem":
        if self.dimension not in DIMENSIONS:
            reason = f"'{self.dimension}' is no dimension"
            raise fault_at("dimension", reason, f"there are {', '.join(DIMENSIONS)}.")
        figures = (self.minimum, self.maximum, self.minimum_by, self.maximum_by)
        demands = (self.least, self.least_by, self.most)
        if all(each is None for each in figures) and not any(demands):
            raise ValueError("has neither a minimum nor a maximum nor demands; give one of them.")
        for own in self.fits:
            if own not in WORDS:
                raise fault_at(f"fits.{own}", "is no property", f"there are {', '.join(WORDS)}.")
        for own in self.spans:
            if own not in NUMBERS:
                raise fault_at(f"spans.{own}", "is no rating", f"there are {', '.join(NUMBERS)}.")
        for place, read in (*self._figures(), *(self._reckoned() if is_incoming(info) else ())):
            try:
                read()
            except QuantityError as error:
                raise fault_at(place, str(error)) from error
        return self

    def _reckoned(self) -> Iterator[tuple[str, Callable[[], object]]]:
        """What is reckoned from a product, by its path: what cannot be is found when it comes."""
        nothing = Facts("")
        for place in ("minimum_by", "maximum_by"):
            if (formula := getattr(self, place)) is not None:
                yield place, partial(formula.value, nothing, DIMENSIONS[self.dimension])
        for name, formula in self.least_by.items():
            yield f"least_by.{name}.base", partial(parse_any, formula.base)
            yield f"least_by.{name}", partial(self.least_of, nothing)

    def _figures(self) -> Iterator[tuple[str, Callable[[], object]]]:
        """Every figure that is written out, by its path, to be read."""
        for place in ("minimum", "maximum"):
            if (plain := getattr(self, place)) is not None:
                yield place, partial(parse, plain, DIMENSIONS[self.dimension])
        for own, span in self.spans.items():
            for edge, text in span.model_dump(exclude_none=True).items():
                yield f"spans.{own}.{edge}", partial(parse, text, NUMBERS[own])
        for part in ("least", "most"):
            for name, text in getattr(self, part).items():
                yield f"{part}.{name}", partial(parse_any, text)

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

    def dc_level(self, level: float) -> float:
        """The DC level that takes the place of an AC one, in the same unit."""
        return as_figure(exactly(level) * exactly(self.dc_factor or 1.0))

    def figures(self, facts: Facts | None) -> tuple[float | None, float | None]:
        """Minimum and maximum in SI units for a product.

        Raises ValueError when a formula needs a property that the product does not give.
        """
        dimension = DIMENSIONS[self.dimension]

        def figure(plain: str | None, formula: Formula | None) -> float | None:
            if plain is not None:
                return parse(plain, dimension)
            if formula is None:
                return None
            value = formula.value(facts, dimension) if facts is not None else None
            if value is None:
                named = "the product" if facts is None else f"product '{facts.of}'"
                raise ValueError(f"'{self.id}' depends on {formula.of}, which {named} lacks.")
            return value

        return figure(self.minimum, self.minimum_by), figure(self.maximum, self.maximum_by)

    def least_of(self, facts: Facts) -> dict[str, tuple[float, Dimension]]:
        """The least that each named setting must be for a product, in SI units."""
        found = {name: parse_any(edge) for name, edge in self.least.items()}
        for name, formula in self.least_by.items():
            dimension = parse_any(formula.base)[1]
            value = formula.value(facts, dimension)
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
            raise fault_at("items", f"has {', '.join(twice)} more than once", "each id is one's.")
        return self

    def find(self, item_id: str) -> LimitSetItem | None:
        """Give the item with this id, or None."""
        return next((item for item in self.items if item.id == item_id), None)


LimitSets = Mapping[str, tuple[LimitSet, int]]  # by code, each with its revision
