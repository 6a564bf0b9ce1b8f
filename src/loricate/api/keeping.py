"""Keeping the records."""

from pydantic import BaseModel, Field


class RecordsState(BaseModel):
    """Whether anything in the records was changed from outside."""

    marks: int = Field(description="Marks of records: one each time that one was stored")
    whole: bool
    faults: list[str]
    heads: int = Field(description="Signed heads, kept outside, that they were held against")
    notes: list[str] = Field(default=[], description="What is known to have been lost")
