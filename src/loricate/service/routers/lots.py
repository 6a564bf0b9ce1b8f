"""Lots: open, list, sum up, close."""

import sqlite3
from typing import Literal

from fastapi import Response

from loricate import __version__
from loricate.api.certificates import Entered
from loricate.api.lots import LotOut, LotSummary, NewLot
from loricate.core.errors import Finding
from loricate.core.planning.lots import read_serials
from loricate.papers.lot import draw_lot_view
from loricate.records import definitions, lots
from loricate.records.stamps import now
from loricate.service.errors import NotReady
from loricate.service.lot_keeping import in_short, progress_of, summary_of
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.sign_in import Reader, Runner, Summer

router = make_router("/lots", "lots")


def _refused(field: str, message: str) -> NotReady:
    return NotReady.because([Finding(field, message)])


@router.post("", response_model=LotSummary, status_code=201)
async def open_lot(body: NewLot, person: Runner, desk: TheDesk) -> LotSummary:
    """Open a lot of a product for a list of serials, or for a quantity of a pattern."""
    try:
        serials = read_serials(body.serials, body.quantity)
    except ValueError as error:
        raise _refused("serials", str(error)) from error

    def keep(conn: sqlite3.Connection) -> LotSummary:
        if body.product not in definitions.known_products(conn):
            raise _refused("product", f"there is no product '{body.product}'; add it first.")
        if lots.find_lot(conn, body.code) is not None:
            raise _refused("code", f"there is a lot '{body.code}' already; choose another code.")
        lots.add_lot(
            conn,
            body.code,
            body.product,
            serials.count,
            body.serials,
            body.order_number,
            person.name,
        )
        return summary_of(conn, body.code)

    return await desk.store.write(keep)


@router.get("", response_model=list[LotOut])
async def list_lots(
    person: Reader,
    desk: TheDesk,
    page: APage,
    before: Before = "",
    state: Literal["", "open", "closed"] = "",
) -> list[LotOut]:
    """Every lot with its progress, newest first; with ``state`` those that are open, or closed."""

    def look(conn: sqlite3.Connection) -> list[LotOut]:
        found = lots.list_lots(conn, page.look_for, before, state)
        records = page.cut(found, "before", lambda record: record.code)
        came = lots.appearances(conn, [record.code for record in records])
        return [in_short(each, progress_of(each, came[each.code])) for each in records]

    return await desk.store.read(look)


@router.get("/{code}", response_model=LotSummary)
async def show_lot(code: str, person: Reader, desk: TheDesk) -> LotSummary:
    """A lot's progress, its units with their latest verdicts, and those that wait."""
    return await desk.store.read(lambda conn: summary_of(conn, code))


@router.get(
    "/{code}/pdf",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def download_lot(code: str, person: Reader, desk: TheDesk) -> Response:
    """The summary of a lot as a PDF, as it stands now."""
    found = await desk.store.read(lambda conn: summary_of(conn, code))
    view = {
        "number": "",
        "issued_at": now(),
        "zone": desk.look.zone,
        "site": desk.plan.site,
        "software": f"Loricate {__version__}",
        "supersedes": "",
        "verify_url": "",
        "lot": found.model_dump(),
    }
    pdf = await desk.drawing.do(draw_lot_view, view, desk.look)
    headers = {"Content-Disposition": f'inline; filename="{code}.pdf"'}
    return Response(pdf, media_type="application/pdf", headers=headers)


@router.post("/{code}/summary", response_model=Entered, status_code=201)
async def issue_summary(code: str, person: Summer, desk: TheDesk) -> Entered:
    """Issue the summary of a lot as it stands: a signed document, in place of the one before."""
    return Entered(number=await desk.lots.sum_up(code))


@router.post("/{code}/close", response_model=LotSummary)
async def close_lot(code: str, person: Runner, desk: TheDesk) -> LotSummary:
    """Close a lot: no run is made in it any more, and its summary is issued."""
    return await desk.lots.close(code, person.name)
