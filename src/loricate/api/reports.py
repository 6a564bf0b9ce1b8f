"""Reports over many units: made in the background, kept as templates."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.records import UnitOut
from loricate.core.reports import ReportForm, ReportPlan

JobState = Literal["waiting", "making", "ready", "stopped", "failed"]


class ReportJob(BaseModel):
    """A report that is being made, or was; its file is kept for a day."""

    id: str
    title: str
    form: ReportForm
    state: JobState
    done: int = Field(description="Units that are in it already")
    total: int
    left_out: int = Field(description="Units whose run goes on, or that are beyond the most")
    asked_at: str
    asked_by: str
    problem: str = Field(default="", description="Why it failed")
    bytes: int = Field(default=0, description="Of its file, once it is ready")


class TemplateIn(BaseModel):
    """A report to be kept by its name, for the whole site."""

    model_config = ConfigDict(extra="forbid")

    plan: ReportPlan


class TemplateOut(BaseModel):
    """A report that the site has by name; ``plan`` holds what is asked, and no more."""

    name: str
    plan: ReportPlan
    account: str
    kept_at: str


class InLedger(BaseModel):
    """The place of a document in the ledger of its bench."""

    position: int
    hash: str


class ReportedUnit(UnitOut):
    """A unit in a run as a report has it: as the API tells of it, with its run and instruments."""

    lot: str
    bench: str = Field(description="Code of the bench that tested it")
    fixture: str
    instruments: list[dict[str, str]] = Field(
        default=[], description="Those that measured it: id, title, serial, calibrated, due"
    )
    ledger: InLedger | None = None


class ReportFile(BaseModel):
    """A report as JSON (`loricate-report/1`)."""

    format: Literal["loricate-report/1"]
    title: str
    site: str
    drawn_at: str
    drawn_by: str
    software: str
    scope: dict[str, object] = Field(description="What was asked for")
    depth: str
    count: int
    units: list[ReportedUnit]
