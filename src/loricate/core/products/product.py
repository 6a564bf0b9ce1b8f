"""Products: what kind of unit is tested, with its ratings, its terminals and its family's section.

Until 0.1.0 all keys stood side by side (``loricate-product/1``). Such documents are read for ever:
``Product.in_current_form`` puts each key into its section.
"""

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from loricate.core.documents import WithFormerForms, fault_at
from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.limits.limit import Code, Sentence
from loricate.core.products.families import FAMILIES
from loricate.core.products.families.cable import CableSection
from loricate.core.products.families.medical import AccessiblePart, AppliedPart, MedicalSection
from loricate.core.products.families.section import FamilySection, Occasion, Terminal
from loricate.core.products.families.winding import WindingSection
from loricate.core.quantities import Amperes, Farads, Hertz, Metres, Volts, Watts
from loricate.core.wiring.description import Wiring

FORMAT, FORMER_FORMAT = "loricate-product/2", "loricate-product/1"
NO_EARTH = "none"  # TOML has no null
EarthTerminal = Annotated[
    Terminal | None, BeforeValidator(lambda value: None if value == NO_EARTH else value)
]
Trait = Literal["heating", "motor", "high_leakage", "luminaire", "machine"]


def _of(family: str) -> dict[str, Any]:
    """Tell forms that a section is for one family."""
    return {"x-where": {"family": family}}


class NotTested(BaseModel):
    """A kind of test that is left out for a product: who stands for it, and why."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Code = Field(title="Kind", description="The kind of step that is not expected")
    by: str = Field(min_length=3, max_length=80, title="By", description="Who stands for it")
    reason: Sentence = Field(title="Reason", description="A sentence; it is on each certificate")


class OnOccasion(BaseModel):
    """Which sequence tests a product on an occasion, and how often."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    occasion: Occasion = Field(title="Occasion")
    sequence: Code = Field(title="Sequence", description="Its code; it must be for that occasion")
    every_months: Annotated[int, Field(ge=1, le=120)] | None = Field(
        default=None, title="Every so many months", description="After which it is due again"
    )


class Product(WithFormerForms):
    """A type of unit. What is not known may be left out; what rests on it is then not on offer."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-product/2"]
    code: Code = Field(title="Code")
    title: str = Field(min_length=1, max_length=120, title="Title")
    family: Literal["appliance", "cable", "winding", "medical"] = Field(title="Family")
    protection_class: Literal["I", "II", "III"] | None = Field(
        default=None, title="Protection class"
    )
    supply_voltage: Annotated[Volts, Field(gt=0)] | None = Field(
        default=None, title="Rated voltage", description="The highest, if there is a range"
    )
    supply_frequency: Annotated[Hertz, Field(gt=0)] | None = Field(
        default=None, title="Rated frequency"
    )
    rated_power: Annotated[Watts, Field(gt=0)] | None = Field(default=None, title="Rated power")
    rated_current: Annotated[Amperes, Field(gt=0)] | None = Field(
        default=None, title="Rated current"
    )
    cord: Literal["fixed", "detachable", "none"] | None = Field(default=None, title="Supply cord")
    cord_length: Annotated[Metres, Field(gt=0)] | None = Field(
        default=None, title="Cord length", description="Of the supply cord"
    )
    mobility: Literal["portable", "stationary", "fixed"] | None = Field(
        default=None, title="Mobility"
    )
    traits: tuple[Trait, ...] = Field(
        default=(), title="Traits", description="What standards make a difference by"
    )
    filter_capacitance: Annotated[Farads, Field(gt=0)] | None = Field(
        default=None,
        title="Capacitance to earth",
        description="All that mains filter and wiring have to the case, both poles together",
    )
    terminals: tuple[Terminal, ...] = Field(
        default=(), title="Terminals", description="Of a cable with connectors, their contacts"
    )
    clips: tuple[Terminal, ...] = Field(
        default=(), title="Clips", description="Terminals that a clip is put on by hand for a step"
    )
    cable: CableSection | None = Field(default=None, title="Cable", json_schema_extra=_of("cable"))
    winding: WindingSection | None = Field(
        default=None, title="Winding", json_schema_extra=_of("winding")
    )
    medical: MedicalSection | None = Field(
        default=None, title="Medical", json_schema_extra=_of("medical")
    )
    occasions: tuple[OnOccasion, ...] = Field(
        default=(), title="Occasions", description="Which sequence tests it, and when it is due"
    )
    not_tested: tuple[NotTested, ...] = Field(
        default=(),
        title="Not tested",
        description="Kinds of test that its family and class would ask for, left out on purpose",
    )

    @classmethod
    def in_current_form(cls, document: Mapping[str, Any]) -> dict[str, Any]:
        """A product's document as it is written today; what is no older form is left as it is."""
        if document.get("format") != FORMER_FORMAT:
            return dict(document)
        now: dict[str, Any] = {**document, "format": FORMAT}
        for name, section in FAMILIES.items():
            own = {
                new: now.pop(old)
                for old, new in section.formerly.items()
                # A cord's length was that of the cable itself, for a cable.
                if old in now and (document.get("family") == name or old not in cls.model_fields)
            }
            if own:
                now[name] = own
        return now

    @property
    def sections(self) -> tuple[FamilySection, ...]:
        """Its family's section, as it is without one in the file, and what it has of others."""
        given = {name: getattr(self, name, None) for name in FAMILIES}
        own = given.pop(self.family) or FAMILIES[self.family]()
        return (own, *(each for each in given.values() if each is not None))

    @property
    def applied_parts(self) -> tuple[AppliedPart, ...]:
        """What of it touches the patient."""
        return () if self.medical is None else self.medical.applied_parts

    @property
    def accessible_parts(self) -> tuple[AccessiblePart, ...]:
        """What of a medical device anybody may touch."""
        return () if self.medical is None else self.medical.accessible_parts

    @cached_property
    def facts(self) -> Facts:
        """What limit sets may ask of it; of its applied parts, the types of all."""
        own = {
            "family": self.family,
            "protection_class": self.protection_class,
            "cord": self.cord,
            "mobility": self.mobility,
        }
        words: dict[str, tuple[str, ...]] = {
            name: (word,) for name, word in own.items() if word is not None
        }
        words["traits"] = self.traits
        figures = {name: getattr(self, name, None) for name in NUMBERS}
        known = {name: value for name, value in figures.items() if value is not None}
        for section in self.sections:
            words |= section.words()
            known |= section.numbers()
        return Facts(self.code, words, known)

    @model_validator(mode="after")
    def _has_terminals(self) -> "Product":
        """Those that a section names are the product's; they are not written twice."""
        named = next((own for each in self.sections if (own := each.named_terminals())), ())
        if named and self.terminals and set(named) != set(self.terminals):
            reason = "are not the contacts of its connectors"
            raise fault_at("terminals", reason, "leave them out; the connectors say them.")
        if not named and not self.terminals:
            reason = "are missing"
            raise fault_at("terminals", reason, "name what an instrument can be connected to.")
        if named:
            object.__setattr__(self, "terminals", named)
        return self

    @property
    def wirings(self) -> tuple[Wiring, ...]:
        """What of a cable should hang together, in each position of its switch."""
        return () if self.cable is None else self.cable.wirings

    @model_validator(mode="after")
    def _occasions_are_one_each(self) -> "Product":
        named = [each.occasion for each in self.occasions]
        if len(set(named)) < len(named):
            raise fault_at("occasions", "has one twice", "each has one sequence.")
        return self

    def on_occasion(self, occasion: str) -> OnOccasion | None:
        """Which sequence tests it on an occasion; None where nobody said."""
        return next((each for each in self.occasions if each.occasion == occasion), None)

    @property
    def due_every_months(self) -> int | None:
        """How often it is due; None where nobody said."""
        return next((each.every_months for each in self.occasions if each.every_months), None)

    @model_validator(mode="after")
    def _parts_have_terminals(self) -> "Product":
        if len(set(self.terminals)) < len(self.terminals):
            raise fault_at("terminals", "has a name twice", "each needs its own.")
        for place, named in self._reached():
            lacking = [name for name in named if name not in self.terminals]
            if lacking:
                reason = f"names terminal {', '.join(lacking)}, which the product does not have"
                raise fault_at(place, reason, "add it to terminals.")
        return self

    def _reached(self) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
        """What names terminals, as a path, and which."""
        yield "clips", self.clips
        for name in FAMILIES:
            section: FamilySection | None = getattr(self, name, None)
            if section is not None:
                yield from ((f"{name}.{place}", named) for place, named in section.reached())
