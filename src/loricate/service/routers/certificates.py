"""Certificates and nonconformance reports: show, download, verify; the ledger; the public key."""

from typing import Any

from fastapi import Response

from loricate.api.certificates import LedgerState, Verified
from loricate.certificates.verifying import verify
from loricate.records import certificates
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
    disposition = f'inline; filename="{entry.number}.pdf"'
    headers = {"Content-Disposition": disposition}
    return Response(entry.pdf, media_type="application/pdf", headers=headers)


@router.get("/verify/{number}", response_model=Verified)
async def verify_number(number: str, desk: TheDesk) -> Verified:
    """Answers anyone: what the service holds under a number, verified there and then."""
    entry = await desk.store.read(lambda conn: certificates.get_entry(conn, number))
    after = await desk.store.read(lambda conn: certificates.superseded_by(conn, entry.number))
    jwk = desk.site_key.public_jwk
    checked = await desk.study.do(verify, entry.sealed.encode(), jwk, field="number")
    document = checked.document
    return Verified(
        number=entry.number, genuine=checked.genuine, faults=list(checked.faults), kind=entry.kind,
        site=document.get("site", ""), serial=entry.serial,
        product=document.get("unit", {}).get("title", ""), verdict=document.get("verdict", ""),
        issued_at=entry.issued_at,
        superseded_by=after, document_digest=entry.document_digest,
    )  # fmt: skip


@router.get("/ledger", response_model=LedgerState)
async def check_ledger(person: Reader, desk: TheDesk) -> LedgerState:
    """Check the whole chain of issued documents."""
    found = await desk.chain.get()
    return LedgerState(entries=found.entries, whole=not found.faults, faults=list(found.faults))


@router.get("/site-key", response_model=dict[str, str])
async def show_site_key(desk: TheDesk) -> dict[str, str]:
    """The public half of the site key as a JWK; answers anyone."""
    return {name: str(value) for name, value in desk.site_key.public_jwk.items()}
