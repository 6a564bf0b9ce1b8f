"""The key that papers are signed with: ECDSA on P-256, with its X.509 certificate (PKCS#12).

It is another than the site key, since readers of PDF know no Ed25519. The public half stands in the
site's key set as a JWK with its certificate (``x5c``, RFC 7517), which is how it is known as the
site's.
"""

import base64
import datetime as dt
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PublicFormat,
    pkcs12,
)
from cryptography.x509.oid import NameOID
from joserfc.jwk import ECKey

from loricate.certificates.key_files import check_private, write_private
from loricate.certificates.sealing import SealError

VALID_DAYS = 20 * 365
MOST_NAME = 64  # of a common name (RFC 5280)


@dataclass(frozen=True)
class PaperKey:
    """The private key, its certificate, and those that vouch for it."""

    private: ec.EllipticCurvePrivateKey
    certificate: x509.Certificate
    others: tuple[x509.Certificate, ...] = ()

    def __reduce__(self) -> tuple[Callable[[bytes], "PaperKey"], tuple[bytes]]:
        return paper_key_of, (self.pkcs12,)

    @property
    def pkcs12(self) -> bytes:
        """The whole key without a passphrase, as its file has it."""
        return pkcs12.serialize_key_and_certificates(
            b"loricate", self.private, self.certificate, self.others, NoEncryption()
        )

    @cached_property
    def public_jwk(self) -> dict[str, Any]:
        """The public half as a JWK with its certificates (``x5c``) and thumbprint (``kid``)."""
        chain = (self.certificate, *self.others)
        pem = self.private.public_key().public_bytes(
            Encoding.PEM, PublicFormat.SubjectPublicKeyInfo
        )
        told = ECKey.import_key(pem).as_dict(private=False)
        return {
            **told,
            "kid": self.kid,
            "use": "sig",
            "x5c": [base64.b64encode(each.public_bytes(Encoding.DER)).decode() for each in chain],
        }

    @property
    def kid(self) -> str:
        """The key's name: the SHA-256 of its certificate, in base64url as a thumbprint is."""
        digest = self.certificate.fingerprint(hashes.SHA256())
        return base64.urlsafe_b64encode(digest).rstrip(b"=").decode()

    @property
    def subject(self) -> str:
        """Who a reader of PDF says has signed."""
        return _named(self.certificate)

    def check(self, at: dt.datetime) -> None:
        """Raise SealError where the certificate does not hold at a time."""
        if not self.certificate.not_valid_before_utc <= at <= self.certificate.not_valid_after_utc:
            raise SealError(
                f"The certificate that papers are signed with ({self.subject}) holds from "
                f"{self.certificate.not_valid_before_utc:%Y-%m-%d} to "
                f"{self.certificate.not_valid_after_utc:%Y-%m-%d}; give one that holds now."
            )


def paper_key_of(data: bytes, passphrase: str = "") -> PaperKey:
    """The key of a PKCS#12 file's content; raises SealError when it is none that can be used."""
    try:
        private, certificate, others = pkcs12.load_key_and_certificates(
            data, passphrase.encode() or None
        )
    except (ValueError, TypeError) as error:
        told = "or its passphrase is another" if passphrase else "or it needs a passphrase"
        raise SealError(f"This is no PKCS#12 file, {told} ({error}).") from error
    if private is None or certificate is None:
        raise SealError("The PKCS#12 file has no private key with its certificate; export both.")
    is_p256 = isinstance(private, ec.EllipticCurvePrivateKey) and isinstance(
        private.curve, ec.SECP256R1
    )
    if not is_p256 or not isinstance(private, ec.EllipticCurvePrivateKey):
        raise SealError("The key is not on the curve P-256; papers are signed with no other.")
    if certificate.public_key() != private.public_key():
        raise SealError("The certificate in the PKCS#12 file belongs to another key.")
    return PaperKey(private, certificate, tuple(others))


def subject_of(jwk: Mapping[str, Any]) -> str:
    """Who readers of PDF say has signed, of a public JWK; empty for one without a certificate."""
    chain = jwk.get("x5c")
    if not chain:
        return ""
    return _named(x509.load_der_x509_certificate(base64.b64decode(chain[0])))


def _named(certificate: x509.Certificate) -> str:
    names = certificate.subject.get_attributes_for_oid(NameOID.COMMON_NAME)
    return str(names[0].value) if names else certificate.subject.rfc4514_string()


def new_paper_key(site: str) -> PaperKey:
    """A key with a certificate that vouches for itself, in the site's name."""
    private = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, site[:MOST_NAME] or "Loricate")])
    begin = dt.datetime.now(dt.UTC).replace(microsecond=0) - dt.timedelta(minutes=5)
    usage = x509.KeyUsage(
        digital_signature=True,
        content_commitment=True,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=False,
        crl_sign=False,
        encipher_only=False,
        decipher_only=False,
    )
    certificate = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(private.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(begin)
        .not_valid_after(begin + dt.timedelta(days=VALID_DAYS))
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(usage, critical=True)
        .sign(private, hashes.SHA256())
    )
    return PaperKey(private, certificate)


def make_paper_key(path: Path, site: str) -> PaperKey:
    """Make a key file that only the owner can read, and never in place of another."""
    key = new_paper_key(site)
    write_private(path, key.pkcs12)
    return key


def read_paper_key(path: Path, passphrase: str = "") -> PaperKey:
    """The key of a PKCS#12 file; raises SealError naming the file and what is wrong."""
    check_private(path)
    try:
        return paper_key_of(path.read_bytes(), passphrase)
    except SealError as error:
        raise SealError(f"{path}: {error}") from error
