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
