"""Certificates and nonconformance reports: show, download, verify; the ledger; the public key."""

import asyncio
import sqlite3
from functools import partial
from typing import Any

from fastapi import Response
from fastapi.responses import PlainTextResponse

from loricate.api.certificates import KeySet, LedgerState, Verified
from loricate.certificates.agreeing import check_entry
from loricate.certificates.verifying import NOT_TRUE, NOT_YOURS
from loricate.records import certificates, site_keys
from loricate.records.certificates import LedgerEntry
from loricate.records.errors import NotFound
from loricate.records.kept_files import read_file
from loricate.service.head_keeping import present_head
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Reader

router = make_router("", "certificates")


@router.get("/certificates/{name}", response_model=dict[str, Any])
async def show_certificate(name: str, person: Reader, desk: TheDesk) -> Response:
    """The sealed JSON, by number or by serial (then its newest)."""
    entry = await desk.store.read(lambda conn: certificates.get_entry(conn, name))
    return Response(entry.sealed, media_type="application/json")


@router.get(
    "/certificates/{name}/pdf",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def download_certificate(name: str, person: Reader, desk: TheDesk) -> Response:
    """The PDF, by number or by serial (then its newest)."""
    entry = await desk.store.read(lambda conn: certificates.get_entry(conn, name))
    pdf = await asyncio.to_thread(read_file, desk.store.papers, entry.paper)
    if pdf is None:
        raise NotFound("paper of", entry.number)
    disposition = f'inline; filename="{entry.number}.pdf"'
    headers = {"Content-Disposition": disposition}
    return Response(pdf, media_type="application/pdf", headers=headers)


@router.get("/verify/{number}", response_model=Verified)
async def verify_number(number: str, desk: TheDesk) -> Verified:
    """Answers anyone: what the service holds under a number, verified there and then."""

    def look(conn: sqlite3.Connection) -> tuple[LedgerEntry, str, str, dict[str, Any]]:
        entry = certificates.get_numbered(conn, number)
        before = certificates.hash_at(conn, entry.position - 1)
        after = certificates.superseded_by(conn, entry.number)
        return entry, before, after, site_keys.key_set(conn)

    entry, before, after, keys = await desk.store.read(look)
    papers = partial(read_file, desk.store.papers)
    checked = await desk.study.do(check_entry, entry, keys, papers, field="number")
    faults = list(checked.faults)
    if before != entry.previous:
        faults.append("The entry before it in the ledger is another than it was.")
    signed = checked.document
    unit = signed.get("unit", {})
    return Verified(
        number=entry.number,
        genuine=not faults,
        faults=faults,
        unchecked=[NOT_YOURS, NOT_TRUE],
        kind=signed.get("kind", entry.kind),
        site=signed.get("site", ""),
        serial=unit.get("serial", entry.serial),
        product=unit.get("title", ""),
        verdict=signed.get("verdict", ""),
        issued_at=signed.get("issued_at", entry.issued_at),
        superseded_by=after,
        document_digest=checked.digest or entry.document_digest,
    )


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
    return head.sign(desk.site_key) + "\n"


@router.get("/site-key", response_model=dict[str, str])
async def show_site_key(desk: TheDesk) -> dict[str, str]:
    """The public half of the site key as a JWK; answers anyone."""
    return {name: str(value) for name, value in desk.site_key.public_jwk.items()}


@router.get("/site-keys", response_model=KeySet)
async def show_site_keys(desk: TheDesk) -> KeySet:
    """Every public key that the site has sealed with, as a JWK set (RFC 7517); answers anyone."""
    return KeySet(**await desk.store.read(site_keys.key_set))
