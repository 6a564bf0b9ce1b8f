"""The bench: who answers, calibration, fixtures."""

import datetime as dt
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from loricate.api.records import QuestionOut
from loricate.core.limits.limit import Sentence


class InstrumentOut(BaseModel):
    """One instrument as last seen; ``problem`` is empty when it answers."""

    id: str
    role: str
    title: str
    address: str
    serial: str
    identity: str
    problem: str
    calibrated: dt.date | None
    due: dt.date | None
    days_left: int | None = Field(description="Days until the calibration ends; negative when over")
    certificate: str
    doubt: str = Field(
        description="What it said that cannot be true, since its last daily check; empty: nothing"
    )
    unseen: list[str] = Field(
        description="What its make cannot say of itself, such as a setting that is not read back"
    )


class DangerOut(BaseModel):
    """How dangerous the fixture is now, as the bench itself knows."""

    state: Literal["safe", "armed", "hands_in", "discharging", "high_voltage", "unknown"]
    nests: list[str]
    volts: float | None = Field(description="The highest voltage last seen at a unit")
    wait_s: float | None = Field(
        default=None, description="Discharging: how long the unit still has to stay earthed, in s"
    )
    reasons: list[str] = Field(description="Unknown: why; what to do")
    must_earth: bool = Field(description="Whether somebody must earth by hand and confirm it")


class Earthed(BaseModel):
    """Somebody has earthed the unit by hand: what was done."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"note": "earthed nest 2 with the earthing stick"}]},
    )

    note: Sentence


class ZeroOut(BaseModel):
    """The lead resistance of one contact."""

    nest: str
    contact: str
    ohms: float
    uncertainty: float
    text: str = Field(examples=["7.02 mΩ"])
    measured_at: str
    is_young: bool = Field(description="Whether it is still taken off")


class ImpedanceZeroOut(BaseModel):
    """What a path of a nest shows open and shorted: the size of the impedance as text."""

    nest: str
    high: str
    low: str
    frequency: str = Field(examples=["1.000 kHz"])
    open: str = Field(examples=["3.979 MΩ"])
    short: str = Field(examples=["54.11 mΩ"])
    measured_at: str
    is_young: bool = Field(description="Whether it is still taken off")


class CheckReading(BaseModel):
    """A reading of a reference box."""

    name: str
    text: str
    limit: str


class CheckStep(BaseModel):
    """A step of the daily check's sequence on a reference box."""

    id: str
    title: str
    verdict: str
    cause: str
    readings: list[CheckReading]


class CheckBox(BaseModel):
    """What was measured of a reference box."""

    serial: str
    steps: list[CheckStep]


class DailyCheckOut(BaseModel):
    """A daily check: what was found wrong, if anything, and both boxes."""

    passed: bool
    started_at: str
    ended_at: str
    valid_until: str = Field(description="When it is over; empty when it failed")
    account: str
    nest: str
    findings: list[str]
    good: CheckBox
    bad: CheckBox


class RequirementOut(BaseModel):
    """A requirement for certificates that a fixture meets or not."""

    name: str
    met: bool
    reason: str


class ColumnMapOut(BaseModel):
    """Where the contacts of a nest were found, and how that differs from the bench file."""

    nest: str
    part: str = Field(description="The part that was plugged in; empty: by the probe")
    columns: dict[str, int] = Field(description="By contact; those that were measured")
    differences: list[str]
    account: str
    measured_at: str


class FixtureOut(BaseModel):
    """A fixture: its nests (terminal to matrix column), zeroes, matings and daily check."""

    code: str
    title: str
    nests: dict[str, dict[str, int]]
    per_row: int = Field(description="How many nests stand side by side")
    felt: list[str] = Field(description="Nests whose switch feels a unit: those take a series")
    earthed: list[str] = Field(description="The unit's terminals that the fixture earths")
    requirements: list[RequirementOut]
    zeroes: list[ZeroOut]
    zeroed: str = Field(description="When, by whom and with what it was zeroed last; or empty")
    impedance_zeroes: list[ImpedanceZeroOut]
    zero_lasts_s: float
    matings: dict[str, int] = Field(description="Units taken by each nest since its renewal")
    mating_limit: int
    renewed_at: str
    daily_check: DailyCheckOut | None
    maps: list[ColumnMapOut]


class BenchOut(BaseModel):
    """The bench that this service drives."""

    code: str
    title: str
    site: str
    guard_closed: bool | None = Field(description="None when the guard does not answer")
    running: str
    upkeep: str = Field(description="Id of the act of upkeep under way, or empty")
    rehearsal: str = Field(description="Id of the rehearsal under way, or empty")
    series: str = Field(description="Id of the series that is on, or empty")
    danger: DangerOut
    busy_with: str = Field(
        description="Who holds the bench, in words; empty when it is free",
        examples=["a rehearsal of DC40-FINAL by mara"],
    )
    has_inputs: bool = Field(description="Whether a foot switch and presence can start a run")
    rows: dict[str, dict[str, list[int]]] = Field(
        description="The matrix rows of each instrument's terminals, by its id"
    )
    relay_wear: str = Field(
        description="The relay that was closed most, where the matrix counts; or empty",
        examples=["row 21 to column 213, 10412 times"],
    )
    instruments: list[InstrumentOut]
    fixtures: list[FixtureOut]


class NewUpkeep(BaseModel):
    """An act on a fixture: its zero, its daily check, or contacts touched with the probe."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"kind": "zero", "fixture": "FX-A"}]},
    )

    kind: Literal["zero", "daily_check", "touch", "map"]
    fixture: str
    nests: list[str] = Field(
        default=[],
        description="Zero: which nests, all by default. Check: where the boxes go. Touch, map: one",
    )
    product: str = Field(
        default="", max_length=64, description="Touch: whose nets name what is touched. Map: a part"
    )
    contacts: list[Annotated[str, StringConstraints(max_length=32)]] = Field(
        default=[], max_length=2048, description="Touch: through which to lead; none: name any"
    )
    order: Literal["set", "any"] = Field(default="set", description="Touch: of the contacts")


class UpkeepOut(BaseModel):
    """An act of upkeep and what it waits for."""

    id: str
    kind: str
    fixture: str
    state: str = Field(examples=["running", "passed", "failed", "aborted"])
    findings: list[str]
    questions: list[QuestionOut]
    touched: list[str] = Field(description="Of a touch: the contacts so far, in their order")
    made: str = Field(description="Of a capture: its id, once the unit is measured; else empty")


class Renewed(BaseModel):
    """The contacts of a fixture were renewed."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        json_schema_extra={"examples": [{"note": "all spring contacts changed"}]},
    )

    note: str = Field(min_length=1, max_length=200)
