"""Keeping the records: whether anything in them was changed, and the audit trail to take away."""

import csv
import io
import sqlite3
from collections.abc import AsyncIterator
from functools import partial
from typing import Any

from fastapi.responses import StreamingResponse

from loricate.api.keeping import (
    DueOut,
    DueProduct,
    DueUnit,
    GoneOut,
    LeavingOut,
    LettingGo,
    OutgoingOut,
    RecordsState,
)
from loricate.records import audit, outbox
from loricate.records.outbox import Outgoing
from loricate.records.retention import Due, Rule
from loricate.service.desk import Desk
from loricate.service.errors import WrongState
from loricate.service.retaining import MOST_AT_ONCE, DueList
from loricate.service.routers.access import APage, Before, NumberInPath, TheDesk, make_router
from loricate.service.sign_in import Approver, Auditor, Reader

router = make_router("", "keeping")
ENTRIES_AT_ONCE = 500


@router.get("/records/check", response_model=RecordsState)
async def check_records(person: Auditor, desk: TheDesk) -> RecordsState:
    """Hold every record against its mark, the marks against each other and the heads outside."""
    found = await desk.check.records()
    return RecordsState(
        marks=found.entries,
        whole=not found.faults,
        faults=list(found.faults),
        heads=found.heads,
        notes=list(found.notes),
    )


@router.get("/records/due", response_model=DueOut)
async def list_due(person: Auditor, desk: TheDesk) -> DueOut:
    """What was measured so long ago that it may go, by the times that the site file gives."""
    found = await desk.retention.look()
    return DueOut(
        today=found.today.isoformat(),
        products=[_of_product(found, rule) for rule in found.rules],
        units=[_due_unit(each) for each in found.due],
        held=[_due_unit(each) for each in found.held[:MOST_AT_ONCE]],
        further=found.further,
        unknown=list(found.unknown),
        seen=found.seen,
    )


def _due_unit(due: Due) -> DueUnit:
    return DueUnit(
        run=due.run_id,
        nest=due.nest,
        product=due.product,
        serial=due.serial,
        ended_at=due.ended_at,
        held=due.held,
    )


def _of_product(found: DueList, rule: Rule) -> DueProduct:
    own = [each for each in found.due if each.product == rule.product]
    sizes = [found.sizes[each.id] for each in own]
    return DueProduct(
        product=rule.product,
        years=rule.years,
        units=len(own),
        readings=sum(readings for readings, _ in sizes),
        curves=sum(curves for _, curves in sizes),
        held=sum(each.product == rule.product for each in found.held),
        oldest=own[0].ended_at if own else None,
        newest=own[-1].ended_at if own else None,
    )


@router.post("/records/letting-go", response_model=GoneOut)
async def let_go(body: LettingGo, person: Approver, desk: TheDesk) -> GoneOut:
    """Let go the readings and curves of the very list that was seen; it cannot be undone.

    Verdicts, answers, remarks, pictures and documents stay.
    """
    gone = await desk.retention.let_go(body.seen, body.reason, person.name)
    return GoneOut(
        units=gone.units,
        readings=gone.readings,
        curves=gone.curves,
        left=[_due_unit(each) for each in gone.left],
    )


@router.get("/outbox", response_model=list[OutgoingOut])
async def list_outbox(
    person: Reader, desk: TheDesk, page: APage, before: Before = "", waiting: bool = False
) -> list[OutgoingOut]:
    """What leaves the service, newest first; with ``waiting`` only what has not got there yet."""
    found = await desk.store.read(
        lambda conn: outbox.list_outgoing(conn, page.look_for, before, waiting)
    )
    rows = page.cut(found, "before", lambda each: each.id)
    return [OutgoingOut.model_validate(each, from_attributes=True) for each in rows]


@router.post("/outbox/tries", status_code=204)
async def try_outbox(person: Auditor, desk: TheDesk) -> None:
    """Try everything that waits now, and not when its turn comes."""
    await desk.store.write(outbox.try_all_now)
    desk.sender.look()


@router.post("/outbox/{entry}/leaving", response_model=OutgoingOut)
async def leave_out(
    entry: NumberInPath, body: LeavingOut, person: Auditor, desk: TheDesk
) -> OutgoingOut:
    """Leave out a message that its receiver will never take; what waits behind it goes on."""

    def keep(conn: sqlite3.Connection) -> Outgoing:
        try:
            return outbox.leave_out(conn, entry, person.name, body.reason)
        except ValueError as error:
            raise WrongState(f"Entry {entry} {error}") from error

    left = await desk.store.write(keep)
    desk.sender.look()
    return OutgoingOut.model_validate(left, from_attributes=True)


@router.get(
    "/audit/export",
    response_class=StreamingResponse,
    responses={200: {"content": {"text/csv": {"schema": {"type": "string"}}}}},
)
async def export_audit(person: Auditor, desk: TheDesk) -> StreamingResponse:
    """The whole audit trail as CSV (RFC 4180), oldest first, each entry with its mark."""
    headers = {"Content-Disposition": 'attachment; filename="audit.csv"'}
    return StreamingResponse(_rows(desk), media_type="text/csv; charset=utf-8", headers=headers)


async def _rows(desk: Desk) -> AsyncIterator[str]:
    yield _csv([audit.EXPORTED + audit.MARKED])
    after = 0
    while True:
        found = await desk.store.read(partial(_page, after))
        if not found:
            return
        yield _csv([tuple(row.values()) for row in found])
        after = found[-1]["mark"]


def _page(after: int, conn: sqlite3.Connection) -> list[dict[str, Any]]:
    return audit.page_with_marks(conn, after, ENTRIES_AT_ONCE)


def _csv(rows: list[tuple[object, ...]]) -> str:
    text = io.StringIO()
    csv.writer(text).writerows(rows)
    return text.getvalue()
