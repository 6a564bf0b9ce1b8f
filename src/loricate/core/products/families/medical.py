"""Medical devices: what touches the patient (IEC 60601-1)."""

from collections.abc import Iterator, Mapping
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from loricate.core.documents import fault_at
from loricate.core.errors import QuantityError
from loricate.core.limits.limit import Code
from loricate.core.measuring.holding import Photo
from loricate.core.products.families.section import PRODUCTION, Expectation, FamilySection, Terminal
from loricate.core.quantities import DIMENSIONS, Dimension, Ohms, Seconds, parse

# What a person answers who sees it or not; the first of pass_fail is the only one that is expected.
SEEN = {"yes_no": ("yes", "no"), "pass_fail": ("pass",)}


class Between(BaseModel):
    """What is between any two connections of a part, as a resistance."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    minimum: Annotated[Ohms, Field(gt=0)] = Field(title="At least")
    maximum: Annotated[Ohms, Field(gt=0)] = Field(title="At most")

    @model_validator(mode="after")
    def _in_order(self) -> "Between":
        if self.minimum > self.maximum:
            raise fault_at("minimum", "is above the maximum", "swap them.")
        return self


class AppliedPart(BaseModel):
    """A part that touches the patient (IEC 60601-1): its type and connections."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Code = Field(title="Name")
    type: Literal["B", "BF", "CF"] = Field(title="Type")
    defibrillation_proof: bool = Field(default=False, title="Defibrillation-proof")
    terminals: tuple[Terminal, ...] = Field(
        min_length=1, title="Connections", description="The terminals that lead to it"
    )
    between: Between | None = Field(
        default=None,
        title="Between connections",
        description="Any two of them: a clip on a wrong post is told by it",
    )

    @property
    def is_floating(self) -> bool:
        """Whether it is of an F-type: isolated from earth, so that mains can come to it."""
        return self.type != "B"


class AccessiblePart(BaseModel):
    """Metal that anybody may touch, by the terminal that leads to it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    terminal: Terminal = Field(title="Terminal")
    earthed: bool = Field(default=False, title="Protectively earthed")


class Parameter(BaseModel):
    """What the device shows of what is given to it, and how that is read from its display."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, Field(pattern="^[a-z][a-z0-9_]{0,39}$")] = Field(title="Name")
    title: str = Field(min_length=1, max_length=60, title="Title")
    capture: Literal["figure", "yes_no", "pass_fail"] = Field(
        default="figure", title="Read as", description="A figure, or what a person sees"
    )
    quantity: Literal["temperature", "pressure"] | None = Field(default=None, title="Quantity")
    tolerance: str = Field(
        default="", title="Tolerance", description="A difference, with its unit; of a figure"
    )
    step: str = Field(
        default="", title="Display step", description="How finely it is shown, with its unit"
    )
    settles: Annotated[Seconds, Field(ge=0, le=1800)] = Field(
        default=1.0, title="Settles within", description="Before that it means nothing"
    )
    photo: Photo = Field(
        default=Photo.NONE,
        title="Photo",
        description="beside: one must come with it; instead: one may stand for it",
    )

    @property
    def dimension(self) -> Dimension | None:
        """What its figure is of; None where it has none."""
        return None if self.quantity is None else DIMENSIONS[self.quantity]

    @model_validator(mode="after")
    def _is_whole(self) -> "Parameter":
        if (self.capture == "figure") != (self.quantity is not None):
            reason = "is missing" if self.quantity is None else "is not of what has no figure"
            raise fault_at("quantity", reason, "a figure has one, and nothing else.")
        is_instead = self.photo is Photo.INSTEAD
        if self.dimension is None:
            if strange := next((n for n in ("tolerance", "step") if getattr(self, n)), ""):
                raise fault_at(strange, "is not of what has no figure", "leave it out.")
            return self
        if is_instead and self.tolerance:
            reason = "may not stand for a figure that has a tolerance"
            raise fault_at("photo", reason, "ask for it beside.")
        if not is_instead and not self.tolerance:
            raise fault_at("tolerance", "is missing", "without one every figure passes.")
        for place in ("tolerance", "step"):
            if text := getattr(self, place):
                try:
                    is_more = parse(text, self.dimension) > 0
                except QuantityError as error:
                    raise fault_at(place, str(error)) from error
                if not is_more:
                    raise fault_at(place, "is not above 0", f"as in {self.dimension.example}.")
        return self


class Preset(BaseModel):
    """What a stimulus gives to the device at once, and what it must show then."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: Annotated[str, Field(pattern="^[a-z][a-z0-9_]{0,39}$")] = Field(title="Name")
    give: dict[Literal["temperature", "pressure"], str] = Field(
        min_length=1, title="Given", description="By quantity, with its unit"
    )
    expect: dict[str, str] = Field(
        default_factory=dict,
        title="Expected",
        description="By parameter: yes or no, or a figure where it is not what is given",
    )

    def target(self, parameter: Parameter) -> str:
        """What a parameter must show, as written; nothing where it is not read here."""
        own = self.expect.get(parameter.name, "")
        if own or parameter.quantity is None:
            return own
        return self.give.get(parameter.quantity, "")


class MedicalSection(FamilySection):
    """What a medical device has that others have not."""

    expected = (
        # In the field its insulation is measured, not stressed again (IEC 62353).
        Expectation(("withstand",), "the insulation of medical equipment at its level", PRODUCTION),
        Expectation(("leakage",), "the leakage currents of medical equipment"),
    )
    formerly: ClassVar[Mapping[str, str]] = {"applied_parts": "applied_parts"}

    applied_parts: tuple[AppliedPart, ...] = Field(default=(), title="Applied parts")
    accessible_parts: tuple[AccessiblePart, ...] = Field(
        default=(), title="Accessible parts", description="Metal that anybody may touch"
    )

    parameters: tuple[Parameter, ...] = Field(
        default=(), title="Parameters", description="What the device shows of stimuli"
    )
    presets: tuple[Preset, ...] = Field(
        default=(), title="Presets", description="Of the stimuli: low, normal, high"
    )

    @model_validator(mode="after")
    def _presets_fit(self) -> "MedicalSection":
        by_name = {each.name: each for each in self.parameters}
        for place, listed in (("parameters", self.parameters), ("presets", self.presets)):
            names = [each.name for each in listed]
            if len(set(names)) < len(names):
                raise fault_at(place, "has a name twice", "each needs its own.")
        for index, preset in enumerate(self.presets):
            for quantity, text in preset.give.items():
                _check_figure(f"presets[{index}].give.{quantity}", text, DIMENSIONS[quantity])
            for name, text in preset.expect.items():
                place = f"presets[{index}].expect.{name}"
                parameter = by_name.get(name)
                if parameter is None:
                    known = ", ".join(by_name) or "none"
                    raise fault_at(place, "is no parameter", f"there are {known}.")
                if parameter.dimension is not None:
                    _check_figure(place, text, parameter.dimension)
                elif text not in (words := SEEN[parameter.capture]):
                    raise fault_at(place, f"is '{text}'", f"write {' or '.join(words)}.")
        return self

    def words(self) -> Mapping[str, tuple[str, ...]]:
        """The types of all its applied parts."""
        return {"applied_part": tuple(sorted({part.type for part in self.applied_parts}))}

    def reached(self) -> Iterator[tuple[str, tuple[Terminal, ...]]]:
        """Each applied part, by its connections, and each accessible one."""
        for index, part in enumerate(self.applied_parts):
            yield f"applied_parts[{index}].terminals", part.terminals
        for index, touched in enumerate(self.accessible_parts):
            yield f"accessible_parts[{index}].terminal", (touched.terminal,)


def _check_figure(place: str, text: str, dimension: Dimension) -> None:
    try:
        parse(text, dimension)
    except QuantityError as error:
        raise fault_at(place, str(error)) from error
