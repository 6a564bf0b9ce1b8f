"""Entry: a figure that the operator reads from another device and types, with its unit.

The target, if there is one, is offered first; its tolerance is the limit where the step has none of
its own. The value is in the SI unit of ``quantity``; its uncertainty is what the device's is.
A photo of the device can be asked for beside the figure, or stand for it; what only a photo shows
has no reading, so that a limit leaves it undecided.
"""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field, field_validator, model_validator

from loricate.core.documents import fault_at
from loricate.core.errors import QuantityError
from loricate.core.kinds.kind import KindSettings, Limits, LimitSlot, NominalPlace, Points
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.actions import Enter, Photo, Procedure, do
from loricate.core.measuring.grading import Measured
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.quantities import DIMENSIONS, Fraction, parse

USUAL = 0.05  # tolerance of a target that was measured once


class Entry(KindSettings):
    """What is asked for, in which quantity, and what is expected."""

    name = "entry"
    title = "Entry"
    slots = {"entered": LimitSlot(None, title="What is typed")}
    judged_by = ()

    question: str = Field(min_length=1, max_length=200, title="Question")
    quantity: str = Field(title="Quantity", json_schema_extra={"enum": list(DIMENSIONS)})
    device: str = Field(default="", max_length=80, title="Read from")
    target: str = Field(default="", title="Target", description="Offered first, with its unit")
    tolerance: Annotated[Fraction, Field(gt=0)] | None = Field(
        default=None, title="Tolerance", description="Of the target"
    )
    uncertainty: str = Field(
        default="", title="Uncertainty of the device", description="Expanded, k = 2, with its unit"
    )

    photo: Photo = Field(
        default=Photo.NONE,
        title="Photo",
        description="beside: one must come with the figure; instead: one may stand for it",
    )

    @field_validator("quantity")
    @classmethod
    def _is_known(cls, name: str) -> str:
        if name not in DIMENSIONS:
            raise ValueError(f"'{name}' is no quantity; choose one of {', '.join(DIMENSIONS)}.")
        return name

    @model_validator(mode="after")
    def _figures_fit(self) -> "Entry":
        for place in ("target", "uncertainty"):
            if text := getattr(self, place):
                try:
                    parse(text, DIMENSIONS[self.quantity])
                except QuantityError as error:
                    raise fault_at(place, str(error)) from error
        if self.tolerance is not None and not self.target:
            raise fault_at("target", "is what the tolerance is of", "give it as well.")
        if self.tolerance is not None and self.photo is Photo.INSTEAD:
            reason = "may not stand for a figure that has a tolerance"
            raise fault_at("photo", reason, "ask for it beside.")
        return self

    def procedure(self, points: Points, limits: Limits) -> Procedure:
        """Ask for the figure and report it as a reading."""
        dimension = DIMENSIONS[self.quantity]
        answer = yield from do(Enter(self.question, dimension, self.target, self.photo))
        shown = f"Photo {answer.picture[:12]}." if answer.picture else ""
        note = f"{shown} {answer.note}".strip()
        if not answer.choice and answer.picture and self.photo is Photo.INSTEAD:
            return Measured(note=note)
        spread = parse(self.uncertainty, dimension) if self.uncertainty else 0.0
        value = parse(answer.choice, dimension)
        entered = Reading("entered", value, dimension, uncertainty=spread, instrument=self.device)
        return Measured((entered,), note=note)

    def place_of_nominal(self, measurand: Measurand) -> NominalPlace | None:
        """The target."""
        return NominalPlace(("settings", "target"), ("settings", "tolerance"), USUAL)

    def slots_here(self) -> Mapping[str, LimitSlot]:
        return {"entered": LimitSlot(DIMENSIONS[self.quantity])}

    def judged(self, points: Points, limits: Limits) -> Limits:
        """The step's limit, else the target with its tolerance."""
        if limits or self.tolerance is None:
            return limits
        target = parse(self.target, DIMENSIONS[self.quantity])
        band = abs(target) * self.tolerance
        source = LimitSource(engineer=f"target {self.target}")
        limit = Limit(
            dimension=self.quantity, minimum=target - band, maximum=target + band, source=source
        )
        return {Measurand("entered"): limit}
