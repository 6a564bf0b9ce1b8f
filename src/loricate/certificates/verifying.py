"""Verifying a certificate offline: from its PDF or JSON and the site's public key alone."""

import hashlib
import io
import json
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

import pikepdf

from loricate.certificates.content import FORMAT, KNOWN
from loricate.certificates.paper_seal import PAPER_NAME, paper_faults
from loricate.certificates.sealing import SealError, Sort, canonical, key_id, opened
from loricate.core.json_text import JsonRefused, read_json

SEALED_NAME = "certificate.json"
MOST_NAMES = 5_000_000  # of a document of ours: 500 steps, each repeated many times
NOT_PAPER = "Whether a paper that goes with this data is the one that was issued: verify its PDF."
NOT_KEY = (
    "Whether the key is the site's: compare its thumbprint with one that you have from the site."
)
NOT_SINCE = (
    "Whether it still counts: another may have superseded it, which the site's verify page says."
)
NOT_YOURS = (
    "Whether the paper in your hand is this document: compare serial, verdict and digest, or "
    "verify the file itself."
)
NOT_TRUE = "Whether what was measured is true: only that this is what the site issued, unchanged."


@dataclass(frozen=True, slots=True)
class Verification:
    """What came of verifying: no faults means that the certificate is genuine and unchanged."""

    faults: tuple[str, ...]
    document: dict[str, Any] = field(default_factory=dict)
    unchecked: tuple[str, ...] = ()
    digest: str = ""  # SHA-256 of what was signed

    @property
    def genuine(self) -> bool:
        """Whether nothing is wrong."""
        return not self.faults


def verify(data: bytes, jwk: Any) -> Verification:
    """Verify the bytes of a certificate's PDF or JSON; says exactly what is wrong, never raises.

    ``jwk`` is a public JWK, or a JWK set (RFC 7517) of which the one that signed is taken.
    """
    try:
        return _verify_pdf(data, jwk) if data.startswith(b"%PDF") else _verify_json(data, jwk)
    except SealError as error:
        return Verification((str(error),))


def verify_sealed(sealed: bytes, jwk: Any) -> Verification:
    """Verify sealed JSON; raises SealError for what is none, or of another key."""
    try:
        found = read_json(sealed, MOST_NAMES)
    except JsonRefused as error:
        raise SealError(f"This is not a sealed certificate. {error}") from error
    if not isinstance(found, dict) or found.keys() != {"document", "jws"}:
        raise SealError("This is not a sealed certificate: 'document' and 'jws' and no more.")
    document, compact = found["document"], found["jws"]
    if not isinstance(compact, str) or not isinstance(document, dict):
        raise SealError("This is not a sealed certificate: 'document' or 'jws' has a wrong form.")
    payload = opened(compact, key_for(compact, jwk), Sort.DOCUMENT)
    signed_digest = hashlib.sha256(payload).hexdigest()
    signed = json.loads(payload)
    if not isinstance(signed, dict) or signed.get("format") not in KNOWN:
        raise SealError(f"What is sealed is no certificate of the form {FORMAT}.")
    try:
        is_same = canonical(document) == payload
    except ValueError:
        is_same = False  # it has no canonical form, so nobody sealed it
    if is_same:
        return Verification((), signed, digest=signed_digest)
    told = tuple(differences(signed, document))
    told = told or ("The document is not the one that was sealed.",)
    return Verification(told, signed, digest=signed_digest)


def key_for(compact: str, jwk: Any) -> Any:
    """Of a JWK set the key that a seal names, else the JWK itself; raises SealError."""
    if not isinstance(jwk, dict) or "keys" not in jwk:
        return jwk
    named = key_id(compact)
    keys = jwk["keys"] if isinstance(jwk["keys"], list) else []
    for each in keys:
        if isinstance(each, dict) and each.get("kid") == named:
            return each
    raise SealError(f"It was signed with a key ({named[:12]}…) that the key set does not have.")


def _verify_json(data: bytes, jwk: Any) -> Verification:
    found = verify_sealed(data, jwk)
    return replace(found, unchecked=(NOT_PAPER, NOT_KEY, NOT_SINCE, NOT_TRUE))


def differences(signed: Any, found: Any, path: str = "") -> Iterator[str]:
    """Name every place where ``found`` departs from ``signed``."""
    if isinstance(signed, dict) and isinstance(found, dict):
        for name in sorted(signed.keys() | found.keys()):
            place = f"{path}.{name}" if path else name
            if name not in found:
                yield f"{place} was removed; the signed value is {_shown(signed[name])}."
            elif name not in signed:
                yield f"{place} was added."
            else:
                yield from differences(signed[name], found[name], place)
    elif isinstance(signed, list) and isinstance(found, list) and len(signed) == len(found):
        for index, pair in enumerate(zip(signed, found, strict=True)):
            yield from differences(*pair, f"{path}[{index}]")
    elif signed != found or isinstance(signed, bool) != isinstance(found, bool):
        yield f"{path} reads {_shown(found)}; the signed value is {_shown(signed)}."


def _shown(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)[:80]


def _verify_pdf(data: bytes, jwk: Any) -> Verification:
    sealed = _attached(data)
    inner = verify_sealed(sealed, jwk)
    compact = json.loads(sealed)["jws"]
    faults = paper_faults(data, inner.document, inner.digest, key_for(compact, jwk))
    return replace(inner, faults=(*inner.faults, *faults), unchecked=(NOT_KEY, NOT_SINCE, NOT_TRUE))


def _attached(data: bytes) -> bytes:
    """The sealed JSON attached to a PDF; raises SealError where none can be had."""
    try:
        with pikepdf.open(io.BytesIO(data)) as pdf:
            repaired = bool(pdf.get_warnings())
            names = list(pdf.attachments)
            sealed = b""
            if {SEALED_NAME, PAPER_NAME} <= set(names):
                sealed = pdf.attachments[SEALED_NAME].get_file().read_bytes()
            repaired = repaired or bool(pdf.get_warnings())
    except Exception as error:  # whatever a reader of PDF stumbles over in what is no paper of ours
        raise SealError(f"The PDF cannot be read ({error}).") from error
    if not sealed:
        raise SealError("The PDF has no sealed data attached, so it proves nothing.")
    if repaired:
        raise SealError("The PDF is damaged; what a reader makes of it is not what was issued.")
    return sealed
