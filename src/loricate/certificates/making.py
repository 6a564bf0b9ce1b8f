"""Making papers: a sealed document is drawn, its data attached, and the finished file signed."""

import json
from collections.abc import Callable, Mapping
from typing import Any

from loricate.certificates.paper_key import PaperKey
from loricate.certificates.sealing import SealError, sealed_digest
from loricate.certificates.standing_file import PLAIN, SealedStanding
from loricate.papers.certificate import draw_certificate
from loricate.papers.look import Look
from loricate.papers.lot import draw_lot
from loricate.papers.standing import Standing
from loricate.papers.typesetting import Attached, shipped_digest

SEALED_NAME, LOOK_NAME = "document.json", "look.json"
Draw = Callable[[Mapping[str, Any], Standing, Look, tuple[Attached, ...], str], bytes]
DRAWN: dict[str, Draw] = {
    "certificate": draw_certificate,
    "nonconformance": draw_certificate,
    "lot": draw_lot,
}


def draw_document(
    document: Mapping[str, Any],
    digest: str,
    standing: Standing,
    look: Look,
    attached: tuple[Attached, ...],
) -> bytes:
    """The pages of a document of that digest; raises SealError for a kind that has none."""
    draw = DRAWN.get(document["kind"])
    if draw is None:
        raise SealError(f"A document of kind {document['kind']} has no paper.")
    return draw(document, standing, look, attached, digest)


def make_paper(sealed: str, key: PaperKey, look: Look, standing: SealedStanding = PLAIN) -> bytes:
    """The signed PDF of a sealed document, as it stands.

    It carries the sealed file (relationship Source), and the look that it was drawn with. Raises
    SealError, and TemplateFault for a template of the site's that does not go with it.
    """
    # What signs is slow to come: who makes no paper, the service itself for one, never loads it.
    from loricate.certificates.paper_signing import sign_paper, signings_of

    found, opened = json.loads(sealed), standing.opened
    document, digest = found["document"], sealed_digest(found["jws"])
    told = {"templates": shipped_digest(), "look": look.told()}
    files = {
        SEALED_NAME: standing.beside(sealed).encode(),
        LOOK_NAME: json.dumps(told, ensure_ascii=False).encode(),
    }
    drawn = draw_document(document, digest, opened, look, attachments(files))
    return sign_paper(drawn, signings_of(document, opened.approvals), key)


def attachments(files: Mapping[str, bytes]) -> tuple[Attached, ...]:
    """What a paper carries, by name: its sealed data, and the look that it was drawn with."""
    return (
        Attached(
            SEALED_NAME,
            files[SEALED_NAME],
            "application/json",
            "The signed data that the pages show",
        ),
        Attached(
            LOOK_NAME,
            files[LOOK_NAME],
            "application/json",
            "How the pages were drawn",
            "supplement",
        ),
    )
