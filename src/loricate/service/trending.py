"""Trends, yields and checks' charts: read from the records, reckoned, and put into words."""

import datetime as dt
import math
import sqlite3
from dataclasses import asdict, dataclass
from functools import partial

from loricate.api.trends import (
    CapabilityOut,
    CauseOut,
    ChartOut,
    CheckMeasurandOut,
    CheckTrendAsked,
    ForecastOut,
    GroupOut,
    HistogramOut,
    LineEnd,
    QuantileOut,
    ShareOut,
    SignalOut,
    TrendAsked,
    TrendOut,
    TrendReading,
    YieldOut,
    YieldsOut,
)
from loricate.core.errors import Finding
from loricate.core.limits.limit import Limit
from loricate.core.measuring.readings import Measurand, shown_value
from loricate.core.planning.lots import Tally
from loricate.core.quantities import DIMENSIONS, Dimension, display
from loricate.core.searching import Span
from loricate.core.trends.charting import Chart
from loricate.core.trends.checks import BoxMeasurand, BoxReading, box_readings
from loricate.core.trends.forecasting import Forecast
from loricate.core.trends.observations import Observation, unscaled
from loricate.core.trends.quantiles import Quantile
from loricate.core.trends.terms import RULE_WORDS, Scale
from loricate.core.trends.trend import DAY_S, SHARES, Trend, trend_of
from loricate.core.trends.yields import wilson
from loricate.papers.tables import csv_text
from loricate.papers.wording import local
from loricate.records import upkeep
from loricate.records.trends import Found, Wanted, Which
from loricate.records.yields import Yields
from loricate.service import everywhere
from loricate.service.errors import NotReady
from loricate.service.places import Places

# What a drift is told in: the longest that fits into the time that was watched.
PER = ((7.0, "a week"), (1.0, "a day"), (1 / 24, "an hour"))
Asked = TrendAsked | CheckTrendAsked


async def read_trend(places: Places, asked: Asked, span: Span) -> tuple[Trend, Found]:
    """The trend that is asked for, and what it was made from; raises NotReady."""
    if isinstance(asked, TrendAsked):
        found = await everywhere.find_readings(
            places,
            asked.search,
            span,
            Wanted(asked.step, asked.quantity, asked.point),
            Which(asked.which),
            asked.count,
        )
        by = asked.by
    else:
        found, by = await places.own.records.read(partial(_checks_found, asked)), ""
    dimension = DIMENSIONS.get(found.dimension)
    scale = Scale(asked.scale) if asked.scale else None
    try:
        made = trend_of(found.observed, dimension or DIMENSIONS["number"], scale, asked.base, by)
    except ValueError as error:
        finding = Finding("scale", str(error), "leave it out, or choose straight.")
        raise NotReady.because([finding]) from error
    return made, found


def _checks_found(asked: CheckTrendAsked, conn: sqlite3.Connection) -> Found:
    rows = upkeep.list_daily_checks(conn, asked.fixture, asked.count + 1)
    own = [
        each
        for each in box_readings(reversed(rows[: asked.count]))
        if (each.of.box, each.of.step, each.of.quantity, each.of.point)
        == (asked.box, asked.step, asked.quantity, asked.point)
    ]
    # Another box is another thing, and another instrument reads it otherwise.
    serial = asked.serial or (own[-1].of.serial if own else "")
    own = [each for each in own if each.of.serial == serial]
    instrument = asked.instrument or (own[-1].of.instrument if own else "")
    own = [each for each in own if each.of.instrument == instrument]
    return Found(
        own[-1].dimension if own else "",
        own[-1].title if own else "",
        tuple(each.observed for each in own),
        {},
        len(rows) > asked.count,
    )


@dataclass(frozen=True, slots=True)
class BoxTrend:
    """What one instrument has read of one measurand of a reference box, check after check."""

    of: BoxMeasurand
    readings: tuple[BoxReading, ...]
    trend: Trend

    @property
    def dimension(self) -> str:
        """The name of what is read."""
        return self.readings[-1].dimension


def box_trends(conn: sqlite3.Connection, fixture: str, count: int) -> list[BoxTrend]:
    """What a fixture's newest checks have read of their boxes."""
    rows = upkeep.list_daily_checks(conn, fixture, count)
    found: dict[BoxMeasurand, list[BoxReading]] = {}
    for each in box_readings(reversed(rows)):
        found.setdefault(each.of, []).append(each)
    return [
        BoxTrend(
            of,
            tuple(own),
            trend_of([each.observed for each in own], DIMENSIONS[own[-1].dimension]),
        )
        for of, own in found.items()
    ]


def check_measurand_out(told: BoxTrend) -> CheckMeasurandOut:
    """A measurand of a box as the API tells it."""
    last, chart = told.readings[-1], told.trend.chart
    return CheckMeasurandOut(
        **asdict(told.of),
        title=last.title,
        dimension=told.dimension,
        readings=len(told.readings),
        signals=len(chart.signals) if chart else 0,
        text=_shown(last.observed, told.dimension),
    )


def trend_out(trend: Trend, found: Found, asked: Asked) -> TrendOut:
    """A trend as the API tells it."""
    name = found.dimension or "number"
    dimension = DIMENSIONS[name]
    used = frozenset(trend.used)
    return TrendOut(
        step=asked.step,
        title=found.title,
        quantity=asked.quantity,
        point=asked.point,
        dimension=found.dimension,
        unit=dimension.unit,
        scale=trend.scale,
        readings=[
            _reading(each, place in used, name, found.runs)
            for place, each in enumerate(trend.observed)
        ],
        is_cut=found.is_cut,
        others=found.others,
        used=len(used),
        left_out=len(trend.observed) - len(used),
        below=trend.below,
        above=trend.above,
        minimum=trend.minimum,
        maximum=trend.maximum,
        limit_text=Limit(dimension=name, minimum=trend.minimum, maximum=trend.maximum).text,
        limits_changed=trend.limits_changed,
        quantiles=[
            _quantile(share, each, dimension)
            for share, each in zip(SHARES, trend.quantiles, strict=False)
        ],
        histogram=HistogramOut(
            edges=[unscaled(each, trend.scale) for each in trend.histogram.edges],
            counts=list(trend.histogram.counts),
            below=trend.histogram.below,
            above=trend.histogram.above,
        ),
        chart=_chart(trend, trend.chart, dimension) if trend.chart else None,
        capability=_capability(trend, dimension),
        forecast=_forecast(trend, trend.forecast, dimension),
        groups=[
            GroupOut(
                name=each.name,
                count=each.count,
                failed=each.failed,
                median=_quantile(0.5, each.median, dimension),
                score=each.score,
                stands_out=each.stands_out,
            )
            for each in trend.groups
        ],
    )


def _shown(observed: Observation, dimension: str) -> str:
    value = observed.value if math.isfinite(observed.value) else None
    return shown_value(value, dimension, observed.bound)


def _reading(
    each: Observation, is_used: bool, dimension: str, runs: dict[str, str]
) -> TrendReading:
    return TrendReading(
        id=each.id,
        run_id=runs.get(each.id, ""),
        serial=each.serial,
        at=each.at,
        value=each.value if math.isfinite(each.value) else None,
        bound=each.bound,
        text=_shown(each, dimension),
        uncertainty=each.uncertainty,
        minimum=each.minimum,
        maximum=each.maximum,
        verdict=each.verdict,
        cause=each.cause,
        attempt=each.number,
        repetition=each.repetition,
        is_used=is_used,
        groups=dict(each.groups),
    )


def _quantile(share: float, told: Quantile, dimension: Dimension) -> QuantileOut:
    low = None if told.low is None else display(told.low, dimension)
    high = None if told.high is None else display(told.high, dimension)
    if low is None and high is None:
        text = "not known"
    elif low is None:
        text = f"< {high}"
    elif high is None:
        text = f"> {low}"
    else:
        text = low if told.is_exact else f"{low} to {high}"
    return QuantileOut(share=share, low=told.low, high=told.high, text=text)


def _chart(trend: Trend, chart: Chart, dimension: Dimension) -> ChartOut:
    centre, lower, upper = (
        unscaled(each, trend.scale) for each in (chart.centre, chart.lower, chart.upper)
    )
    signals = []
    for each in chart.signals:
        first, last = trend.used[each.first], trend.used[each.last]
        signals.append(
            SignalOut(
                rule=each.rule,
                words=RULE_WORDS[each.rule],
                first=first,
                last=last,
                from_at=trend.observed[first].at,
                to_at=trend.observed[last].at,
            )
        )
    return ChartOut(
        centre=centre,
        lower=lower,
        upper=upper,
        centre_text=display(centre, dimension),
        lower_text=display(lower, dimension),
        upper_text=display(upper, dimension),
        ranges=[each if math.isfinite(each) else None for each in chart.ranges.tolist()],
        mean_range=chart.mean_range,
        most_range=chart.most_range,
        base=chart.base,
        signals=sorted(signals, key=lambda each: (each.first, each.last)),
    )


def _capability(trend: Trend, dimension: Dimension) -> CapabilityOut:
    told = trend.capability
    mean = None if told.mean is None else unscaled(told.mean, trend.scale)
    return CapabilityOut(
        mean=mean,
        mean_text="" if mean is None else display(mean, dimension),
        sigma=told.sigma,
        sigma_text="" if told.sigma is None else _width(told.sigma, trend.scale, dimension),
        is_fitted=told.is_fitted,
        cp=told.cp,
        cp_least=told.cp_least,
        cpk=told.cpk,
        cpk_least=told.cpk_least,
        why_not=told.why_not,
    )


def _width(width: float, scale: Scale, dimension: Dimension) -> str:
    """A difference: in the unit, or in decades."""
    if scale is Scale.DECADES:
        return f"{width:.3g} decades"
    if dimension.name == "temperature":
        return f"{width:.3g} K"
    return display(width, dimension, 3)


def _forecast(trend: Trend, told: Forecast, dimension: Dimension) -> ForecastOut:
    if told.slope is None or told.slope_low is None or told.slope_high is None:
        return ForecastOut(
            rate_text="", line=[], limit="", meets_at="", earliest_at="", latest_at="", text="",
            why_not=told.why_not,
        )  # fmt: skip
    own = [trend.observed[place] for place in trend.used]
    begin = dt.datetime.fromisoformat(own[0].at)
    span_days = (dt.datetime.fromisoformat(own[-1].at) - begin).total_seconds() / DAY_S
    days, per = next(each for each in PER if span_days >= each[0] or each is PER[-1])
    rates = [
        _signed(each * days, trend.scale, dimension)
        for each in (told.slope, told.slope_low, told.slope_high)
    ]
    ends = (told.begins_at, told.ends_at)
    line = [
        LineEnd(at=each.at, value=unscaled(value, trend.scale))
        for each, value in zip((own[0], own[-1]), ends, strict=True)
        if value is not None and told.is_drift
    ]
    meets, earliest, latest = (
        _moment(begin, each) for each in (told.meets, told.earliest, told.latest)
    )
    limit = {"minimum": trend.minimum, "maximum": trend.maximum}.get(told.limit)
    text = ""
    if earliest and limit is not None:
        until = f"and {latest[:10]}" if latest else "and a time too far off to be told"
        likely = f", likely {meets[:10]}" if meets else ""
        text = (
            f"Its line meets the {told.limit} of {display(limit, dimension)} between"
            f" {earliest[:10]} {until}{likely}."
        )
    return ForecastOut(
        rate_text=f"{rates[0]} {per} ({rates[1]} to {rates[2]})",
        line=line,
        limit=told.limit,
        meets_at=meets,
        earliest_at=earliest,
        latest_at=latest,
        text=text,
        why_not=told.why_not,
    )


def _signed(width: float, scale: Scale, dimension: Dimension) -> str:
    """A change with its sign; of decades in percent, while that says more."""
    sign = "−" if width < 0 else "+"
    if scale is Scale.DECADES and abs(width) < 1:
        return f"{sign}{abs(10.0**width - 1) * 100:.3g} %"
    return f"{sign}{_width(abs(width), scale, dimension)}"


def _moment(begin: dt.datetime, days: float | None) -> str:
    """A moment so many days later; empty where there is none, or none that can be written."""
    if days is None:
        return ""
    try:
        at = begin + dt.timedelta(seconds=days * DAY_S)
    except OverflowError:
        return ""
    return at.astimezone(dt.UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


def heading_of(found: Found, asked: Asked) -> str:
    """What a drawing of a trend is of."""
    measurand = str(Measurand(asked.quantity, asked.point))
    if isinstance(asked, CheckTrendAsked):
        return f"{found.title or asked.step}: {measurand}, the {asked.box} box of {asked.fixture}"
    names = [asked.product, asked.lot, asked.serial, asked.fixture, asked.nest]
    of = ", ".join(each for each in names if each)
    return f"{found.title or asked.step}: {measurand}{f' ({of})' if of else ''}"


def table_of(trend: Trend, zone: str, with_mark: bool, decimal_comma: bool) -> str:
    """A trend's readings as CSV: SI values to the last digit, bounds as bounds."""
    groups = list(dict.fromkeys(name for each in trend.observed for name, _ in each.groups))
    heads = [
        *("at_utc", f"at_{zone}", "serial", "bound", "value", "uncertainty", "minimum", "maximum"),
        *("verdict", "cause", "attempt", "repetition", "used", *groups),
    ]
    used = frozenset(trend.used)
    rows = (
        [
            *(each.at, local(each.at, zone), each.serial, str(each.bound)),
            each.value if math.isfinite(each.value) else None,
            *(each.uncertainty, each.minimum, each.maximum, each.verdict, str(each.cause)),
            *(each.number, each.repetition, place in used),
            *(each.group(name) for name in groups),
        ]
        for place, each in enumerate(trend.observed)
    )
    return csv_text(heads, rows, with_mark, decimal_comma)


def yields_out(found: Yields) -> YieldsOut:
    """Yields as the API tells them."""
    return YieldsOut(
        total=_yield("", found.total),
        groups=[_yield(name, each) for name, each in found.groups.items()],
        is_cut=found.is_cut,
        causes=[CauseOut.model_validate(asdict(each)) for each in found.causes],
    )


def _yield(name: str, counted: Tally) -> YieldOut:
    return YieldOut(
        name=name,
        tested=counted.tested,
        passed_first=counted.passed_first,
        passed=counted.passed,
        failed=counted.failed,
        first_pass=_share(counted.passed_first, counted.tested),
        final=_share(counted.passed, counted.tested),
    )


def _share(part: int, whole: int) -> ShareOut | None:
    told = wilson(part, whole)
    return None if told is None else ShareOut(share=part / whole, low=told[0], high=told[1])
