"""Trends of readings, of units and of daily checks' boxes; yields."""

import datetime as dt
from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import Query, Response

from loricate.api.trends import (
    AsTable,
    ChartName,
    CheckMeasurandOut,
    CheckTableAsked,
    CheckTrendAsked,
    MeasurandOut,
    TrendAsked,
    TrendOut,
    TrendTableAsked,
    YieldBy,
    YieldsOut,
)
from loricate.core.quantities import DIMENSIONS
from loricate.core.searching import Span, UnitSearch
from loricate.core.trends.trend import Trend
from loricate.papers.charts import draw_trend
from loricate.papers.wording import zone_of
from loricate.records.trends import Found
from loricate.records.yields import By
from loricate.service import everywhere
from loricate.service.desk import Desk
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Reader
from loricate.service.trending import (
    Asked,
    box_trends,
    check_measurand_out,
    heading_of,
    read_trend,
    table_of,
    trend_out,
    yields_out,
)

router = make_router("", "trends")
CHECKS = 400
DRAWING: dict[int | str, dict[str, Any]] = {
    200: {"content": {"image/svg+xml": {}, "image/png": {}}}
}
TABLE: dict[int | str, dict[str, Any]] = {200: {"content": {"text/csv": {}}}}


def _span(asked: UnitSearch, desk: Desk) -> Span:
    return asked.span(zone_of(desk.look.zone), dt.datetime.now(dt.UTC))


async def _read(asked: Asked, desk: Desk) -> tuple[Trend, Found]:
    span = _span(asked.search, desk) if isinstance(asked, TrendAsked) else Span()
    return await read_trend(desk.places, asked, span)


async def _drawn(
    asked: Asked, chart: ChartName, form: Literal["svg", "png"], desk: Desk
) -> Response:
    made, found = await _read(asked, desk)
    by = asked.by if isinstance(asked, TrendAsked) else ""
    picture = await desk.drawing.do(
        draw_trend,
        made,
        chart,
        heading_of(found, asked),
        DIMENSIONS[found.dimension or "number"],
        desk.look.zone,
        form,
        by,
    )
    media_type = "image/png" if form == "png" else "image/svg+xml"
    headers = {"Content-Disposition": f'inline; filename="{asked.step}-{chart}.{form}"'}
    return Response(picture, media_type=media_type, headers=headers)


async def _table(asked: Asked, how: AsTable, desk: Desk) -> Response:
    made, _ = await _read(asked, desk)
    text = table_of(made, desk.look.zone, how.bom, how.decimal_comma)
    headers = {"Content-Disposition": f'attachment; filename="{asked.step}-trend.csv"'}
    return Response(text, media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/measurands", response_model=list[MeasurandOut])
async def list_measurands(
    person: Reader, desk: TheDesk, asked: Annotated[UnitSearch, Query()]
) -> list[MeasurandOut]:
    """What the newest units that a search finds have readings of, in the order of their steps."""
    span = _span(asked, desk)
    found = await everywhere.list_measurands(desk.places, asked, span)
    return [MeasurandOut.model_validate(asdict(each)) for each in found]


@router.get("/trends", response_model=TrendOut)
async def show_trend(
    person: Reader, desk: TheDesk, asked: Annotated[TrendAsked, Query()]
) -> TrendOut:
    """What readings of one measurand say together: chart, capability, forecast, groups."""
    made, found = await _read(asked, desk)
    return trend_out(made, found, asked)


@router.get("/trends/table", response_class=Response, responses=TABLE)
async def show_trend_table(
    person: Reader, desk: TheDesk, asked: Annotated[TrendTableAsked, Query()]
) -> Response:
    """A trend's readings as CSV."""
    return await _table(asked, asked, desk)


@router.get("/trends/{chart}/{form}", response_class=Response, responses=DRAWING)
async def draw_chart(
    chart: ChartName,
    form: Literal["svg", "png"],
    person: Reader,
    desk: TheDesk,
    asked: Annotated[TrendAsked, Query()],
) -> Response:
    """A trend drawn, with axes and units: over time, as control chart, histogram or by group."""
    return await _drawn(asked, chart, form, desk)


@router.get("/check-measurands", response_model=list[CheckMeasurandOut])
async def list_check_measurands(
    person: Reader,
    desk: TheDesk,
    fixture: Annotated[str, Query(min_length=1, max_length=100)],
) -> list[CheckMeasurandOut]:
    """What a fixture's daily checks have read of their reference boxes."""
    found = await desk.store.read(lambda conn: box_trends(conn, fixture, CHECKS))
    return [check_measurand_out(each) for each in found]


@router.get("/check-trends", response_model=TrendOut)
async def show_check_trend(
    person: Reader, desk: TheDesk, asked: Annotated[CheckTrendAsked, Query()]
) -> TrendOut:
    """What an instrument has read of a reference box in daily checks, as a trend."""
    made, found = await _read(asked, desk)
    return trend_out(made, found, asked)


@router.get("/check-trends/table", response_class=Response, responses=TABLE)
async def show_check_table(
    person: Reader, desk: TheDesk, asked: Annotated[CheckTableAsked, Query()]
) -> Response:
    """The readings of daily checks as CSV."""
    return await _table(asked, asked, desk)


@router.get("/check-trends/{chart}/{form}", response_class=Response, responses=DRAWING)
async def draw_check_chart(
    chart: ChartName,
    form: Literal["svg", "png"],
    person: Reader,
    desk: TheDesk,
    asked: Annotated[CheckTrendAsked, Query()],
) -> Response:
    """The readings of daily checks drawn, with axes and units."""
    return await _drawn(asked, chart, form, desk)


@router.get("/yields/{by}", response_model=YieldsOut)
async def show_yields(
    by: YieldBy, person: Reader, desk: TheDesk, asked: Annotated[UnitSearch, Query()]
) -> YieldsOut:
    """First-pass and final yield of what a search finds, by group, and what units fail of."""
    span, zone = _span(asked, desk), zone_of(desk.look.zone)
    found = await everywhere.count_yields(desk.places, asked, span, By(by), zone)
    return yields_out(found)
