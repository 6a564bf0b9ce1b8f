"""Lots and their progress."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.limits.limit import Code


class NewLot(BaseModel):
    """A lot to be opened."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [
                {
                    "code": "L-2611",
                    "product": "DC-40",
                    "serials": "DC40-26-0201..DC40-26-0208",
                    "order_number": "PO-7731",
                }
            ]
        },
    )

    code: Code
    product: Code
    serials: Annotated[
        str,
        Field(
            max_length=500,
            description="Ranges with both ends included and single serials, with commas between; "
            "or a pattern with # for each digit, and the quantity",
        ),
    ]
    quantity: Annotated[int, Field(ge=1)] | None = Field(
        default=None, description="Needed with a pattern; else it must fit the serials"
    )
    order_number: str = Field(default="", max_length=64)


class LotOut(BaseModel):
    """A lot and how far it has come; a retested unit counts once."""

    code: str
    product: str
    serials: str
    order_number: str
    state: str = Field(examples=["open"])
    created_at: str
    created_by: str
    closed_at: str | None
    expected: int
    waiting_count: int
    tested: int
    passed: int
    failed: int
    first_pass_yield: float | None = Field(description="Of the units tested")
    final_yield: float | None = Field(description="Of the units tested, by their latest verdict")


class LotUnitOut(BaseModel):
    """A unit of a lot with its latest verdict."""

    serial: str
    verdict: str
    cause: str
    times: int = Field(description="How often it was tested to an end")
    run_id: str
    certificate: str | None
    revoked: bool = Field(description="Whether that document was revoked")


class LotSummary(LotOut):
    """A lot with its units and those that still wait."""

    units: list[LotUnitOut]
    waiting: list[str]
