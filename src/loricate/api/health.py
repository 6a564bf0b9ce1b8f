"""The service's health."""

from pydantic import BaseModel, Field


class Health(BaseModel):
    """The service's state: ``ok``, or ``degraded`` when an instrument does not answer."""

    status: str = Field(examples=["ok"])
    version: str
    bench: str
    running: str = Field(description="Id of the run under way, or empty")
    needs_first_account: bool = Field(
        default=False, description="Nobody can sign in yet; the log has a one-time code"
    )
    problems: list[str] = Field(description="What is wrong with the bench, if anything")
