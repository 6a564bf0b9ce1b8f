"""Figures that a limit set makes from a product: formulae, and stretches of a rating."""

import math
from fractions import Fraction as Exact

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from loricate.core.documents import fault_at, is_incoming
from loricate.core.errors import QuantityError
from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.quantities import Dimension, as_figure, exactly, parse, parse_any


class Formula(BaseModel):
    """A figure that grows with a property of the product, as plain data.

    ``base + add · (property - beyond) / per``, with the fraction rounded up to whole steps where
    the standard counts steps begun, held between ``at_least`` and ``at_most``. Reckoned with the
    decimal figures as written, and rounded once, as ``as_figure`` does.
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
    def _can_be_reckoned(self, info: ValidationInfo) -> "Formula":
        if is_incoming(info):
            self._step()
        return self

    def _step(self) -> Exact:
        """The step of the property that it grows by; raises ValueError where there is none."""
        if self.of not in NUMBERS:
            reason = f"'{self.of}' is no figure of a product"
            raise fault_at("of", reason, f"there are {', '.join(NUMBERS)}.")
        try:
            step = exactly(parse(self.per, NUMBERS[self.of]))
        except QuantityError as error:
            raise fault_at("per", str(error)) from error
        if step <= 0:
            raise fault_at("per", f"{self.per} is no step", "give one above 0.")
        return step

    def value(self, facts: Facts, dimension: Dimension) -> float | None:
        """The figure for a product, in the SI unit of ``dimension``; None without the property.

        Raises ValueError for a figure of another dimension, or a formula that cannot be reckoned.
        """
        per, known = self._step(), facts.numbers.get(self.of)
        beyond = exactly(0.0 if self.beyond is None else parse(self.beyond, NUMBERS[self.of]))
        base, add = exactly(parse(self.base, dimension)), exactly(parse(self.add, dimension))
        low = None if self.at_least is None else exactly(parse(self.at_least, dimension))
        high = None if self.at_most is None else exactly(parse(self.at_most, dimension))
        if known is None:
            return None
        steps = max(Exact(0), (exactly(known) - beyond) / per)
        figure = base + add * (math.ceil(steps) if self.begun else steps)
        figure = figure if low is None else max(figure, low)
        return as_figure(figure if high is None else min(figure, high))


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
