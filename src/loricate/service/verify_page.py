"""The public page of a document, for whoever scans its code: light, without any script."""

import base64
import hashlib
from importlib import resources

from fastapi import Request
from fastapi.responses import HTMLResponse, Response
from jinja2 import Environment, PackageLoader, StrictUndefined

from loricate.api.certificates import Verified
from loricate.papers.wording import ENGLISH, digest_groups, local
from loricate.records.errors import NotFound
from loricate.service.desk import Desk
from loricate.service.errors import Busy, NotReady
from loricate.service.verifying import verified_number

WORDS = {
    "genuine": "Genuine",
    "superseded": "Superseded",
    "revoked": "Revoked",
    "damaged": "Issued here, but the record is damaged",
    "unknown": "Unknown",
    "unchecked": "Not checked",
}
SENTENCES = {
    "genuine": "It was issued here, and counts. Seal, record, paper and ledger agree.",
    "superseded": "It was issued here, and counts no longer: another document took its place.",
    "revoked": "It was issued here, and counts no longer.",
    "damaged": "What is kept of it here does not agree with itself. Ask the site.",
    "unknown": "No document of this number was issued here. The paper in your hand is not ours.",
    "unchecked": "It could not be checked just now. Load this page again in a moment.",
}
CODES = {"unknown": 404, "unchecked": 503}
KINDS = {
    "certificate": "Certificate of electrical safety test",
    "nonconformance": "Nonconformance report",
    "lot": "Lot summary",
    "revocation": "Revocation",
    "approval": "Approval",
}
MOST_NUMBER = 40
STYLE = (resources.files("loricate.service") / "pages" / "verify.css").read_text(encoding="utf-8")
_STYLE_HASH = base64.b64encode(hashlib.sha256(STYLE.encode()).digest()).decode()
POLICY = (
    f"default-src 'none'; style-src 'sha256-{_STYLE_HASH}'; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'none'"
)
_PAGES = Environment(
    loader=PackageLoader("loricate.service", "pages"),
    autoescape=True,
    undefined=StrictUndefined,
    auto_reload=False,
)


async def verify_page(request: Request) -> Response:
    """What the service holds under a number, said plainly; answers anyone."""
    desk: Desk = request.app.state.desk
    number = request.path_params["number"]
    try:
        if len(number) > MOST_NUMBER:
            raise NotFound("document", number)
        of = request.query_params.get("of", "")
        found = await verified_number(number, desk, of)
    except NotFound:
        return _page(number[:MOST_NUMBER], desk, "unknown", None)
    except (Busy, NotReady):
        return _page(number, desk, "unchecked", None)
    return _page(number, desk, found.status, found)


def _page(number: str, desk: Desk, status: str, found: Verified | None) -> Response:
    text = _PAGES.get_template("verify.html").render(
        number=number,
        site=desk.plan.site,
        status=status,
        word=WORDS[status],
        sentence=" ".join(filter(None, [SENTENCES[status], found.revoked if found else ""])),
        found=found,
        facts=[] if found is None else _facts(found, desk.look.zone),
        others=found.others if found else [],
        style=STYLE,
    )
    headers = {
        "Content-Security-Policy": POLICY,
        "X-Content-Type-Options": "nosniff",
        "Referrer-Policy": "no-referrer",
        "Cache-Control": "no-cache",
    }
    return HTMLResponse(text, CODES.get(status, 200), headers)


def _facts(found: Verified, zone: str) -> list[tuple[str, str]]:
    approved = "; ".join(
        f"{each.by}, {local(each.at, zone)} ({each.number})" for each in found.approvals
    )
    facts = [
        ("Bench", found.from_bench),
        ("Document", KINDS.get(found.kind, found.kind)),
        ("Unit", found.product),
        ("Serial", found.serial),
        ("Verdict", ENGLISH.verdict(found.verdict) if found.verdict else ""),
        ("Issued", local(found.issued_at, zone)),
        ("Approved", approved),
        ("SHA-256", digest_groups(found.document_digest)),
    ]
    return [(name, value) for name, value in facts if value]
