"""Verifying a certificate offline: from its PDF or JSON and the site's public key alone."""

import hashlib
import io
import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import pikepdf

from loricate.certificates.sealing import SealError, canonical, key_id, opened, public_key

SEALED_NAME, PAGES_NAME = "certificate.json", "pages.jws"
_UNPRINTED = ("/Parent", "/StructParents", "/Tabs")


@dataclass(frozen=True, slots=True)
class Verification:
    """What came of verifying: no faults means that the certificate is genuine and unchanged."""

    faults: tuple[str, ...]
    document: dict[str, Any] = field(default_factory=dict)

    @property
    def genuine(self) -> bool:
        """Whether nothing is wrong."""
        return not self.faults


def verify(data: bytes, jwk: dict[str, Any]) -> Verification:
    """Verify the bytes of a certificate's PDF or JSON; says exactly what is wrong, never raises."""
    try:
        return _verify_pdf(data, jwk) if data.startswith(b"%PDF") else _verify_json(data, jwk)
    except SealError as error:
        return Verification((str(error),))


def _verify_json(data: bytes, jwk: dict[str, Any]) -> Verification:
    try:
        sealed = json.loads(data)
        document, compact = sealed["document"], sealed["jws"]
    except (ValueError, KeyError, TypeError) as error:
        raise SealError(
            "This is not a sealed certificate: no 'document' with its 'jws'."
        ) from error
    if not isinstance(compact, str) or not isinstance(document, dict):
        raise SealError("This is not a sealed certificate: 'document' or 'jws' has a wrong form.")
    key = public_key(jwk)
    named = key_id(compact)
    if named and named != key.thumbprint():
        raise SealError(
            f"It was signed with another key ({named[:12]}…) than the one given "
            f"({key.thumbprint()[:12]}…)."
        )
    signed = json.loads(opened(compact, key))
    try:
        same = canonical(signed) == canonical(document)
    except ValueError:
        same = False
    if same:
        return Verification((), signed)
    return Verification(tuple(differences(signed, document)), signed)


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
    elif signed != found:
        yield f"{path} reads {_shown(found)}; the signed value is {_shown(signed)}."


def _shown(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)[:80]


def _verify_pdf(data: bytes, jwk: dict[str, Any]) -> Verification:
    try:
        with pikepdf.open(io.BytesIO(data)) as pdf:
            attached = {
                name: pdf.attachments[name].get_file().read_bytes() for name in pdf.attachments
            }
            pages = [page_digest(page) for page in pdf.pages]
    except pikepdf.PdfError as error:
        raise SealError(f"The PDF cannot be read ({error}).") from error
    if SEALED_NAME not in attached or PAGES_NAME not in attached:
        raise SealError("The PDF has no sealed data attached, so it proves nothing.")
    inner = _verify_json(attached[SEALED_NAME], jwk)
    seal = json.loads(opened(attached[PAGES_NAME].decode("ascii", "replace"), public_key(jwk)))
    faults = list(inner.faults)
    if seal.get("number") != inner.document.get("number"):
        faults.append("The pages belong to another certificate than the attached data.")
    expected = seal.get("pages", [])
    if len(expected) != len(pages):
        faults.append(f"The PDF has {len(pages)} pages; {len(expected)} were sealed.")
    faults += [
        f"Page {number} was changed after it was sealed."
        for number, (was, is_now) in enumerate(zip(expected, pages, strict=False), start=1)
        if was != is_now
    ]
    return Verification(tuple(faults), inner.document)


def page_digest(page: pikepdf.Page) -> str:
    """A digest of all that a page shows: contents, fonts, images and annotations."""
    hasher = hashlib.sha256()
    _feed(hasher, page.obj, set())
    return hasher.hexdigest()


def _feed(hasher: "hashlib._Hash", thing: Any, seen: set[tuple[int, int]]) -> None:
    if isinstance(thing, pikepdf.Object) and thing.is_indirect:
        if thing.objgen in seen:
            hasher.update(b"again")
            return
        seen.add(thing.objgen)
    if isinstance(thing, pikepdf.Stream):
        hasher.update(b"stream")
        hasher.update(thing.read_bytes(pikepdf.StreamDecodeLevel.generalized))
        for name in sorted(thing.keys()):
            if name not in ("/Length", "/Filter", "/DecodeParms"):
                hasher.update(name.encode())
                _feed(hasher, thing[name], seen)
    elif isinstance(thing, (pikepdf.Dictionary, dict)):
        hasher.update(b"dict")
        for name in sorted(thing.keys()):
            if name not in _UNPRINTED:
                hasher.update(name.encode())
                _feed(hasher, thing[name], seen)
    elif isinstance(thing, pikepdf.Array):
        hasher.update(b"array")
        for each in thing:
            _feed(hasher, each, seen)
    else:
        hasher.update(repr(thing).encode())
