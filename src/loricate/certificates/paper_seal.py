"""The seal of a paper until 0.2.0: over every byte of the PDF but its own. Verified for ever.

Whatever a reader shows or runs is in those bytes: pages, fonts, actions, forms, attachments and
their names, what was appended later. A file that was saved again, repaired or printed anew is
another file, however alike it looks. Papers of today are signed as PDF has it.
"""

import hashlib
import json
from typing import Any

from loricate.certificates.sealing import SealError, Sort, opened

PAPER_NAME = "paper.jws"
CHANGED = (
    "The paper was changed after it was signed, or saved again; ask for the file as it was issued."
)
ROOM = 1024  # bytes that the seal has in the file, filled up with spaces
_BEGINS = b"eyJhbGciOiJFZDI1NTE5Ii"  # what every seal of ours begins with


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
