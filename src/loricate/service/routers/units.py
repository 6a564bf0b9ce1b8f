"""Units: search, one unit's whole history, and reports of it."""

import datetime as dt
from dataclasses import replace
from functools import partial
from typing import Annotated

from fastapi import Query, Request, Response

from loricate.api.records import UnitOut
from loricate.api.searching import UnitFound, UnitsAsked
from loricate.core.depths import Depth
from loricate.papers.wording import person_words, zone_of
from loricate.records import runs
from loricate.records.errors import NotFound
from loricate.service import everywhere
from loricate.service.reporting import draw, report_of
from loricate.service.routers.access import APage, Before, Page, TheDesk, make_router
from loricate.service.routers.showing import unit_out
from loricate.service.sign_in import Reader

router = make_router("/units", "units")


@router.get("", response_model=list[UnitFound])
async def find_units(
    person: Reader,
    desk: TheDesk,
    request: Request,
    response: Response,
    asked: Annotated[UnitsAsked, Query()],
) -> list[UnitFound]:
    """Find units in runs by all that is known of them, the newest first."""
    page, search = Page(request, response, asked.count), asked.search
    span = search.span(zone_of(desk.look.zone), dt.datetime.now(dt.UTC))
    found = await everywhere.find_units(desk.places, search, span, page.look_for, asked.before)
    rows = page.cut(found, "before", lambda row: str(row["cursor"]))
    return [UnitFound(**{key: row[key] for key in UnitFound.model_fields}) for row in rows]


@router.get("/{serial}", response_model=list[UnitOut])
async def show_unit(
    serial: str,
    person: Reader,
    desk: TheDesk,
    page: APage,
    before: Before = "",
) -> list[UnitOut]:
    """Every appearance of a serial, newest first, with all attempts and readings."""

    read = partial(runs.unit_history, serial=serial, count=page.look_for, before=before)
    found = [
        (str(row["id"]), unit_out(row).model_copy(update={"from_bench": place.bench}))
        for place, rows in await desk.places.each(read)
        for row in rows
    ]
    if not found and not before:
        raise NotFound("unit", serial)
    found.sort(key=lambda each: each[0], reverse=True)
    return [unit for _, unit in page.cut(found, "before", lambda each: each[0])]


@router.get(
    "/{serial}/report",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def show_report(
    serial: str,
    person: Reader,
    desk: TheDesk,
    depth: Annotated[
        Depth, Query(description="How much it tells; each tells all that those before it tell")
    ] = Depth.LIMITS,
    failed_only: Annotated[bool, Query(description="Only what did not pass")] = False,
    run: Annotated[str, Query(max_length=40, description="Of this run; else of the newest")] = "",
) -> Response:
    """A report of a unit in a run, as PDF: drawn from the record as it is now, and not sealed."""
    drawn_by = person_words(person.account.full_name, person.name)
    place, report = await desk.places.first(partial(report_of, serial, run, drawn_by))
    if place is desk.places.own:
        number = report.document
        url = f"{desk.settings.base_url}/verify/{number}" if number else ""
        report = replace(report, site=desk.plan.site, verify_url=url)
    else:
        report = replace(report, site=place.name)
    given = report, depth, failed_only, desk.look, place.pictures
    pdf = await desk.drawing.do(draw, *given)
    headers = {"Content-Disposition": f'inline; filename="{serial}-{depth}.pdf"'}
    return Response(pdf, media_type="application/pdf", headers=headers)
