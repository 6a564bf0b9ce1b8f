"""Trends of readings, control charts, capability, forecasts; yields and what units fail of."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, field_validator

from loricate.core.measuring.grading import Cause
from loricate.core.measuring.readings import Bound
from loricate.core.searching import Text, UnitSearch
from loricate.core.trends.terms import LEAST_CHARTED, MOST_READINGS, Rule, Scale

Which = Literal["last", "first", "all"]
GroupedBy = Literal[
    "", "product", "lot", "sequence", "bench", "fixture", "nest", "instrument", "operator"
]
YieldBy = Literal[
    "day", "week", "month", "product", "lot", "sequence", "bench", "fixture", "nest", "operator"
]
ChartName = Literal["time", "individuals", "histogram", "groups"]
Base = Annotated[
    int,
    Field(
        ge=0,
        le=MOST_READINGS,
        description="Limits of the chart rest on so many readings, the first; 0 takes all",
    ),
]


def _base(value: int) -> int:
    if 0 < value < LEAST_CHARTED:
        raise ValueError(f"is too few for limits; give {LEAST_CHARTED} or more, or 0 for all")
    return value


class TrendAsked(UnitSearch):
    """A measurand of a step, and the units in runs whose readings of it are looked at."""

    step: str = Field(min_length=1, max_length=100, description="Id of the step")
    quantity: str = Field(min_length=1, max_length=100, examples=["resistance"])
    point: str = Field(default="", max_length=200, description="Empty: of the unit as a whole")
    which: Which = Field(
        default="last", description="Attempts of a unit in a run: the one that counts, or others"
    )
    count: int = Field(default=1000, ge=1, le=MOST_READINGS, description="The newest so many")
    scale: Scale | Literal[""] = Field(
        default="",
        description="Reckoned in: readings or their decades; left empty, resistances that spread "
        "over a decade are in decades",
    )
    base: Base = 0
    by: GroupedBy = Field(default="", description="Groups that are held against each other")

    _checked_base = field_validator("base")(_base)

    @property
    def search(self) -> UnitSearch:
        """The units that are looked at."""
        return UnitSearch.model_validate(self.model_dump(include=set(UnitSearch.model_fields)))


class CheckTrendAsked(BaseModel):
    """A measurand of a step that daily checks measure a reference box by."""

    model_config = {"extra": "forbid"}

    fixture: Text = Field(min_length=1)
    box: Literal["good", "bad"] = "good"
    serial: Text = Field(default="", description="Of the box; left empty, of the newest check")
    step: str = Field(min_length=1, max_length=100)
    quantity: str = Field(min_length=1, max_length=100)
    point: str = Field(default="", max_length=200)
    instrument: Text = Field(default="", description="Id of the instrument that read it")
    count: int = Field(default=400, ge=1, le=2000, description="The newest so many checks")
    scale: Scale | Literal[""] = ""
    base: Base = 0

    _checked_base = field_validator("base")(_base)


class AsTable(BaseModel):
    """How a table is written for a spreadsheet."""

    bom: bool = Field(default=False, description="With the mark by which some know UTF-8")
    decimal_comma: bool = Field(default=False, description="Cells are then divided by semicolons")


class TrendTableAsked(TrendAsked, AsTable):
    """A trend's readings as a table."""


class CheckTableAsked(CheckTrendAsked, AsTable):
    """The readings of daily checks as a table."""


class MeasurandOut(BaseModel):
    """Something that units, or boxes, have readings of."""

    step: str
    title: str
    kind: str
    quantity: str
    point: str
    dimension: str
    units: int = Field(description="How many of the newest units have readings of it")
    least_margin: float | None = Field(
        description="How near the nearest came to its limit, as a fraction of it"
    )


class CheckMeasurandOut(BaseModel):
    """Something that daily checks have read of a reference box."""

    box: Literal["good", "bad"]
    serial: str
    step: str
    title: str
    quantity: str
    point: str
    dimension: str
    instrument: str
    readings: int
    signals: int = Field(description="How often it breaks a rule of its chart")
    text: str = Field(description="The newest reading")


class TrendReading(BaseModel):
    """One reading of a trend; values are SI."""

    id: str = Field(description="Of the unit in its run, or of the check")
    run_id: str
    serial: str
    at: str
    value: float | None
    bound: Bound
    text: str
    uncertainty: float
    minimum: float | None
    maximum: float | None
    verdict: str
    cause: Cause = Field(description="Of the attempt")
    attempt: int
    repetition: int
    is_used: bool = Field(description="Statistics rest on it")
    groups: dict[str, str] = Field(examples=[{"lot": "L-2611", "nest": "2"}])


class QuantileOut(BaseModel):
    """What a share of the readings does not exceed; a side that is open is None."""

    share: float
    low: float | None
    high: float | None
    text: str


class HistogramOut(BaseModel):
    """Counts between edges (SI); those only known to be under or over a value apart."""

    edges: list[float]
    counts: list[int]
    below: int
    above: int


class SignalOut(BaseModel):
    """A rule of the chart that readings break; places among the trend's readings."""

    rule: Rule
    words: str
    first: int
    last: int
    from_at: str
    to_at: str


class ChartOut(BaseModel):
    """An individuals and moving-range chart; centre and limits are SI.

    ``ranges`` are between a used reading and the one before it: SI, or decades.
    """

    centre: float
    lower: float
    upper: float
    centre_text: str
    lower_text: str
    upper_text: str
    ranges: list[float | None]
    mean_range: float
    most_range: float
    base: int
    signals: list[SignalOut]


class CapabilityOut(BaseModel):
    """Capability by the newest limits; ``least`` are lower 95 % bounds."""

    mean: float | None
    mean_text: str
    sigma: float | None = Field(description="SI, or decades")
    sigma_text: str
    is_fitted: bool = Field(description="Censored readings counted on their side")
    cp: float | None
    cp_least: float | None
    cpk: float | None
    cpk_least: float | None
    why_not: str = Field(description="Why there are no indices")


class LineEnd(BaseModel):
    """Where the line of a drift begins or ends; the value is SI."""

    at: str
    value: float


class ForecastOut(BaseModel):
    """Where readings drift to, and when their line meets the limit; 95 % intervals."""

    rate_text: str = Field(
        description="A week, a day or an hour, with its interval; empty without a line"
    )
    line: list[LineEnd] = Field(description="The line's two ends; empty where it is no drift")
    limit: Literal["", "minimum", "maximum"]
    meets_at: str
    earliest_at: str
    latest_at: str = Field(description="Empty: not within what can be told")
    text: str
    why_not: str


class GroupOut(BaseModel):
    """A group beside all others."""

    name: str
    count: int
    failed: int
    median: QuantileOut
    score: float | None = Field(
        description="How far its ranks lie from the others', in standard deviations"
    )
    stands_out: Literal["", "low", "high"]


class TrendOut(BaseModel):
    """What readings of one measurand say together, the oldest first."""

    step: str
    title: str
    quantity: str
    point: str
    dimension: str
    unit: str
    scale: Scale
    readings: list[TrendReading]
    is_cut: bool = Field(description="There are older readings")
    others: int = Field(
        description="Readings of another dimension than the newest, which are not among these"
    )
    used: int
    left_out: int = Field(
        description="No numbers, or of attempts that prove nothing: no statistic has them"
    )
    below: int
    above: int
    minimum: float | None
    maximum: float | None
    limit_text: str
    limits_changed: bool = Field(description="Older readings had other limits")
    quantiles: list[QuantileOut]
    histogram: HistogramOut
    chart: ChartOut | None
    capability: CapabilityOut
    forecast: ForecastOut
    groups: list[GroupOut]


class ShareOut(BaseModel):
    """A share with its 95 % interval."""

    share: float
    low: float
    high: float


class YieldOut(BaseModel):
    """How the units of a group came out; each counts once in it."""

    name: str = Field(examples=["2026-W48"])
    tested: int
    passed_first: int
    passed: int
    failed: int
    first_pass: ShareOut | None
    final: ShareOut | None


class CauseOut(BaseModel):
    """Why units failed a step."""

    step: str
    title: str
    cause: Cause
    units: int


class YieldsOut(BaseModel):
    """Yields of what a search finds, and what units failed of, the most frequent first."""

    total: YieldOut
    groups: list[YieldOut]
    is_cut: bool
    causes: list[CauseOut]
