"""Devices by asset number."""

import datetime as dt

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.records import Serial
from loricate.core.measuring.grading import Verdict
from loricate.core.planning.occasions import DeviceState
from loricate.core.products.families.section import Occasion


class AssetIn(BaseModel):
    """A device in short: what it is, and where it is used."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [
                {"product": "FW-2", "serial": "FW2-26-0041", "place": "Base Tarnside"},
            ]
        },
    )

    product: str = Field(min_length=1, max_length=64)
    serial: Serial
    place: str = Field(default="", max_length=120)


class OccasionOut(BaseModel):
    """Which sequence tests the device on an occasion."""

    occasion: Occasion
    sequence: str
    every_months: int | None


class LastTestOut(BaseModel):
    """The newest test of a device that ended."""

    run_id: str
    occasion: str
    sequence: str
    ended_at: str
    verdict: Verdict
    failed: list[str] = Field(description="The titles of the steps that failed")
    certificate: str


class AssetOut(BaseModel):
    """A device: number, product, serial, place, how it stands and when it is next due."""

    number: str = Field(description="Empty where nobody has given it one")
    product: str
    serial: str
    place: str
    state: DeviceState
    last: LastTestOut | None
    due: dt.date | None = Field(description="When it is next due; without a test that passed, now")
    is_overdue: bool
    occasions: list[OccasionOut] = Field(description="What its product has a sequence for")
