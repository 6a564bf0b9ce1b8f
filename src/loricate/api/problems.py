"""Problem documents (RFC 9457)."""

from pydantic import BaseModel, Field

MEDIA_TYPE = "application/problem+json"


class ProblemError(BaseModel):
    """One faulty field and what to do about it."""

    field: str
    message: str


class ProblemDocument(BaseModel):
    """An error as the service tells it (RFC 9457)."""

    type: str = Field(examples=["urn:loricate:problem:wrong-state"])
    title: str = Field(examples=["Not possible in this state"])
    status: int = Field(examples=[409])
    detail: str = Field(examples=["The run is finished; create a new one."])
    errors: list[ProblemError] = []
