"""Limits: what readings are graded against, and where each figure comes from."""

from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from loricate.core.quantities import DIMENSIONS, exact_text

Figures = tuple[float | None, float | None]  # a minimum and a maximum
Code = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")]


LEAST_WORDS, LEAST_LETTERS = 3, 12


def check_sentence(text: str) -> str:
    """Give a reason back in one line; raises ValueError for one that says nothing."""
    line = " ".join(text.split())
    letters = sum(letter.isalpha() for letter in line)
    if len(line.split()) < LEAST_WORDS or letters < LEAST_LETTERS:
        raise ValueError(f"is no reason; write a sentence of at least {LEAST_WORDS} words.")
    return line


Sentence = Annotated[str, Field(max_length=400), AfterValidator(check_sentence)]


class LimitSource(BaseModel):
    """Where a limit comes from: a standard's clause, or the engineer who set it and why."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    standard: str = ""
    edition: str = ""
    clause: str = ""
    limit_set: str = ""
    item: str = ""
    applies: str = Field(default="", description="What the item is for, in words")
    revision: int = 0
    checked: str = ""
    engineer: str = Field(default="", description="Who set the limit and on what ground")
    looser_than: str = Field(
        default="", description="The cited set's limit, where the engineer's figure lets more pass"
    )
    dc_factor: float | None = Field(
        default=None,
        description="By what the clause has AC volts multiplied for DC, where DC stood for AC",
    )

    @property
    def text(self) -> str:
        """The source in one line for tables and paper."""
        if not self.standard:
            return self.engineer or "no source given"
        edition = f":{self.edition}" if self.edition else ", edition not stated"
        cited = f"{self.standard}{edition} {self.clause or '(clause not stated)'}"
        if self.dc_factor is not None:
            cited = f"{cited}, DC at {self.dc_factor:g} times its AC"
        return f"{cited}; looser than its {self.looser_than}" if self.looser_than else cited


class Limit(BaseModel):
    """A minimum, a maximum or both, in SI units of ``dimension``, with its source.

    What passes below ``caution_below`` or above ``caution_above`` is still good, and said to be
    near its limit.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    dimension: str
    minimum: float | None = None
    maximum: float | None = None
    caution_below: float | None = None
    caution_above: float | None = None
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


def is_looser(own: Figures, other: Figures) -> bool:
    """Whether own figures let something pass that the others do not."""
    below = other[0] is not None and (own[0] is None or own[0] < other[0])
    above = other[1] is not None and (own[1] is None or own[1] > other[1])
    return below or above


class LimitEntry(BaseModel):
    """A limit as a sequence writes it: figures with units, or a reference to a limit set."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    minimum: str | None = Field(default=None, description="Smallest accepted value, with its unit")
    maximum: str | None = Field(default=None, description="Largest accepted value, with its unit")
    caution_below: str | None = Field(
        default=None, description="What passes below this is marked as near its limit"
    )
    caution_above: str | None = Field(
        default=None, description="What passes above this is marked as near its limit"
    )
    source: str = Field(
        default="",
        description="`SET/item` of a limit set, `SET` alone for the item that fits the product, or "
        "the engineer's ground for the figure",
    )

    @model_validator(mode="after")
    def _says_something(self) -> "LimitEntry":
        if self.minimum is None and self.maximum is None and not self.source:
            raise ValueError(
                "has neither a minimum nor a maximum; give one, or a source such as 'SET/item'."
            )
        return self
