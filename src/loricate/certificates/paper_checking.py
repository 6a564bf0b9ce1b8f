"""Whether a paper is the site's, unchanged, and says what its data says."""

import base64
import binascii
import datetime as dt
import io
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import pypdfium2
from asn1crypto import x509
from pyhanko.pdf_utils.misc import PdfError
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign.diff_analysis import ModificationLevel
from pyhanko.sign.general import SigningError
from pyhanko.sign.validation import validate_pdf_signature
from pyhanko.sign.validation.errors import SignatureValidationError
from pyhanko.sign.validation.pdf_embedded import EmbeddedPdfSignature
from pyhanko.sign.validation.settings import KeyUsageConstraints
from pyhanko.sign.validation.status import PdfSignatureStatus, SignatureCoverageLevel
from pyhanko_certvalidator import ValidationContext

from loricate.certificates.paper_seal import CHANGED
from loricate.certificates.paper_signing import SITE_FIELD, Signing
from loricate.certificates.sealing import SealError

NO_CERTIFICATE = (
    "The key that was given has no certificate of papers with it, so it cannot tell whose page "
    "this is: verify with the site's key set (/api/v1/site-keys)."
)
# A site's own certificate may be for one of the two.
USAGE = KeyUsageConstraints(
    key_usage={"non_repudiation", "digital_signature"}, match_all_key_usages=False
)
# What a further signature changes of a file that one certifies.
HARMLESS = (ModificationLevel.NONE, ModificationLevel.LTA_UPDATES, ModificationLevel.FORM_FILLING)
AHEAD = dt.timedelta(hours=1)  # that a clock may be


def certificates_of(jwk: Any) -> list[x509.Certificate]:
    """The certificates that papers of a key set are signed with."""
    keys = jwk.get("keys", [jwk]) if isinstance(jwk, Mapping) else []
    found = []
    for each in keys if isinstance(keys, list) else []:
        chain = each.get("x5c") if isinstance(each, Mapping) else None
        if isinstance(chain, list) and chain and isinstance(chain[0], str):
            try:
                found.append(x509.Certificate.load(base64.b64decode(chain[0])))
            except (binascii.Error, ValueError) as error:
                raise SealError("A certificate of the key set cannot be read.") from error
    return found


def signature_faults(pdf: bytes, signings: Sequence[Signing], jwk: Any) -> list[str]:
    """What is wrong with a paper's signatures, of which these must be there and no other."""
    trusted = certificates_of(jwk)
    if not trusted:
        return [NO_CERTIFICATE]
    try:
        reader = PdfFileReader(io.BytesIO(pdf))
        return list(_faults(list(reader.embedded_signatures), signings, trusted))
    except (PdfError, SignatureValidationError, SigningError, ValueError, KeyError) as error:
        return [f"{CHANGED} ({error})"]
    except Exception as error:  # whatever a reader of PDF stumbles over in what is no paper of ours
        return [f"{CHANGED} ({type(error).__name__})"]


def _faults(
    found: Sequence[EmbeddedPdfSignature],
    signings: Sequence[Signing],
    trusted: Sequence[x509.Certificate],
) -> Iterator[str]:
    told = [(each.field_name, _text(each, "/Reason")) for each in found]
    wanted = [(each.field, each.reason) for each in signings]
    if told != wanted:
        yield (
            "The paper does not bear the signatures that its data tells of: "
            f"{_listed(told)} in place of {_listed(wanted)}."
        )
        return
    known = {each.dump() for each in trusted}
    for index, signature in enumerate(found):
        if signature.signer_cert.dump() not in known:
            yield (
                f"The paper was signed ({signature.field_name}) with a certificate that the key "
                "set does not have."
            )
            continue
        status = _status(signature)
        is_last = index == len(found) - 1
        if not status.intact or not status.valid:
            yield CHANGED
        elif not status.trusted:
            yield f"The certificate of the signature ({signature.field_name}) did not hold then."
        elif is_last and status.coverage is not SignatureCoverageLevel.ENTIRE_FILE:
            yield CHANGED
        elif not is_last and (
            status.modification_level not in HARMLESS or status.docmdp_ok is not True
        ):
            yield CHANGED
        if signature.field_name == SITE_FIELD and signature.docmdp_level is None:
            yield "The site's signature does not certify the paper."


def _status(signature: EmbeddedPdfSignature) -> PdfSignatureStatus:
    signed_at = signature.self_reported_timestamp
    now = dt.datetime.now(dt.UTC)
    if signed_at is None or signed_at > now + AHEAD:
        raise SealError("The paper says that it was signed at a time to come.")
    context = ValidationContext(
        trust_roots=[signature.signer_cert], allow_fetching=False, moment=signed_at
    )
    return validate_pdf_signature(
        signature, signer_validation_context=context, key_usage_settings=USAGE
    )


def _text(signature: EmbeddedPdfSignature, name: str) -> str:
    return str(signature.sig_object.get(name, ""))


def _listed(told: Sequence[tuple[str, str]]) -> str:
    return ", ".join(f"{name} ({reason})" for name, reason in told) or "none"


def text_faults(pdf: bytes, drawn: bytes) -> list[str]:
    """Where the pages of a paper say other than those that were drawn from its data."""
    try:
        said, wanted = page_texts(pdf), page_texts(drawn)
    except pypdfium2.PdfiumError as error:
        return [f"The pages cannot be read ({error})."]
    if len(said) != len(wanted):
        return [f"The paper has {len(said)} pages; its data makes {len(wanted)}."]
    return [
        f"Page {number} does not say what the signed data says: {_first_difference(page, other)}."
        for number, (page, other) in enumerate(zip(said, wanted, strict=True), start=1)
        if page != other
    ]


def page_texts(pdf: bytes) -> list[list[str]]:
    """The words of each page, in the order in which they were drawn."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [page.get_textpage().get_text_range().split() for page in document]
    finally:
        document.close()


def _first_difference(said: list[str], wanted: list[str]) -> str:
    for index, (one, other) in enumerate(zip(said, wanted, strict=False)):
        if one != other:
            return f"'{_around(said, index)}' in place of '{_around(wanted, index)}'"
    longer, what = (said, "more") if len(said) > len(wanted) else (wanted, "less")
    return f"{what}: '{_around(longer, min(len(said), len(wanted)))}'"


def _around(words: list[str], index: int) -> str:
    return " ".join(words[max(0, index - 2) : index + 3])[:80]
