"""Kinds of document, and what each of them gets at the moment of issue: number, time, place."""

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

Document = dict[str, Any]


@dataclass(frozen=True, slots=True)
class DocumentKind:
    """A kind of document: its form, those it had before, and the verdict that it is of."""

    form: str
    former: tuple[str, ...] = ()
    verdict: str | None = None
    has_paper: bool = True


_CERTIFICATES = ("loricate-certificate/1", "loricate-certificate/2")
KINDS: dict[str, DocumentKind] = {
    "certificate": DocumentKind("loricate-certificate/3", _CERTIFICATES, "pass"),
    "nonconformance": DocumentKind("loricate-certificate/3", _CERTIFICATES, "fail"),
    "lot": DocumentKind("loricate-lot-summary/1"),
    "report": DocumentKind("loricate-report/1"),
    "revocation": DocumentKind("loricate-revocation/1", has_paper=False),
    "approval": DocumentKind("loricate-approval/1", has_paper=False),
}


def is_known(document: Mapping[str, Any]) -> bool:
    """Whether a document is of a kind and form that was ever issued."""
    kind = KINDS.get(document.get("kind", ""))
    return kind is not None and document.get("format") in (kind.form, *kind.former)


@dataclass(frozen=True, slots=True)
class Draft:
    """A document before it is issued: what it says, and which other documents it is about.

    ``body`` has everything but what ``issued`` adds.
    """

    kind: str
    body: Mapping[str, Any]
    supersedes: str = ""
    about: tuple[str, ...] = ()
    serial: str = ""
    lot: str = ""


@dataclass(frozen=True, slots=True)
class Place:
    """Where in ledger and numbering a document comes, when, and by whom it is issued."""

    number: str
    issued_at: str
    position: int
    previous: str
    site: str
    zone: str
    base_url: str
    software: str


def issued(draft: Draft, place: Place) -> Document:
    """The document of a draft, as it is sealed."""
    return {
        "format": KINDS[draft.kind].form,
        "kind": draft.kind,
        "number": place.number,
        "supersedes": draft.supersedes,
        "issued_at": place.issued_at,
        "zone": place.zone,
        "site": place.site,
        **draft.body,
        "software": f"Loricate {place.software}",
        "ledger": {"position": place.position, "previous": place.previous},
        "verify_url": f"{place.base_url}/verify/{place.number}",
    }


def series_of(letter: str, issued: dt.date) -> str:
    """What the numbers of a kind begin with in a year: ``C-2026`` or ``N-2026``."""
    return f"{letter}-{issued.year}"


def numbered(series: str, last: int) -> str:
    """The number after the last of a series: ``C-2026-000001``."""
    return f"{series}-{last + 1:06}"
