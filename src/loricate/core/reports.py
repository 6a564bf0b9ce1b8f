"""What a report is to be of, and how: as it is asked for, and as it is kept for the next time."""

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StrictBool

from loricate.core.depths import Depth
from loricate.core.searching import UnitSearch

MOST_UNITS = 5_000
MOST_TITLE, MOST_LINES = 120, 6
Id = Annotated[str, Field(pattern=r"^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$")]


class ReportForm(StrEnum):
    """A document for people, or a table for programs."""

    PDF = "pdf"
    XLSX = "xlsx"
    CSV = "csv"
    XML = "xml"
    JSON = "json"


MEDIA_TYPES = {
    ReportForm.PDF: "application/pdf",
    ReportForm.XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    ReportForm.CSV: "text/csv; charset=utf-8",
    ReportForm.XML: "application/xml",
    ReportForm.JSON: "application/json",
}


class ReportPlan(BaseModel):
    """Scope, depth, parts and look of a report over units in runs."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        json_schema_extra={"examples": [{"search": {"lot": "L-2611-A"}, "depth": "limits"}]},
    )

    title: str = Field(default="", max_length=MOST_TITLE, description="Else the site's own")
    search: UnitSearch = Field(default=UnitSearch(), description="Which units in runs it is of")
    units: list[Id] = Field(
        default=[], max_length=MOST_UNITS, description="Of those, these alone: ids of units in runs"
    )
    newest_only: StrictBool = Field(
        default=False, description="Of each unit the newest alone of what is found"
    )
    failed_only: StrictBool = Field(
        default=False, description="Of each unit only what did not pass"
    )
    depth: Depth = Field(
        default=Depth.LIMITS, description="Each tells all that those before it tell"
    )
    curves: StrictBool = Field(default=True, description="Curves, where the depth has them (PDF)")
    instruments: StrictBool = Field(default=True, description="Instruments with their calibration")
    remarks: StrictBool = Field(default=True, description="What people wrote")
    ledger: StrictBool = Field(default=False, description="Each document's place in the ledger")
    logo: StrictBool = Field(default=True, description="The site's logo (PDF)")
    signatures: list[Annotated[str, Field(min_length=1, max_length=60)]] = Field(
        default=[], max_length=MOST_LINES, description="Lines to sign on, in place of the site's"
    )
    page: Literal["", "A4", "Letter"] = Field(default="", description="Else the site's")
    language: Literal["", "en", "de"] = Field(default="", description="Else the site's (PDF)")
    form: ReportForm = ReportForm.PDF
    decimal_comma: StrictBool = Field(default=False, description="Of CSV; cells by semicolons then")
    bom: StrictBool = Field(default=False, description="Of CSV: the mark of UTF-8 first")
