"""Cables and windings captured from known-good units."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from loricate.core.limits.limit import Code
from loricate.core.products.families.cable import NetName

Serial = Annotated[str, StringConstraints(min_length=1, max_length=64, pattern=r"^\S(.*\S)?$")]


class NewCapturedUnit(BaseModel):
    """A known-good unit to capture: alone, or beside those of a capture that is there."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"fixture": "FX-C", "serial": "CL7-GOOD-1"}]},
    )

    fixture: str
    nest: str = Field(default="", description="The fixture's first by default")
    serial: Serial
    positions: list[NetName] = Field(
        default=[], max_length=16, description="Of its switch, in the order of the measurements"
    )
    temperature: str = Field(
        default="",
        max_length=40,
        description="Of a unit with windings, for their resistances at 20 °C; °C or °F",
        examples=["23 °C"],
    )
    capture: str = Field(default="", max_length=64, description="Id of the capture to add it to")


class CapturedUnitOut(BaseModel):
    """A unit of a capture: where, by whom and when it was measured."""

    serial: str
    fixture: str
    nest: str
    instrument: str
    is_zeroed: bool = Field(description="Whether the fixture's leads were taken off")
    account: str
    measured_at: str


class CapturedItemOut(BaseModel):
    """A net, component or winding: what each unit read, what is proposed, and what was decided."""

    key: str = Field(examples=["net X1:A X2:1"])
    name: str = Field(examples=["N1"])
    sort: Literal["net", "resistor", "capacitor", "diode", "winding", "pin"]
    contacts: list[str]
    position: str = Field(description="Of the switch; empty: in all of them")
    measured: list[str] = Field(description="By unit, in their order; empty where it lacks it")
    proposed: dict[str, str] = Field(description="By field, as a product has them")
    fields: list[str] = Field(description="What may be changed")
    differs: list[str] = Field(description="How units differ in it")
    standing: Literal["open", "accepted", "changed", "refused"]
    changes: dict[str, str]


class CaptureOut(BaseModel):
    """A capture: its units, what was found in them, and how they differ."""

    id: str
    family: Literal["cable", "winding"]
    contacts: list[str]
    positions: list[str]
    units: list[CapturedUnitOut]
    items: list[CapturedItemOut]
    differences: list[str]
    remarks: list[str] = Field(description="What could not be told, or not measured rightly")
    columns: dict[str, int] = Field(description="Matrix column of each pin; empty of a cable")
    skipped: list[int] = Field(description="Columns beside those of the pins that lead nowhere")
    open: int = Field(description="Items that nobody has decided yet")


class CaptureSummary(BaseModel):
    """A capture in a list."""

    id: str
    fixture: str
    serials: list[str]
    account: str
    measured_at: str


class ItemDecision(BaseModel):
    """What is decided of a net, component or winding of a capture."""

    model_config = ConfigDict(extra="forbid", strict=True)

    item: str = Field(description="Its key or its name", max_length=120)
    choice: Literal["accepted", "changed", "refused"]
    changes: dict[str, Annotated[str, StringConstraints(max_length=64)]] = Field(
        default={}, max_length=8, description="By field, what it is instead"
    )


class CaptureDecisions(BaseModel):
    """Decisions on a capture; ``others`` accepts what is open and in what units do not differ."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [
                {
                    "decisions": [
                        {"item": "N1", "choice": "changed", "changes": {"name": "+48V"}},
                        {"item": "R1", "choice": "refused"},
                    ],
                    "accept_others": True,
                }
            ]
        },
    )

    decisions: list[ItemDecision] = Field(default=[], max_length=1024)
    accept_others: bool = Field(
        default=False, description="Accept all that is open and in which no units differ"
    )


class CapturedProduct(BaseModel):
    """What the product is to be called that a capture becomes."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"code": "CL-8", "title": "Winch control lead CL-8"}]},
    )

    code: Code
    title: Annotated[str, StringConstraints(min_length=1, max_length=120)]
