"""Work orders that come from other systems."""

import datetime as dt
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.records import Serial
from loricate.core.products.families.section import Occasion


class OrderIn(BaseModel):
    """What is wanted tested: a device by its asset number, or a unit by product and serial."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {"asset": "RB-1041", "occasion": "after_repair", "said": "Heater plate exchanged"},
                {"product": "FW-2", "serial": "FW2-26-0041", "occasion": "recurrent"},
            ]
        },
    )

    asset: str = Field(default="", max_length=64)
    product: str = Field(default="", max_length=64)
    serial: Serial | Literal[""] = ""
    occasion: Occasion
    due: dt.date | None = Field(default=None, description="By when it is wanted")
    said: str = Field(default="", max_length=500, description="For whoever tests it")


class OrderOut(BaseModel):
    """An order as it stands."""

    number: str
    asset: str
    product: str
    serial: str
    place: str
    occasion: str
    sequence: str = Field(description="What its product names for the occasion; empty for none")
    due: dt.date | None
    is_overdue: bool
    said: str
    state: Literal["open", "done", "withdrawn"]
    came_at: str
    by: str = Field(description="The account that gave it")
    run: str = Field(description="The run that did it; empty while it is open")
    verdict: str
    ended_at: str | None
    reason: str = Field(description="Why it was withdrawn, and by whom")


class Withdrawing(BaseModel):
    """Why an order is not wanted any more."""

    model_config = ConfigDict(extra="forbid", strict=True)

    reason: Annotated[str, Field(min_length=3, max_length=500, examples=["Device was scrapped"])]
