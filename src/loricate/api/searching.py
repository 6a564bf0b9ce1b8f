"""Searches over units in runs: what is asked, what is found, what is kept by name."""

from pydantic import BaseModel, ConfigDict, Field

from loricate.core.attempts import RunState
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.searching import UnitSearch

MOST_FOUND = 500


class UnitsAsked(UnitSearch):
    """A page of what a search finds, the newest first."""

    count: int = Field(default=100, ge=1, le=MOST_FOUND, description="Rows of a page")
    before: str = Field(
        default="",
        max_length=80,
        pattern="^([^~]+~[^~]+)?$",
        description="Cursor of the last one seen, for the next page",
    )

    @property
    def search(self) -> UnitSearch:
        """What is looked for, whichever page of it."""
        return UnitSearch.model_validate(self.model_dump(exclude={"count", "before"}))


class UnitFound(BaseModel):
    """A unit in a run that a search finds."""

    id: str
    cursor: str = Field(description="Asks for those after it in the list")
    serial: str
    asset: str = Field(default="", description="The number that its owner gave it")
    place: str = Field(default="", description="Where its owner keeps it")
    product: str
    lot: str
    run_id: str
    nest: str
    fixture: str
    bench: str
    operator: str
    occasion: str
    verdict: Verdict
    cause: Cause
    failed: list[str] = Field(description="Ids of the steps that failed in any attempt")
    state: RunState
    sequence_code: str
    sequence_revision: int
    begun_at: str = Field(description="When the run started; until then, when it was made")
    started_at: str | None
    certificate: str | None
    certificate_kind: str | None
    revoked: str | None = Field(description="The number of that document's revocation")
    from_bench: str = Field(
        default="", description="Whose records these are, where they were carried in; else empty"
    )


class UnitCounts(BaseModel):
    """How many units in runs a search finds, by verdict."""

    total: int
    passed: int
    failed: int
    inconclusive: int
    not_run: int


class UnitNames(BaseModel):
    """What there is to pick from in a search."""

    product: list[str]
    sequence: list[str]
    cause: list[str]
    failed: list[str] = Field(description="Ids of steps that failed")
    operator: list[str]
    fixture: list[str]
    nest: list[str]
    instrument: list[str] = Field(description="Ids and serials")
    place: list[str]
    limit_set: list[str]


class SearchIn(BaseModel):
    """A search to be kept by its name, for the whole site."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={"examples": [{"search": {"verdict": ["fail"], "since": "7 d"}}]},
    )

    search: UnitSearch


class SearchOut(BaseModel):
    """A search that the site has by name; ``search`` holds what it asks, and no more."""

    name: str
    search: UnitSearch
    account: str
    kept_at: str
