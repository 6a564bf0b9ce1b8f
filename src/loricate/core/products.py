"""Products: what kind of unit is tested, with its ratings and terminals."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits import Code
from loricate.core.quantities import Hertz, Volts, Watts

Terminal = Annotated[str, Field(pattern=r"^[A-Za-z0-9+-][A-Za-z0-9+_-]{0,31}$")]


class Product(BaseModel):
    """A type of unit."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    format: Literal["loricate-product/1"]
    code: Code
    title: str
    family: Literal["appliance", "cable", "winding", "medical"]
    protection_class: Literal["I", "II", "III"] | None = None
    supply_voltage: Volts | None = None
    supply_frequency: Hertz | None = None
    rated_power: Watts | None = None
    terminals: tuple[Terminal, ...] = Field(min_length=1)
