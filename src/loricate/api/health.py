"""The service's health."""

from pydantic import BaseModel, Field


class Health(BaseModel):
    """The service's state: ``ok`` when it is ready for runs, else ``degraded``."""

    status: str = Field(examples=["ok"])
    ready: bool = Field(description="Disk, records, bench and every instrument are as they must be")
    version: str
    bench: str
    running: str = Field(description="Id of the run under way, or empty")
    needs_first_account: bool = Field(
        default=False, description="Nobody can sign in yet; the log has a one-time code"
    )
    problems: list[str] = Field(description="What is wrong, if anything")
    warnings: list[str] = Field(default=[], description="What to look after, though runs go on")
    set_aside: list[str] = Field(
        default=[], description="Documents that could not be issued, each with its reason"
    )
