"""Carrying: records out to a file, in from one, and the receipts between."""

import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import Query, Request
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from loricate.api.carrying import (
    CarriedBench,
    CarriedIn,
    CarryOutIn,
    CarryState,
    Receipt,
    SiteId,
)
from loricate.records import audit
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Auditor, Reader

router = make_router("", "carrying")
FILE_TYPE = "application/gzip"
BINARY = {"schema": {"type": "string", "format": "binary"}}
BODY = {"requestBody": {"required": True, "content": {"application/octet-stream": BINARY}}}


@router.get("/carry", response_model=CarryState)
async def show_carrying(person: Reader, desk: TheDesk) -> CarryState:
    """What of this service's records has been carried elsewhere, and what waits."""
    return await desk.carrier.state()


@router.post(
    "/carry",
    response_class=FileResponse,
    responses={200: {"content": {FILE_TYPE: BINARY}}},
)
async def carry_out(body: CarryOutIn, person: Auditor, desk: TheDesk) -> FileResponse:
    """One signed file of all records, curves, pictures and documents that nobody has said to have.

    It says itself what it holds; take it in at the service that keeps them all.
    """
    begins = {} if body.everything else await desk.carrier.begins()
    with desk.carrier.folder() as folder:
        made = await desk.carrier.carry_out(begins, folder / "going", body.papers)
        kept = tempfile.NamedTemporaryFile(dir=folder.parent, prefix=".gone-", delete=False)
        kept.close()
        (folder / "going").replace(kept.name)
    told = f"{made.records} records, {made.papers} papers, {made.pictures} pictures"
    await desk.store.write(lambda conn: audit.note(conn, person.name, "carry out", "records", told))
    name = f"{desk.plan.code}-{made.ends.get('audit', (0, ''))[0]:06}.carried"
    return FileResponse(
        kept.name,
        media_type=FILE_TYPE,
        filename=name,
        headers={"X-Loricate-Records": str(made.records), "X-Loricate-Missing": str(made.missing)},
        background=BackgroundTask(Path(kept.name).unlink, missing_ok=True),
    )


@router.post("/carry/receipts", status_code=204)
async def keep_receipt(body: Receipt, person: Auditor, desk: TheDesk) -> None:
    """Keep what another service has said to have, so that it is not carried again."""
    await desk.carrier.keep_receipt(body, person.name)


@router.get("/carried", response_model=list[CarriedBench])
async def list_carried(person: Reader, desk: TheDesk) -> list[CarriedBench]:
    """Every bench whose records were carried in, and the files that they came in."""
    return await desk.carrier.benches()


@router.post("/carried", response_model=CarriedIn, status_code=201, openapi_extra=BODY)
async def carry_in(
    request: Request,
    person: Auditor,
    desk: TheDesk,
    key: Annotated[
        str,
        Query(
            pattern=r"^[A-Za-z0-9_-]{43}$|^$",
            description="Thumbprint of the bench's key, compared by a person; for its first file",
        ),
    ] = "",
) -> CarriedIn:
    """Take a file in, whole or not at all; what came before is taken once."""
    return await desk.carrier.carry_in(request.stream(), key, person.name)


@router.get("/carried/{site_id}/receipt", response_model=Receipt)
async def show_receipt(site_id: SiteId, person: Reader, desk: TheDesk) -> Receipt:
    """How far the records of a site have come in here; nothing where none ever has."""
    return await desk.carrier.receipt(site_id)
