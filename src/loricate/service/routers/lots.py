"""Lots: open, list, sum up, close."""

import sqlite3
from collections.abc import Sequence
from typing import Any, Literal

from fastapi import Response

from loricate import __version__
from loricate.api.certificates import Entered
from loricate.api.lots import LotOut, LotSummary, LotUnitOut, NewLot
from loricate.core.errors import Finding
from loricate.core.planning.lots import Appearance, Progress, progress, read_serials
from loricate.papers.lot import draw_lot_view
from loricate.records import definitions, lots
from loricate.records.lots import LotRecord
from loricate.records.stamps import now
from loricate.service.desk import Desk
from loricate.service.problems import NotReady, WrongState
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.sign_in import Reader, Runner, Summer

router = make_router("/lots", "lots")


def _refused(field: str, message: str) -> NotReady:
    return NotReady.because([Finding(field, message)])


def _in_short(record: LotRecord, found: Progress) -> LotOut:
    own = LotOut.model_fields.keys() & LotRecord.__dataclass_fields__.keys()
    return LotOut(
        **{name: getattr(record, name) for name in own},
        expected=found.expected,
        tested=found.tested,
        passed=found.passed,
        failed=found.failed,
        first_pass_yield=found.first_pass_yield,
        final_yield=found.final_yield,
        waiting_count=found.waiting_count,
    )


def _progress(record: LotRecord, appearances: Sequence[Appearance]) -> Progress:
    return progress(read_serials(record.serials, record.quantity), appearances)


def _summary(conn: sqlite3.Connection, record: LotRecord) -> LotSummary:
    found = _progress(record, lots.appearances(conn, [record.code])[record.code])
    return LotSummary(
        **_in_short(record, found).model_dump(),
        waiting=list(found.waiting),
        units=[
            LotUnitOut(**{name: row[name] for name in LotUnitOut.model_fields})
            for row in lots.latest_units(conn, record.code)
        ],
    )


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
        return _summary(conn, lots.get_lot(conn, body.code))

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
        return [_in_short(each, _progress(each, came[each.code])) for each in records]

    return await desk.store.read(look)


@router.get("/{code}", response_model=LotSummary)
async def show_lot(code: str, person: Reader, desk: TheDesk) -> LotSummary:
    """A lot's progress, its units with their latest verdicts, and those that wait."""
    return await desk.store.read(lambda conn: _summary(conn, lots.get_lot(conn, code)))


@router.get(
    "/{code}/pdf",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def download_lot(code: str, person: Reader, desk: TheDesk) -> Response:
    """The summary of a lot as a PDF, as it stands now."""
    found = await desk.store.read(lambda conn: _summary(conn, lots.get_lot(conn, code)))
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
    return await _sum_up(code, desk)


async def _sum_up(code: str, desk: Desk) -> Entered:
    def look(conn: sqlite3.Connection) -> dict[str, Any]:
        return _summary(conn, lots.get_lot(conn, code)).model_dump()

    return Entered(number=await desk.acts.sum_up(code, look))


@router.post("/{code}/close", response_model=LotSummary)
async def close_lot(code: str, person: Runner, desk: TheDesk) -> LotSummary:
    """Close a lot: no run is made in it any more, and its summary is issued."""

    def close(conn: sqlite3.Connection) -> LotSummary:
        if lots.get_lot(conn, code).state == "closed":
            raise WrongState(f"Lot {code} is closed already.")
        lots.close_lot(conn, code, person.name)
        return _summary(conn, lots.get_lot(conn, code))

    closed = await desk.store.write(close)
    await _sum_up(code, desk)
    return closed
