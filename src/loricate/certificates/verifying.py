"""Verifying a document offline: from its PDF or JSON and the site's public keys alone."""

import hashlib
import io
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import pikepdf

from loricate.certificates.acts import RevocationList, is_about
from loricate.certificates.issue import is_known
from loricate.certificates.making import LOOK_NAME, SEALED_NAME, attachments, draw_document
from loricate.certificates.paper_seal import PAPER_NAME, paper_faults
from loricate.certificates.sealing import SealError, Sort, canonical, key_id, opened
from loricate.certificates.standing_file import PLAIN, SealedStanding, standing_of
from loricate.core.json_text import JsonRefused, read_json
from loricate.papers.look import Look, LookRefused
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.typesetting import TemplateFault, shipped_digest
from loricate.papers.wording import revoked_words

FORMER_NAME = "certificate.json"  # what the sealed data of papers until 0.2.0 is called
MOST_NAMES = 5_000_000  # of a document of ours: 500 steps, each repeated many times
SEAL_HOLDS = "The data's seal (JWS) is of a key of the key set, and the data is as it was sealed."
PAPER_HOLDS = "The page's signature (PAdES) is the site's, and no byte was changed after it."
SAME_DOCUMENT = "Page and data are about the same document."
SAYS_THE_SAME = "Each page says what the data says: drawn again from it and compared word by word."
APPROVALS_HOLD = "Each approval is sealed by the site, and of this very document."
ON_NO_LIST = "Not revoked, and superseded by none, as of the revocation list of"
NOT_PAPER = "Whether a paper that goes with this data is the one that was issued: verify its PDF."
NOT_KEY = (
    "Whether the key is the site's: compare its thumbprint with one that you have from the site."
)
NOT_SINCE = (
    "Whether it still counts: give a revocation list of today (`--revocations`), or ask the site's "
    "verify page."
)
NOT_SAME_TEMPLATE = (
    "Whether each page says what the data says: it was drawn with templates of another version."
)
OWN_TEMPLATE = (
    "Whether the site's own template shows all of the data: it was drawn again with that template, "
    "and says what it said then; compare with the data by eye."
)
NOT_COMPARED = "Whether each page says what the data says: that was not asked for."
NOT_REDRAWN = (
    "Whether each page says what the data says: papers of this form cannot be drawn again."
)
NOT_YOURS = (
    "Whether the paper in your hand is this document: compare serial, verdict and SHA-256, or "
    "verify the file itself."
)
NOT_TRUE = "Whether what was measured is true: only that this is what the site issued, unchanged."


@dataclass(frozen=True, slots=True)
class Verification:
    """What came of verifying: no faults means that the document is genuine and unchanged."""

    faults: tuple[str, ...]
    document: dict[str, Any] = field(default_factory=dict)
    unchecked: tuple[str, ...] = ()
    digest: str = ""  # SHA-256 of what was signed
    checked: tuple[str, ...] = ()
    standing: Standing = COUNTS
    revoked: str = ""  # why it counts no longer

    @property
    def genuine(self) -> bool:
        """Whether nothing is wrong."""
        return not self.faults

    @property
    def counts(self) -> bool:
        """Whether it is genuine, and nothing that was looked at has revoked or superseded it."""
        return self.genuine and not self.revoked and not self.standing.superseded_by


def verify(
    data: bytes, jwk: Any, revocations: str = "", redraws: bool = True, listed_by: Any = None
) -> Verification:
    """Verify the bytes of a document's PDF or JSON; says exactly what is wrong, never raises.

    ``jwk`` is the site's JWK set (RFC 7517); for JSON its one public JWK will do. ``revocations``
    is a list that the site signed, or whoever has the keys ``listed_by``. Unless it ``redraws``,
    pages are not compared with the data.
    """
    try:
        found = (
            _verify_pdf(data, jwk, redraws) if data.startswith(b"%PDF") else _verify_json(data, jwk)
        )
        return _held_against(found, revocations.strip(), listed_by or jwk)
    except SealError as error:
        return Verification((str(error),))


def _held_against(found: Verification, revocations: str, jwk: Any) -> Verification:
    """What a list of revocations says of a document."""
    revoked = _revoked_words(found.standing.revocation)
    if not revocations:
        return replace(found, revoked=revoked, unchecked=(*found.unchecked, NOT_SINCE))
    try:
        listed = RevocationList.read(revocations, key_for(revocations, jwk))
    except SealError as error:
        return replace(found, faults=(*found.faults, f"The list of revocations: {error}"))
    number = str(found.document.get("number", ""))
    told = listed.revocation_of(number, found.digest)
    if told is not None:
        revoked = revoked_words(told["by"], told["at"], told["reason"], "UTC")
    later = found.standing.superseded_by or listed.superseded.get(number, "")
    checked = () if revoked or later else (f"{ON_NO_LIST} {listed.at}.",)
    return replace(
        found,
        revoked=revoked,
        standing=replace(found.standing, superseded_by=later),
        checked=(*found.checked, *checked),
    )


def _revoked_words(revocation: Mapping[str, Any] | None) -> str:
    if revocation is None:
        return ""
    return revoked_words(revocation["number"], revocation["issued_at"], revocation["reason"], "UTC")


def verify_sealed(sealed: bytes, jwk: Any) -> Verification:
    """Verify sealed JSON with its standing; raises SealError for what is none, or of another key.

    What the acts in it say is of the same site's keys, and about this very document, or a fault.
    """
    document, compact, standing = _parts(sealed)
    payload = opened(compact, key_for(compact, jwk), Sort.DOCUMENT)
    signed_digest = hashlib.sha256(payload).hexdigest()
    signed = json.loads(payload)
    if not isinstance(signed, dict) or not is_known(signed):
        raise SealError("What is sealed is no document of a form that was ever issued.")
    try:
        is_same = canonical(document) == payload
    except ValueError:
        is_same = False  # it has no canonical form, so nobody sealed it
    faults: list[str] = []
    if not is_same:
        faults += differences(signed, document)
        faults = faults or ["The document is not the one that was sealed."]
    told = _standing_faults(standing, signed, signed_digest, jwk)
    faults += told
    checked = [SEAL_HOLDS, *([APPROVALS_HOLD] if standing.approvals and not told else [])]
    return Verification(
        tuple(faults),
        signed,
        digest=signed_digest,
        checked=tuple(checked) if not faults else (),
        standing=COUNTS if told else standing.opened,
    )


def _parts(sealed: bytes) -> tuple[dict[str, Any], str, SealedStanding]:
    try:
        found = read_json(sealed, MOST_NAMES)
    except JsonRefused as error:
        raise SealError(f"This is not a sealed document. {error}") from error
    if not isinstance(found, dict) or found.keys() - {"standing"} != {"document", "jws"}:
        raise SealError("This is not a sealed document: 'document' and 'jws' and no more.")
    document, compact = found["document"], found["jws"]
    if not isinstance(compact, str) or not isinstance(document, dict):
        raise SealError("This is not a sealed document: 'document' or 'jws' has a wrong form.")
    try:
        standing = standing_of(found["standing"]) if "standing" in found else PLAIN
    except ValueError as error:
        raise SealError(f"This is not a sealed document: {error}.") from error
    return document, compact, standing


def _standing_faults(
    standing: SealedStanding, document: Mapping[str, Any], digest: str, jwk: Any
) -> list[str]:
    """What is wrong with the acts that come with a document."""
    acts = [("revocation", standing.revocation)] if standing.revocation else []
    acts += [("approval", each) for each in standing.approvals]
    faults = []
    for kind, text in acts:
        try:
            act, compact, more = _parts(text.encode())
            payload = opened(compact, key_for(compact, jwk), Sort.DOCUMENT)
            is_same = canonical(act) == payload
        except (SealError, ValueError) as error:
            faults.append(f"The {kind} that comes with it: {error}")
            continue
        if not is_same or more or not is_known(act) or act["kind"] != kind:
            faults.append(f"The {kind} that comes with it is not as it was sealed.")
        elif not is_about(act, str(document.get("number")), digest):
            faults.append(f"The {kind} {act['number']} that comes with it is of another document.")
    return faults


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
    return replace(found, unchecked=(NOT_PAPER, NOT_KEY, NOT_TRUE))


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


def _verify_pdf(data: bytes, jwk: Any, redraws: bool) -> Verification:
    files = _attached(data)
    if PAPER_NAME in files:
        return _verify_former(data, files[FORMER_NAME], jwk)
    inner = verify_sealed(files[SEALED_NAME], jwk)
    # What reads signatures is slow to come: who verifies no paper never loads it.
    from loricate.certificates.paper_checking import signature_faults
    from loricate.certificates.paper_signing import signings_of

    signings = signings_of(inner.document, inner.standing.approvals)
    faults = signature_faults(data, signings, jwk)
    if faults:
        return replace(inner, faults=(*inner.faults, *faults), checked=())
    more, checked, unchecked = (
        _page_told(data, files, inner) if redraws else ([], (), (NOT_COMPARED,))
    )
    return replace(
        inner,
        faults=(*inner.faults, *more),
        checked=(*inner.checked, PAPER_HOLDS, SAME_DOCUMENT, *checked),
        unchecked=(*unchecked, NOT_KEY, NOT_TRUE),
    )


def _page_told(
    data: bytes, files: Mapping[str, bytes], inner: Verification
) -> tuple[list[str], tuple[str, ...], tuple[str, ...]]:
    """Whether the pages say what the data says: faults, what was checked, what could not be."""
    try:
        drawn_with = read_json(files[LOOK_NAME])
        look = Look.read(drawn_with["look"])
        is_same_template = drawn_with["templates"] == shipped_digest()
    except (JsonRefused, LookRefused, KeyError, TypeError) as error:
        return [f"What the paper says of its look cannot be read ({error})."], (), ()
    if not is_same_template:
        return [], (), (NOT_SAME_TEMPLATE,)
    try:
        drawn = draw_document(
            inner.document, inner.digest, inner.standing, look, attachments(files)
        )
    except (TemplateFault, SealError, LookupError, TypeError, ValueError) as error:
        return [f"The data cannot be drawn as it was ({error})."], (), ()
    from loricate.certificates.paper_checking import text_faults

    # The same software makes the same bytes, which the signatures were added to.
    faults = [] if data.startswith(drawn) else text_faults(data, drawn)
    if faults or look.templates:
        return faults, (), () if faults else (OWN_TEMPLATE,)
    return [], (SAYS_THE_SAME,), ()


def _verify_former(data: bytes, sealed: bytes, jwk: Any) -> Verification:
    """A paper until 0.2.0, which has a seal of its own."""
    inner = verify_sealed(sealed, jwk)
    compact = json.loads(sealed)["jws"]
    faults = paper_faults(data, inner.document, inner.digest, key_for(compact, jwk))
    return replace(
        inner,
        faults=(*inner.faults, *faults),
        checked=() if faults else (*inner.checked, PAPER_HOLDS, SAME_DOCUMENT),
        unchecked=(NOT_REDRAWN, NOT_KEY, NOT_TRUE),
    )


def _attached(data: bytes) -> dict[str, bytes]:
    """The files attached to a PDF of ours; raises SealError where it has not those of one."""
    try:
        with pikepdf.open(io.BytesIO(data)) as pdf:
            repaired = bool(pdf.get_warnings())
            files = {
                name: spec.get_file().read_bytes()
                for name, spec in pdf.attachments.items()
                if name in (SEALED_NAME, LOOK_NAME, FORMER_NAME, PAPER_NAME)
            }
            repaired = repaired or bool(pdf.get_warnings())
    except Exception as error:  # whatever a reader of PDF stumbles over in what is no paper of ours
        raise SealError(f"The PDF cannot be read ({error}).") from error
    if files.keys() not in ({SEALED_NAME, LOOK_NAME}, {FORMER_NAME, PAPER_NAME}):
        raise SealError("The PDF has no sealed data attached, so it proves nothing.")
    if repaired:
        raise SealError("The PDF is damaged; what a reader makes of it is not what was issued.")
    return files
