"""Documents: find, show, download, verify; revoke and approve; the ledger."""

import asyncio
import sqlite3
from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import Query, Request, Response
from fastapi.responses import PlainTextResponse

from loricate.api.certificates import (
    Approving,
    DocumentFound,
    Entered,
    KindName,
    LedgerState,
    Revoking,
    Verified,
    VerifiedFile,
)
from loricate.core.errors import Finding
from loricate.records import ledger, papers
from loricate.records.errors import NotFound
from loricate.records.kept_files import read_file
from loricate.records.ledger import LedgerRow, Wanted
from loricate.records.papers import PaperState
from loricate.service.errors import NotReady
from loricate.service.giving import given_paper
from loricate.service.head_keeping import present_head
from loricate.service.routers.access import MOST_NUMBER, APage, TheDesk, make_router
from loricate.service.sign_in import Approver, Reader
from loricate.service.standing import standing_of
from loricate.service.verifying import verified_file, verified_number

router = make_router("", "certificates")
FILE = {
    "requestBody": {
        "required": True,
        "content": {
            kind: {"schema": {"type": "string", "format": "binary"}}
            for kind in ("application/pdf", "application/octet-stream")
        },
    }
}


OfBench = Annotated[
    str,
    Query(
        max_length=100,
        description="Of a bench whose records were carried in: its code, or its site's id",
    ),
]


def _found(row: LedgerRow, paper: PaperState, needed: int, bench: str) -> DocumentFound:
    told = {**asdict(row), "about": list(row.about), "approvals_needed": needed}
    told["from_bench"] = bench
    return DocumentFound(**told, paper=paper.state, paper_problem=paper.problem)


@router.get("/certificates", response_model=list[DocumentFound])
async def list_certificates(
    person: Reader,
    desk: TheDesk,
    page: APage,
    kind: KindName | Literal[""] = "",
    serial: Annotated[str, Query(max_length=64, examples=["DC40-26-01*"])] = "",
    lot: Annotated[str, Query(max_length=64)] = "",
    number: Annotated[str, Query(max_length=20, description="What it begins with")] = "",
    standing: Literal["", "counts", "superseded", "revoked", "approved", "unapproved"] = "",
    before: Annotated[
        int, Query(ge=0, le=MOST_NUMBER, description="The last one seen, for the next page")
    ] = 0,
    of: OfBench = "",
) -> list[DocumentFound]:
    """What was issued, newest first: certificates, reports, lot summaries, and acts on them.

    Of this service's own ledger, or of one bench's whose records were carried in.
    """
    wanted = Wanted(kind, serial, lot, number, standing)
    needed = desk.site.approvals.needed

    places = desk.places.named(of)
    place = places[0]

    def look(conn: sqlite3.Connection) -> list[DocumentFound]:
        found = ledger.list_entries(conn, wanted, page.look_for, before, needed)
        rows = page.cut(found, "before", lambda row: row.position)
        return [
            _found(row, papers.paper_state(conn, row.number), needed, place.bench) for row in rows
        ]

    return await place.records.read(look)


@router.get("/certificates/{name}", response_model=dict[str, Any])
async def show_certificate(name: str, person: Reader, desk: TheDesk, of: OfBench = "") -> Response:
    """The sealed JSON with how it stands, by number or by serial (then its newest)."""

    def look(conn: sqlite3.Connection) -> str:
        entry = ledger.get_entry(conn, name)
        return standing_of(conn, entry.number).beside(entry.sealed)

    _, text = await desk.places.first(look, of)
    return Response(text, media_type="application/json")


@router.get(
    "/certificates/{name}/pdf",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def download_certificate(
    name: str, person: Reader, desk: TheDesk, of: OfBench = ""
) -> Response:
    """The signed PDF, by number or by serial (then its newest); waits while it is being made."""
    given = await given_paper(name, desk, of)
    pdf = await asyncio.to_thread(read_file, given.place.records.papers, given.digest)
    if pdf is None:
        raise NotFound("paper of", given.number)
    headers = {"Content-Disposition": f'inline; filename="{given.number}.pdf"'}
    return Response(pdf, media_type="application/pdf", headers=headers)


@router.post("/certificates/{number}/revoke", response_model=Entered, status_code=201)
async def revoke_certificate(
    number: str, body: Revoking, person: Approver, desk: TheDesk
) -> Entered:
    """Have a document count no longer, with a reason; it stays in the ledger for ever."""
    return Entered(number=await desk.acts.revoke(number, body.reason.strip(), person.signer))


@router.post("/certificates/{number}/draw-again", status_code=204)
async def draw_certificate_again(number: str, person: Approver, desk: TheDesk) -> None:
    """Have the paper of a document made again, as the document stands and the site looks now."""
    await desk.acts.draw_again(number, person.name)


@router.post("/certificates/{number}/print", status_code=204)
async def print_certificate(number: str, person: Reader, desk: TheDesk) -> None:
    """Have the paper of a document printed once more on the site's printer: see the outbox."""
    await given_paper(number, desk)  # it may never have been made, or tell less than there is now
    await desk.acts.print(number, person.name)


@router.post("/approvals", response_model=Entered, status_code=201)
async def approve(body: Approving, person: Approver, desk: TheDesk) -> Entered:
    """Put quality's signature on documents, or on all of a lot that wait for it."""
    number = await desk.acts.approve(body.numbers, body.lot, body.note.strip(), person.signer)
    return Entered(number=number)


@router.get("/revocations", response_class=PlainTextResponse)
async def show_revocations(desk: TheDesk) -> str:
    """What counts no longer, signed (JWS), for checks without the service; answers anyone."""
    return await desk.acts.revocations() + "\n"


@router.get("/verify/{number}", response_model=Verified)
async def verify_number(number: str, desk: TheDesk, of: OfBench = "") -> Verified:
    """Answers anyone: what the service holds under a number, verified there and then.

    Benches that carried their records in number their own: ``others`` tells of those that have
    given this number as well.
    """
    return await verified_number(number, desk, of)


@router.post("/verify", response_model=VerifiedFile, openapi_extra=FILE)
async def verify_file(request: Request, person: Reader, desk: TheDesk) -> VerifiedFile:
    """Verify a PDF or sealed JSON, sent as the body: seal, signature, pages, and how it stands."""
    data = await request.body()
    if not data:
        told = "is empty", "send the PDF or the sealed JSON as the body of the request."
        raise NotReady.because([Finding("body", *told)])
    return await verified_file(data, desk)


@router.get("/ledger", response_model=LedgerState)
async def check_ledger(person: Reader, desk: TheDesk) -> LedgerState:
    """Check the whole ledger: chain, rows, seals, papers, and the signed heads kept outside."""
    found = await desk.check.ledger()
    return LedgerState(
        entries=found.entries,
        whole=not found.faults,
        faults=list(found.faults),
        heads=found.heads,
        notes=list(found.notes),
    )


@router.get("/ledger/head", response_class=PlainTextResponse)
async def show_head(person: Reader, desk: TheDesk) -> str:
    """A signed head (JWS) of the ledger as it is now, to be kept elsewhere."""
    head = await desk.store.read(lambda conn: present_head(conn, desk.plan.site, desk.plan.code))
    return head.sign(desk.keys.documents) + "\n"
