"""The sheet of a lot: its yields, each unit's latest verdict, and which units wait."""

from collections.abc import Iterator, Mapping
from typing import Any

from loricate.papers.look import Look
from loricate.papers.sheet import (
    Fact,
    heads_in,
    sheet_words,
    signature_lines,
    standing_words,
)
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.symbols import qr_code
from loricate.papers.typesetting import Attached, typeset
from loricate.papers.wording import PaperWords, local, tint_of

TEMPLATE = "lot.typ"
HEADS = ("serial", "latest", "times", "document")


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
    lot, zone, words = document["lot"], document["zone"] or look.zone, look.words
    say = words.say
    is_issued = bool(document["number"])
    title = look.text("lot")
    own = say("number-of-lot", lot=lot["code"])
    when = local(document["issued_at"], zone)
    url = document["verify_url"]
    return {
        "title": say("title-of", title=title, about=lot["code"]),
        "about": say("title-of", title=title, about=lot["product"]),
        "site": document["site"],
        "heading": title,
        "number": document["number"] or own,
        "number_line": say("number", number=document["number"]) if is_issued else own,
        "state": words.term("state", lot["state"]),
        "tint": "plain" if is_issued else "unsure",
        "has_code": is_issued,
        "foot": say("verify-at", url=url) if is_issued else say("lot-as-it-stood-at", when=when),
        "warnings": list(standing_words(standing, zone, words)) if is_issued else [say("lot-view")],
        "facts": [each.told(words) for each in _facts(document, zone, words)],
        "above": look.text("above"),
        "heads": heads_in(words, HEADS),
        "units": [
            {
                "serial": unit["serial"],
                "verdict": words.verdict(unit["verdict"]) + words.cause_after(unit["cause"]),
                "tint": tint_of(unit["verdict"]),
                "times": str(unit["times"]),
                "document": _document_of(unit, words),
            }
            for unit in lot["units"]
        ],
        "waiting": [f"{lot['waiting_count']}: {', '.join(lot['waiting']) or say('lot-by-pattern')}"]
        if lot["waiting_count"]
        else [],
        "grounds": [
            *([say("supersedes", number=document["supersedes"])] if document["supersedes"] else []),
            f"{say('lot-counted')} {document['software']}.",
            *filter(None, [look.text("below"), words.digest(digest)]),
            *([say("said-in")] if words.language != "en" else []),
        ],
        "signatures": signature_lines(look, "lot", standing, zone, ""),
        "words": {
            **sheet_words(words, document["site"], url),
            **{part: say(f"part-{part}") for part in ("units", "waiting", "grounds")},
        },
    }


def _document_of(unit: Mapping[str, Any], words: PaperWords) -> str:
    number = unit["certificate"] or ""
    is_revoked = number and unit.get("revoked")
    return words.say("is-revoked", number=number) if is_revoked else number


def _facts(document: Mapping[str, Any], zone: str, words: PaperWords) -> Iterator[Fact]:
    lot, say = document["lot"], words.say
    yield Fact("lot", lot["code"], is_strong=True)
    yield Fact("product", lot["product"])
    yield Fact("order", lot["order_number"] or say("lot-order-none"))
    yield Fact("serials", lot["serials"])
    yield Fact("quantity", str(lot["expected"]))
    yield Fact("opened", f"{local(lot['created_at'], zone)}, {lot['created_by']}")
    yield Fact("closed", local(lot["closed_at"] or "", zone) or say("lot-not-yet"))
    tested = {name: str(lot[name]) for name in ("tested", "expected")}
    yield Fact("tested", say("lot-tested-of", **tested))
    yield Fact("counts", f"{lot['passed']}, {lot['failed']}")
    yield Fact("first-pass", _share(lot["first_pass_yield"], words))
    yield Fact("final", _share(lot["final_yield"], words))
    is_issued = bool(document["number"])
    yield Fact("issued" if is_issued else "as-it-stood", local(document["issued_at"], zone))


def _share(part: float | None, words: PaperWords) -> str:
    if part is None:
        return words.say("lot-none-tested")
    return words.figure(f"{part * 100:.1f} %")
