"""The sheet of a lot: its yields, each unit's latest verdict, and which units wait."""

from collections.abc import Iterator, Mapping
from typing import Any

from loricate.papers.certificate import signature_lines, standing_words
from loricate.papers.look import Look
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import Attached, typeset
from loricate.papers.wording import cause_words, digest_words, local, tint_of, verdict_word

TEMPLATE = "lot.typ"
HEADS = ("Serial", "Latest verdict", "Times", "Document")
COUNTED = (
    "A unit counts once. First pass: tested units that passed the first time, no step repeated; "
    "final: tested units whose latest verdict is pass. Aborted and interrupted tests are no "
    "verdict."
)
VIEW = "Not issued: this shows the lot as it stands now. Issue the summary for a signed one."


def draw_lot(
    document: Mapping[str, Any],
    standing: Standing,
    look: Look,
    attached: tuple[Attached, ...] = (),
    digest: str = "",
) -> bytes:
    """The PDF of a lot summary's document, signed data of that SHA-256. Raises TemplateFault."""
    files = {"code.svg": qr_code(document["verify_url"])} if document["number"] else {}
    told = _told(document, standing, look, digest)
    return typeset(TEMPLATE, told, look, document["issued_at"], files, attached)


def draw_lot_view(document: Mapping[str, Any], look: Look) -> bytes:
    """The PDF of a lot as it stands, which is no document: no number, no seal, and it says so."""
    return draw_lot(document, COUNTS, look)


def _told(
    document: Mapping[str, Any], standing: Standing, look: Look, digest: str
) -> dict[str, Any]:
    lot, zone = document["lot"], document["zone"] or look.zone
    is_issued = bool(document["number"])
    title = look.text("lot")
    when = local(document["issued_at"], zone)
    return {
        "title": f"{title} of {lot['code']}",
        "about": f"{title} of {lot['product']}",
        "site": document["site"],
        "heading": title,
        "number": document["number"] or f"Lot {lot['code']}",
        "number_line": f"No. {document['number']}" if is_issued else f"Lot {lot['code']}",
        "state": lot["state"],
        "tint": "plain" if is_issued else "unsure",
        "has_code": is_issued,
        "foot": f"Verify at {document['verify_url']}" if is_issued else f"As it stood at {when}",
        "warnings": list(standing_words(standing, zone)) if is_issued else [VIEW],
        "facts": [
            {"name": name, "value": value, "strong": name == "Lot"}
            for name, value in _facts(document, zone)
        ],
        "above": look.text("above"),
        "heads": HEADS,
        "units": [
            {
                "serial": unit["serial"],
                "verdict": verdict_word(unit["verdict"]) + cause_words(unit["cause"]),
                "tint": tint_of(unit["verdict"]),
                "times": str(unit["times"]),
                "document": _document_of(unit),
            }
            for unit in lot["units"]
        ],
        "waiting": [
            f"{lot['waiting_count']}: {', '.join(lot['waiting']) or 'known by the pattern only'}"
        ]
        if lot["waiting_count"]
        else [],
        "grounds": [
            *(
                [f"This document supersedes {document['supersedes']}."]
                if document["supersedes"]
                else []
            ),
            f"{COUNTED} {document['software']}.",
            *filter(None, [look.text("below"), digest_words(digest)]),
        ],
        "signatures": signature_lines(look, "lot", standing, zone, ""),
        "words": {
            "page": "page",
            "of": "of",
            "units": "Units",
            "waiting": "Waiting",
            "grounds": "Grounds",
            "logo": f"Logo of {document['site']}",
            "code": f"QR code of {document['verify_url']}",
        },
    }


def _document_of(unit: Mapping[str, Any]) -> str:
    number = unit["certificate"] or ""
    return f"{number} (revoked)" if number and unit.get("revoked") else number


def _facts(document: Mapping[str, Any], zone: str) -> Iterator[tuple[str, str]]:
    lot = document["lot"]
    yield "Lot", lot["code"]
    yield "Product", lot["product"]
    yield "Order number", lot["order_number"] or "none"
    yield "Serials", lot["serials"]
    yield "Quantity", str(lot["expected"])
    yield "Opened", f"{local(lot['created_at'], zone)}, {lot['created_by']}"
    yield "Closed", local(lot["closed_at"] or "", zone) or "not yet"
    yield "Tested", f"{lot['tested']} of {lot['expected']}"
    yield "Passed, failed", f"{lot['passed']}, {lot['failed']}"
    yield "First-pass yield", _share(lot["first_pass_yield"])
    yield "Final yield", _share(lot["final_yield"])
    yield "Issued" if document["number"] else "As it stood", local(document["issued_at"], zone)


def _share(part: float | None) -> str:
    return "none tested yet" if part is None else f"{part * 100:.1f} %"
