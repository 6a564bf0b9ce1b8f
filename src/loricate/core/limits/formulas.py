"""Figures that a limit set makes from a product: formulae, and stretches of a rating."""

import math

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.quantities import Dimension, parse, parse_any


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

    @model_validator(mode="after")
    def _is_of_a_figure(self) -> "Formula":
        if self.of not in NUMBERS:
            raise ValueError(
                f"grows with '{self.of}', which is no figure of a product; there are "
                f"{', '.join(NUMBERS)}."
            )
        parse(self.per, NUMBERS[self.of])
        return self

    def value(self, facts: Facts, dimension: Dimension) -> float | None:
        """The figure for a product, in the SI unit of ``dimension``; None without the property.

        Raises QuantityError for a figure of another dimension.
        """
        known = facts.numbers.get(self.of)
        of_dimension = NUMBERS[self.of]
        per = parse(self.per, of_dimension)
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
