"""Series of consecutive units on one arming."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from loricate.api.line import LineOut
from loricate.api.records import Serial
from loricate.core.measuring.grading import Verdict
from loricate.core.planning.line import LineOptions

SeriesState = Literal["paused", "on", "held", "ended"]


class NewSeries(BaseModel):
    """A series to be begun: a released sequence on whatever is plugged in next, and next."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={
            "examples": [
                {
                    "sequence": "LEAD-FINAL",
                    "fixture": "FX-C",
                    "nests": ["1"],
                    "count_from": "CL7-26-####",
                    "line": {"stop_after_fails": 3},
                }
            ]
        },
    )

    sequence: str
    fixture: str
    nests: list[str] = Field(
        default=[],
        max_length=64,
        description="Those that are filled for each test; by default the fixture's first",
    )
    lot: str = Field(default="", max_length=64)
    count_from: str = Field(
        default="",
        max_length=64,
        description="The first serial, or a pattern with # for each digit: after the last known "
        "one. Empty: each serial is scanned",
    )
    line: LineOptions = Field(
        default=LineOptions(), description="Line options, where they are not as the sequence has it"
    )


class SeriesSerial(BaseModel):
    """The serial of a unit to come."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"serial": "CL7-26-0301"}]},
    )

    serial: Serial


class SeriesRelease(BaseModel):
    """Why a held series may go on."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"reason": "contact 7 of the fixture was bent; renewed"}]},
    )

    reason: str = Field(min_length=1, max_length=200)


class SeriesSummary(BaseModel):
    """A series without its units."""

    id: str
    sequence_code: str
    sequence_revision: int
    fixture: str
    nests: list[str]
    lot: str
    count_from: str = Field(description="Empty where serials are scanned")
    line: LineOut
    state: SeriesState
    note: str = Field(description="Why it is paused, held or ended")
    created_at: str
    created_by: str
    ended_at: str | None


class SeriesUnit(BaseModel):
    """A unit of a series."""

    run: str
    nest: str
    serial: str
    verdict: Verdict
    cause: str
    state: str = Field(description="Of its run")
    ended_at: str | None
    certificate: str | None = Field(description="Its document's number")
    certificate_kind: str | None


class SeriesOut(SeriesSummary):
    """A series as it goes: what to do now, how units came out, how fast."""

    product: str
    needs_arming: bool = Field(description="Whether any step puts a hazardous voltage on")
    armed_left_s: float | None = Field(
        description="For how long the arming holds unless a unit is plugged in"
    )
    next_in_s: float = Field(description="How long no test begins yet, by `line.repeat_every`")
    now: str = Field(description="What to do now, in a sentence")
    run: str = Field(description="The run under way; empty between two")
    serials: list[str] = Field(description="Of the units to come, in their order")
    tested: int
    passed: int
    failed: int
    first_pass_yield: float | None
    failed_in_a_row: int
    cadence_s: float | None = Field(description="Time for each unit, from start to start")
    notices: list[str] = Field(description="What stands in the way of certificates")
    units: list[SeriesUnit] = Field(description="The last ones, newest first")
