"""Signatures on papers: PAdES over the finished file, as any reader of PDF checks them.

The first one certifies: after it only further signatures may be added. Each approval is one more.
"""

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from asn1crypto import keys as asn1_keys
from asn1crypto import x509 as asn1_x509
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
from pyhanko.sign import signers
from pyhanko.sign.fields import MDPPerm, SigFieldSpec, SigSeedSubFilter
from pyhanko_certvalidator.registry import SimpleCertificateStore

from loricate.certificates.paper_key import PaperKey

SITE_FIELD, APPROVAL_FIELD = "Site", "Approval"
BARE = 512  # bytes that a signature takes at most without certificates


@dataclass(frozen=True, slots=True)
class Signing:
    """One signature to put on a paper: in which field, why, and in whose name."""

    field: str
    reason: str
    name: str


def signings_of(
    document: Mapping[str, Any], approvals: Sequence[Mapping[str, Any]]
) -> list[Signing]:
    """The signatures that a paper bears: the site's, and one for each approval."""
    site = str(document["site"])
    found = [Signing(SITE_FIELD, f"Issued: {document['number']}", site)]
    for index, approval in enumerate(approvals, start=1):
        by = approval["approved_by"]
        reason = f"Approved: {approval['number']}, by {by['name'] or by['account']}"
        found.append(Signing(f"{APPROVAL_FIELD}{index}", reason, site))
    return found


def sign_paper(pdf: bytes, signings: Sequence[Signing], key: PaperKey) -> bytes:
    """The file with its signatures, the first of which certifies it."""
    signer, room = _signer(key), _room_for(key)
    for index, signing in enumerate(signings):
        metadata = signers.PdfSignatureMetadata(
            field_name=signing.field,
            md_algorithm="sha256",
            reason=signing.reason,
            name=signing.name,
            certify=index == 0,
            docmdp_permissions=MDPPerm.FILL_FORMS,
            subfilter=SigSeedSubFilter.PADES,
        )
        out = io.BytesIO()
        signers.PdfSigner(
            metadata, signer=signer, new_field_spec=SigFieldSpec(signing.field)
        ).sign_pdf(IncrementalPdfFileWriter(io.BytesIO(pdf)), output=out, bytes_reserved=room)
        pdf = out.getvalue()
    return pdf


def _room_for(key: PaperKey) -> int:
    """How many hexadecimal digits a signature has in the file; what it does not fill is zeros.

    The certificates are in it, and the issuer's name twice more, which is shorter than they are.
    """
    own = len(key.certificate.public_bytes(Encoding.DER))
    chain = sum(len(each.public_bytes(Encoding.DER)) for each in key.others)
    return 2 * (BARE + 3 * own + chain)


def _signer(key: PaperKey) -> signers.SimpleSigner:
    private = key.private.private_bytes(Encoding.DER, PrivateFormat.PKCS8, NoEncryption())
    store = SimpleCertificateStore()  # type: ignore[no-untyped-call]  # it says no type of none
    store.register_multiple(
        asn1_x509.Certificate.load(each.public_bytes(Encoding.DER)) for each in key.others
    )
    return signers.SimpleSigner(
        signing_cert=asn1_x509.Certificate.load(key.certificate.public_bytes(Encoding.DER)),
        signing_key=asn1_keys.PrivateKeyInfo.load(private),
        cert_registry=store,
    )
