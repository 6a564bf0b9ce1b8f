"""Captures: known-good units measured, what came of them decided, and a product drafted from it."""

from loricate.api.bench import UpkeepOut
from loricate.api.captures import (
    CaptureDecisions,
    CapturedProduct,
    CaptureOut,
    CaptureSummary,
    NewCapturedUnit,
)
from loricate.api.definitions import ProductDraft
from loricate.records import captures
from loricate.service.capturing import decide, product_draft, show_capture
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.routers.upkeep import show_act
from loricate.service.sign_in import Definer, Reader

router = make_router("/captures", "captures")


@router.post("", response_model=UpkeepOut, status_code=201)
async def begin_capture(body: NewCapturedUnit, person: Definer, desk: TheDesk) -> UpkeepOut:
    """Begin to capture a unit: an act of upkeep, followed and answered there.

    When it has passed, its ``made`` is the capture.
    """
    act = await desk.bench.do(
        lambda side: side.upkeeps.begin_capture(
            body.fixture,
            body.nest,
            body.serial,
            body.positions,
            body.temperature,
            body.capture,
            person.name,
        )
    )
    return await show_act(act.id, desk)


@router.get("", response_model=list[CaptureSummary])
async def list_captures(
    person: Reader, desk: TheDesk, page: APage, before: Before = ""
) -> list[CaptureSummary]:
    """Captures, newest first."""
    found = await desk.store.read(
        lambda conn: captures.page_of_captures(conn, before, page.look_for)
    )
    return [
        CaptureSummary(
            id=each.id,
            fixture=each.fixture,
            serials=list(each.serials),
            account=each.account,
            measured_at=each.measured_at,
        )
        for each in page.cut(found, "before", lambda row: row.id)
    ]


@router.get("/{capture_id}", response_model=CaptureOut)
async def show_one(capture_id: str, person: Reader, desk: TheDesk) -> CaptureOut:
    """What was measured of each unit, what is proposed, what was decided."""
    return await desk.store.read(lambda conn: show_capture(conn, capture_id))


@router.post("/{capture_id}/decisions", response_model=CaptureOut)
async def decide_items(
    capture_id: str, body: CaptureDecisions, person: Definer, desk: TheDesk
) -> CaptureOut:
    """Accept, change or refuse what was found; the last decision on each counts."""
    return await desk.store.write(
        lambda conn: decide(conn, capture_id, body.decisions, body.accept_others, person.name)
    )


@router.post("/{capture_id}/draft", response_model=ProductDraft)
async def draft_product(
    capture_id: str, body: CapturedProduct, person: Definer, desk: TheDesk
) -> ProductDraft:
    """The document of a product from what was decided; stores and releases nothing."""
    found = await desk.store.read(
        lambda conn: product_draft(conn, capture_id, body.code, body.title)
    )
    return ProductDraft(document=dict(found))
