"""What every family's section has: facts of its own, and what must be tested of such a product."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

Terminal = Annotated[str, Field(pattern=r"^[A-Za-z0-9+-][A-Za-z0-9+_.:/-]{0,31}$")]
Occasion = Literal["production", "acceptance", "recurrent", "after_repair"]
PRODUCTION: tuple[Occasion, ...] = ("production",)
EARTH, ACROSS = ("ground_bond", "continuity"), ("insulation", "withstand")


@dataclass(frozen=True, slots=True)
class Expectation:
    """Kinds of which one must be tested, and what for; on some occasions only, where it says so."""

    kinds: tuple[str, ...]
    purpose: str
    occasions: tuple[Occasion, ...] = ()

    @property
    def text(self) -> str:
        """What is missing where none of the kinds was tested."""
        kinds = " or ".join(kind.replace("_", " ") for kind in self.kinds)
        return f"{self.purpose} ({kinds})"


class FamilySection(BaseModel):
    """The part of a product's file that only its family has."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    expected: ClassVar[tuple[Expectation, ...]] = ()
    # Keys of ``loricate-product/1``, where all stood side by side: what each is called here.
    formerly: ClassVar[Mapping[str, str]] = {}

    def words(self) -> Mapping[str, tuple[str, ...]]:
        """What limit sets may ask of it in words, by ``facts.WORDS``."""
        return {}

    def numbers(self) -> Mapping[str, float]:
        """What limit sets may ask of it in figures (SI), by ``facts.NUMBERS``; what is known."""
        return {}

    def named_terminals(self) -> tuple[Terminal, ...]:
        """The product's terminals, where the section names them all; else none."""
        return ()

    def reached(self) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
        """What of it names terminals of the product, as a path in it, and which."""
        yield from ()
