"""Carrying records between benches out of reach and the service that keeps them all."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

Hash = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
SiteId = Annotated[str, Field(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]
Name = Annotated[str, Field(max_length=200)]


class ChainEnd(BaseModel):
    """How far a chain of marks goes."""

    model_config = ConfigDict(extra="forbid", strict=True)

    count: int = Field(ge=0, le=2**53)
    hash: Hash = Field(description="Of the last one; 64 zeros before the first")


class Receipt(BaseModel):
    """How far a service has the records of a site: of each chain of marks how many, the last hash.

    Brought back to the bench, it says what need not be carried again.
    """

    model_config = ConfigDict(extra="forbid", strict=True)

    format: Literal["loricate-receipt/1"] = "loricate-receipt/1"
    site: SiteId = Field(description="Whose records")
    service: SiteId = Field(description="The site of the service that has them")
    name: Name = Field(description="What people call that service's site")
    ends: dict[Annotated[str, Field(max_length=40)], ChainEnd] = Field(
        description="Of each kind of record"
    )
    told_at: Annotated[str, Field(max_length=40)]


class CarryOutIn(BaseModel):
    """Which records are carried out."""

    model_config = ConfigDict(extra="forbid", strict=True)

    everything: bool = Field(
        default=False, description="All of them, whatever was said to have come"
    )
    papers: bool = Field(
        default=True,
        description="With the papers (PDF); without them they come with a later file that has them",
    )


class CarryState(BaseModel):
    """What of this service's records has been carried elsewhere, as far as it was told."""

    site: str
    bench: str
    waiting: int = Field(description="Marks of records that nobody has said to have")
    receipt: Receipt | None = Field(description="The newest; none where nothing came back yet")
    link: str = Field(description="Where records go by themselves; empty where nowhere")


class CarriedIn(BaseModel):
    """What came of taking a file in."""

    site: str
    name: str
    bench: str
    made_at: str
    records: int = Field(description="Records that were not here yet, or are others now")
    documents: int
    units: int = Field(description="Units in runs")
    is_first: bool = Field(description="Whether nothing of this bench was here before")
    missing: int = Field(description="Papers and pictures that were gone at the bench itself")
    notes: list[str]
    receipt: Receipt


class CarriedFile(BaseModel):
    """A file that came in, and what it brought that was not there yet."""

    file: str = Field(description="Its SHA-256")
    made_at: str
    came_at: str
    account: str
    records: int
    documents: int
    units: int


class CarriedBench(BaseModel):
    """A bench whose records were carried in."""

    site: str
    bench: str
    name: str
    kid: str = Field(description="The key that its newest file is signed with")
    documents: int
    units: int
    files: list[CarriedFile] = Field(description="The newest first")
    same_serials: list[str] = Field(
        description="Serials that units of other benches here have as well; at most a hundred"
    )
    problem: str = Field(default="", description="Why its records cannot be read; else empty")
