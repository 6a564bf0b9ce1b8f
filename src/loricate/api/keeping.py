"""Keeping the records."""

from pydantic import BaseModel, Field


class OutgoingOut(BaseModel):
    """Something that is made or sent after what it comes of, and what became of it."""

    id: int
    target: str = Field(
        description="Where to: `paper`, to be drawn; `export`, the folder that the site names; "
        "`print`, the site's printer; "
        "`summary`, a lot that was closed, to be summed up"
    )
    subject: str = Field(description="What is sent: a document's number, or a lot's code")
    queued_at: str
    tries: int
    next_try_at: str
    problem: str = Field(description="Why it has not got there; empty while nothing is wrong")
    sent_at: str | None


class RecordsState(BaseModel):
    """Whether anything in the records was changed from outside."""

    marks: int = Field(description="Marks of records: one each time that one was stored")
    whole: bool
    faults: list[str]
    heads: int = Field(description="Signed heads, kept outside, that they were held against")
    notes: list[str] = Field(default=[], description="What is known to have been lost")
