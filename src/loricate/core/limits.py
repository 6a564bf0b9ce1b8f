"""Limits and limit sets: what readings are graded against, and where each figure comes from."""

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.quantities import DIMENSIONS, Dimension, exact_text, parse

Code = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]


class LimitSource(BaseModel):
    """Where a limit comes from: a standard's clause, or the engineer who set it and why."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    standard: str = ""
    edition: str = ""
    clause: str = ""
    limit_set: str = ""
    revision: int = 0
    checked: str = ""
    engineer: str = Field(default="", description="Who set the limit and on what ground")

    @property
    def text(self) -> str:
        """The source in one line for tables and paper."""
        if not self.standard:
            return self.engineer or "no source given"
        return f"{self.standard}:{self.edition} {self.clause}".strip()


class Limit(BaseModel):
    """A minimum, a maximum or both, in SI units of ``dimension``, with its source."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    dimension: str
    minimum: float | None = None
    maximum: float | None = None
    source: LimitSource = LimitSource()

    @property
    def text(self) -> str:
        """The limit for people: ``≤ 200 mΩ``, or ``400 µA to 5 mA``."""
        dimension = DIMENSIONS[self.dimension]
        low = None if self.minimum is None else exact_text(self.minimum, dimension)
        high = None if self.maximum is None else exact_text(self.maximum, dimension)
        if low and high:
            return f"{low} to {high}"
        return f"≥ {low}" if low else f"≤ {high}" if high else ""


class LimitEntry(BaseModel):
    """A limit as a sequence writes it: figures with units, or a reference to a limit set."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    minimum: str | None = Field(default=None, description="Smallest accepted value, with its unit")
    maximum: str | None = Field(default=None, description="Largest accepted value, with its unit")
    source: str = Field(
        default="", description="`SET/item` of a limit set, or the engineer's ground for the figure"
    )

    @model_validator(mode="after")
    def _says_something(self) -> "LimitEntry":
        if self.minimum is None and self.maximum is None and "/" not in self.source:
            raise ValueError(
                "has neither a minimum nor a maximum; give one, or a source such as 'SET/item'."
            )
        return self


class LimitSetItem(BaseModel):
    """One figure of a limit set: which quantity it bounds and the clause it comes from."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code
    dimension: str
    clause: str
    applies: str = ""
    minimum: str | None = None
    maximum: str | None = None

    @model_validator(mode="after")
    def _figures_fit(self) -> "LimitSetItem":
        if self.dimension not in DIMENSIONS:
            raise ValueError(f"dimension '{self.dimension}' is not one of {', '.join(DIMENSIONS)}.")
        if self.minimum is None and self.maximum is None:
            raise ValueError("has neither a minimum nor a maximum; give one of them.")
        for figure in (self.minimum, self.maximum):
            if figure is not None:
                parse(figure, DIMENSIONS[self.dimension])
        return self


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
    items: tuple[LimitSetItem, ...]

    def find(self, item_id: str) -> LimitSetItem | None:
        """Give the item with this id, or None."""
        return next((item for item in self.items if item.id == item_id), None)


def resolve(
    entry: LimitEntry,
    dimension: Dimension,
    limit_sets: Mapping[str, tuple[LimitSet, int]],
) -> Limit:
    """Turn a document's limit into SI figures with their source.

    ``limit_sets`` gives each known set and its revision by code. Figures written in the entry take
    precedence over the set's; a source with no set is the engineer's own.

    Raises:
        QuantityError: a figure has another dimension than ``dimension``.
        ValueError: the set or item does not exist, or minimum is above maximum.
    """
    minimum, maximum, source = entry.minimum, entry.maximum, LimitSource(engineer=entry.source)
    if "/" in entry.source and entry.source.split("/", 1)[0] in limit_sets:
        code, _, item_id = entry.source.partition("/")
        limit_set, revision = limit_sets[code]
        item = limit_set.find(item_id)
        if item is None:
            known = ", ".join(each.id for each in limit_set.items)
            raise ValueError(f"limit set '{code}' has no item '{item_id}'; it has {known}.")
        if DIMENSIONS[item.dimension] is not dimension:
            raise ValueError(
                f"'{entry.source}' limits a {item.dimension}, not a {dimension.name}; "
                "cite another item."
            )
        own = minimum is not None or maximum is not None
        minimum = minimum if own else item.minimum
        maximum = maximum if own else item.maximum
        source = LimitSource(
            standard=limit_set.standard,
            edition=limit_set.edition,
            clause=item.clause,
            limit_set=code,
            revision=revision,
            checked=limit_set.checked,
            engineer="figure set by the engineer" if own else "",
        )
    elif minimum is None and maximum is None:
        code = entry.source.partition("/")[0]
        raise ValueError(f"there is no limit set '{code}'; add it, or write the figure here.")
    low = None if minimum is None else parse(minimum, dimension)
    high = None if maximum is None else parse(maximum, dimension)
    if low is not None and high is not None and low > high:
        raise ValueError(f"the minimum {minimum} is above the maximum {maximum}; swap them.")
    return Limit(dimension=dimension.name, minimum=low, maximum=high, source=source)
