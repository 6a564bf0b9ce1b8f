"""Keeping the records."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


class OutgoingOut(BaseModel):
    """Something that is made or sent after what it comes of, and what became of it."""

    id: int
    target: str = Field(
        description="Where to: `paper`, to be drawn; `export`, the folder that the site names; "
        "`print`, the site's printer; "
        "`maintenance`, its folder; `carry`, the service that keeps all; "
        "`summary`, a lot that was closed, to be summed up; else a system that the site names"
    )
    subject: str = Field(
        description="What is sent: a document's number, a unit's serial, or a lot's code"
    )
    is_message: bool = Field(
        default=False, description="To another system: it may be left out where it is stuck"
    )
    queued_at: str
    tries: int
    next_try_at: str
    problem: str = Field(description="Why it has not got there; empty while nothing is wrong")
    sent_at: str | None
    behind: int | None = Field(
        default=None, description="The entry of the same unit that goes before it, if one waits"
    )
    left_out: str = Field(
        default="", description="Who left it out, and why: nobody has said that it got there"
    )


class LeavingOut(BaseModel):
    """Why a message is left out."""

    model_config = ConfigDict(extra="forbid", strict=True)

    reason: Annotated[
        str, Field(min_length=3, max_length=500, examples=["Its order is not known there"])
    ]


class RecordsState(BaseModel):
    """Whether anything in the records was changed from outside."""

    marks: int = Field(description="Marks of records: one each time that one was stored")
    whole: bool
    faults: list[str]
    heads: int = Field(description="Signed heads, kept outside, that they were held against")
    notes: list[str] = Field(default=[], description="What is known to have been lost")


class DueUnit(BaseModel):
    """A unit in a run whose readings and curves have been kept long enough."""

    run: str
    nest: str
    product: str
    serial: str
    ended_at: str
    held: str = Field(description="Why they stay nevertheless; empty for what may go")


class DueProduct(BaseModel):
    """What is due of one product."""

    product: str
    years: int = Field(description="How long the site keeps what was measured of it")
    units: int = Field(description="Units in runs that may go")
    readings: int
    curves: int
    held: int = Field(description="Units in runs whose time is over, and that are held")
    oldest: str | None = Field(description="When the first of their runs ended")
    newest: str | None = Field(description="When the last of their runs ended")


class DueOut(BaseModel):
    """What is due to go: by product, and each unit. Nothing goes that is not in this list."""

    today: str = Field(description="The day (UTC) that it is reckoned to")
    products: list[DueProduct] = Field(description="Every product that the site has a time for")
    units: list[DueUnit] = Field(description="What may go, the oldest first, 2,000 at most")
    held: list[DueUnit] = Field(description="What is held, the oldest first, 2,000 at most")
    further: int = Field(description="Units that are due as well, once these have gone")
    unknown: list[str] = Field(
        description="Products that the site file names, and nothing here is of: nothing goes until "
        "that is put right"
    )
    seen: str = Field(description="Stands for this very list; to be handed in to let it go")


class LettingGo(BaseModel):
    """What somebody lets go, having seen it."""

    model_config = ConfigDict(extra="forbid", strict=True)

    seen: Annotated[
        str, Field(pattern="^[0-9a-f]{64}$", description="`seen` of the list of what is due")
    ]
    reason: Annotated[
        str, Field(min_length=3, max_length=500, examples=["Ten years, quality manual 4.2"])
    ]


class GoneOut(BaseModel):
    """What went."""

    units: int
    readings: int
    curves: int
    left: list[DueUnit] = Field(description="What stayed after all, each with the reason")
