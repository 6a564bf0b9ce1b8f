"""The seal of a paper: over every byte of the PDF but its own.

Whatever a reader shows or runs is in those bytes: pages, fonts, actions, forms, attachments and
their names, what was appended later. A file that was saved again, repaired or printed anew is
another file, however alike it looks.
"""

import hashlib
import json
from typing import Any

from loricate.certificates.sealing import SealError, SiteKey, Sort, canonical, opened

PAPER_NAME = "paper.jws"
ROOM = 1024  # bytes that the seal has in the file, filled up with spaces
PLACE = b"~" * ROOM  # where it goes, until it is there
CHANGED = (
    "The paper was changed after it was sealed, or saved again; ask for the file as it was issued."
)
_BEGINS = b"eyJhbGciOiJFZDI1NTE5Ii"  # what every seal of ours begins with


def seal_paper(drawn: bytes, number: str, document_digest: str, key: SiteKey) -> bytes:
    """Fill the seal into a PDF that has a place for it, once."""
    start = drawn.find(PLACE)
    if start < 0 or drawn.find(PLACE, start + 1) >= 0:
        raise SealError("The paper has no place for its seal, or more than one.")
    content = {
        "number": number,
        "document": document_digest,
        "bytes": len(drawn),
        "at": start,
        "rest": _rest(drawn, start),
    }
    compact = key.sign(canonical(content), Sort.PAPER).encode()
    if len(compact) > ROOM:
        raise SealError("The seal is larger than its place on the paper.")
    return drawn[:start] + compact.ljust(ROOM) + drawn[start + ROOM :]


def paper_faults(pdf: bytes, document: dict[str, Any], document_digest: str, jwk: Any) -> list[str]:
    """What is wrong with a paper as the paper of a document; empty when it is as it was issued."""
    start = pdf.find(_BEGINS)
    if start < 0:
        return [CHANGED]  # its seal does not stand in it as it was put there
    try:
        compact = pdf[start : start + ROOM].rstrip(b" ").decode("ascii", "replace")
        content = json.loads(opened(compact, jwk, Sort.PAPER))
    except SealError as error:
        return [f"The paper's seal: {error}"]
    faults = []
    if (content["number"], content["document"]) != (document.get("number"), document_digest):
        faults.append("The paper belongs to another certificate than the attached data.")
    found = {"bytes": len(pdf), "at": start, "rest": _rest(pdf, start)}
    if found != {name: content[name] for name in found}:
        faults.append(CHANGED)
    return faults


def _rest(pdf: bytes, start: int) -> str:
    hasher = hashlib.sha256(pdf[:start])
    hasher.update(pdf[start + ROOM :])
    return hasher.hexdigest()
