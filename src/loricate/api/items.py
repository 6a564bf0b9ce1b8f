"""Items: what was seen in trends or by somebody, with an owner and an end; watched trends."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from loricate.api.trends import TrendAsked

Line = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]
AccountName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=64)]


class ItemOut(BaseModel):
    """Something to be looked into."""

    id: str
    about: str = Field(examples=["Insulation of the DC-40"])
    what: str = Field(description="What was seen, in one word; empty where a person raised it")
    text: str
    address: str = Field(description="Where in the console it is seen")
    begins_at: str
    owner: str
    raised_by: str
    raised_at: str
    state: Literal["open", "accepted", "acted_on"]
    note: str
    ended_by: str
    ended_at: str


class NewItem(BaseModel):
    """Something that somebody has seen."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [{"about": "FX-B nest 7", "text": "Reads a tenth of the others"}]
        },
    )

    about: Annotated[Line, Field(max_length=200)]
    text: Line
    address: str = Field(
        default="",
        max_length=2000,
        pattern="^(/[^/].*)?$",
        description="Where in the console it is seen",
    )
    owner: AccountName | None = Field(default=None, description="Left out: who raises it")


class NewOwner(BaseModel):
    """Who an item is given to."""

    model_config = ConfigDict(extra="forbid", strict=True)

    owner: AccountName


class ItemEnd(BaseModel):
    """How an item ends, and why."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"how": "acted_on", "note": "Contacts of nest 7 renewed"}]},
    )

    how: Literal["accepted", "acted_on"]
    note: Line


class WatchIn(BaseModel):
    """A trend to be looked at by itself whenever something new was tested."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {"trend": {"product": "DC-40", "step": "insulation", "quantity": "resistance"}}
            ]
        },
    )

    trend: TrendAsked
    owner: AccountName | None = Field(default=None, description="Left out: who keeps it")


class WatchOut(BaseModel):
    """A trend that is looked at by itself."""

    name: str
    trend: dict[str, Any] = Field(description="As it is asked for, and no more")
    address: str
    owner: str
    account: str
    kept_at: str
