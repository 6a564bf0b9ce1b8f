"""Verifying for who asks the service: a number that it issued, or a file that somebody has."""

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from loricate.api.certificates import ApprovalTold, OtherDocument, Verified, VerifiedFile
from loricate.certificates.acts import RevocationList
from loricate.certificates.agreeing import check_entry
from loricate.certificates.verifying import NOT_TRUE, NOT_YOURS, Verification, verify
from loricate.papers.standing import Standing
from loricate.papers.wording import person_words, revoked_words
from loricate.records import ledger, papers, site_keys
from loricate.records.errors import NotFound
from loricate.records.ledger import LedgerEntry
from loricate.service.acting import revocation_list
from loricate.service.desk import Desk
from loricate.service.kept_papers import PaperFolder
from loricate.service.places import Place
from loricate.service.standing import standing_of


@dataclass(frozen=True, slots=True)
class _Held:
    """What the records hold of a number."""

    entry: LedgerEntry
    hash_before: str
    standing: Standing
    papers: list[str]
    keys: dict[str, Any]


def _held(conn: sqlite3.Connection, number: str) -> _Held:
    entry = ledger.get_numbered(conn, number)
    return _Held(
        entry,
        ledger.hash_at(conn, entry.position - 1),
        standing_of(conn, number).opened,
        papers.papers_of(conn, number)[-1:],
        site_keys.key_set(conn),
    )


def _held_if_any(number: str, conn: sqlite3.Connection) -> _Held | None:
    try:
        return _held(conn, number)
    except NotFound:
        return None


def told_approvals(standing: Standing) -> list[ApprovalTold]:
    """The approvals of a document, for people."""
    return [
        ApprovalTold(
            number=each["number"],
            by=person_words(each["approved_by"]["name"], each["approved_by"]["account"]),
            at=each["issued_at"],
        )
        for each in standing.approvals
    ]


def _revoked_words(revocation: Mapping[str, Any] | None, zone: str) -> str:
    if revocation is None:
        return ""
    return revoked_words(revocation["number"], revocation["issued_at"], revocation["reason"], zone)


async def verified_number(number: str, desk: Desk, of: str = "") -> Verified:
    """What is held under a number: row, seal, chain, paper and standing; raises NotFound.

    This service's own comes first, unless one of a certain bench is asked for.
    """
    wanted = desk.places.named(of)
    found = [
        (place, held)
        for place, held in await desk.places.each(partial(_held_if_any, number))
        if held is not None
    ]
    place, held = next((each for each in found if each[0] in wanted), (desk.places.own, None))
    if held is None:
        raise NotFound("document", number)
    entry = held.entry
    folder = PaperFolder(place.records.papers, {number: held.papers})
    checked = await desk.verifying.do(check_entry, entry, held.keys, folder, field="number")
    faults = list(checked.faults)
    if held.hash_before != entry.previous:
        faults.append("The entry before it in the ledger is another than it was.")
    signed = checked.document
    unit = signed.get("unit", {})
    revoked = _revoked_words(held.standing.revocation, desk.look.zone)
    later = held.standing.superseded_by
    return Verified(
        number=entry.number,
        status=(
            "damaged" if faults else "revoked" if revoked else "superseded" if later else "genuine"
        ),
        genuine=not faults,
        faults=faults,
        unchecked=[NOT_YOURS, NOT_TRUE],
        kind=signed.get("kind", entry.kind),
        site=signed.get("site", ""),
        serial=unit.get("serial", entry.serial),
        product=unit.get("title", ""),
        verdict=signed.get("verdict", ""),
        issued_at=signed.get("issued_at", entry.issued_at),
        superseded_by=later,
        revoked=revoked,
        approvals=told_approvals(held.standing),
        document_digest=checked.digest or entry.document_digest,
        from_bench=place.bench,
        others=[
            OtherDocument(
                bench=other.bench,
                kind=each.entry.kind,
                serial=each.entry.serial,
                issued_at=each.entry.issued_at,
            )
            for other, each in found
            if other is not place
        ],
    )


async def verified_file(data: bytes, desk: Desk) -> VerifiedFile:
    """What came of verifying a file against the site's keys and its ledger of now."""

    place, found = await _verified(data, desk)
    document = found.document
    return VerifiedFile(
        genuine=found.genuine,
        counts=found.counts,
        faults=list(found.faults),
        checked=list(found.checked),
        unchecked=list(found.unchecked),
        number=document.get("number", ""),
        kind=document.get("kind", ""),
        serial=document.get("unit", {}).get("serial", ""),
        verdict=document.get("verdict", ""),
        revoked=found.revoked,
        superseded_by=found.standing.superseded_by,
        approvals=told_approvals(found.standing),
        from_bench=place.bench,
    )


async def _verified(data: bytes, desk: Desk) -> tuple[Place, Verification]:
    """Whose document a file is, and what came of verifying it; this service's where nobody's."""
    first: Verification | None = None
    for place in desk.places.all:
        keys, listed = await place.records.read(partial(_keys_and_list, desk.plan.site))
        signed = listed.sign(desk.keys.documents)
        own_keys = {"keys": [desk.keys.documents.public_jwk]}
        given = data, keys, signed, True, own_keys
        found: Verification = await desk.verifying.do(verify, *given, field="body")
        if found.document:
            return place, found
        first = first or found
    assert first is not None
    return desk.places.own, first


def _keys_and_list(site: str, conn: sqlite3.Connection) -> tuple[dict[str, Any], RevocationList]:
    return site_keys.key_set(conn), revocation_list(conn, site)
