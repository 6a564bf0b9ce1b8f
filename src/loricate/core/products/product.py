"""Products: what kind of unit is tested, with its ratings, terminals and applied parts."""

from functools import cached_property
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from loricate.core.limits.facts import NUMBERS, Facts
from loricate.core.limits.limit import Code, Sentence
from loricate.core.quantities import Amperes, Farads, Fraction, Hertz, Metres, Volts, Watts

Terminal = Annotated[str, Field(pattern=r"^[A-Za-z0-9+-][A-Za-z0-9+_.:/-]{0,31}$")]
NO_EARTH = "none"  # TOML has no null
EarthTerminal = Annotated[
    Terminal | None, BeforeValidator(lambda value: None if value == NO_EARTH else value)
]
Trait = Literal["heating", "motor", "high_leakage", "luminaire", "machine"]


class AppliedPart(BaseModel):
    """A part that touches the patient (IEC 60601-1): its type and connections."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code
    type: Literal["B", "BF", "CF"]
    defibrillation_proof: bool = False
    terminals: tuple[Terminal, ...] = Field(min_length=1)


class NotTested(BaseModel):
    """A kind of test that is left out for a product: who stands for it, and why."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Code = Field(title="Kind", description="The kind of step that is not expected")
    by: str = Field(min_length=3, max_length=80, title="By", description="Who stands for it")
    reason: Sentence = Field(title="Reason", description="A sentence; it is on each certificate")


class Product(BaseModel):
    """A type of unit. What is not known may be left out; what rests on it is then not on offer."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-product/1"]
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
        default=None, title="Cord length", description="Of the supply cord, or of the cable itself"
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
    short_circuit_impedance: Annotated[Fraction, Field(gt=0, lt=1)] | None = Field(
        default=None, title="Short-circuit impedance", description="Of a transformer, in percent"
    )
    terminals: tuple[Terminal, ...] = Field(min_length=1, title="Terminals")
    clips: tuple[Terminal, ...] = Field(
        default=(), title="Clips", description="Terminals that a clip is put on by hand for a step"
    )
    applied_parts: tuple[AppliedPart, ...] = Field(default=(), title="Applied parts")
    not_tested: tuple[NotTested, ...] = Field(
        default=(),
        title="Not tested",
        description="Kinds of test that its family and class would ask for, left out on purpose",
    )

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
        words["applied_part"] = tuple(sorted({part.type for part in self.applied_parts}))
        figures = {name: getattr(self, name) for name in NUMBERS}
        known = {name: value for name, value in figures.items() if value is not None}
        return Facts(self.code, words, known)

    @model_validator(mode="after")
    def _parts_have_terminals(self) -> "Product":
        if len(set(self.terminals)) < len(self.terminals):
            raise ValueError("terminals has a name twice; each needs its own.")
        unknown = [name for name in self.clips if name not in self.terminals]
        if unknown:
            raise ValueError(
                f"clips names {unknown[0]}, which is no terminal; add it to terminals."
            )
        for part in self.applied_parts:
            lacking = [name for name in part.terminals if name not in self.terminals]
            if lacking:
                raise ValueError(
                    f"applied part '{part.id}' names terminal {', '.join(lacking)}, which the "
                    "product does not have; add it to terminals."
                )
        return self
