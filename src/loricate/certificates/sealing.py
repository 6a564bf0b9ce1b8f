"""Sealing: a document in RFC 8785 canonical form, signed with the site key.

The signature is a JWS (RFC 7515), EdDSA on Ed25519. A sealed file is JSON with exactly two members:
``document`` for people and programs to read, and ``jws``, the compact serialisation whose payload
is the document's canonical form. What a seal is for stands in its header (``typ``), so that a seal
of one kind is never taken for another.
"""

import base64
import binascii
import hashlib
import warnings
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import rfc8785
from joserfc import jws
from joserfc.errors import JoseError, SecurityWarning
from joserfc.jwk import OKPKey
from joserfc.jws import JWSRegistry
from pydantic_core import to_json

from loricate.core.json_text import JsonRefused, read_json

ALGORITHM = "Ed25519"  # EdDSA by its fully specified name (RFC 9864)
OF_OTHERS = "EdDSA"  # the same, as software of before RFC 9864 calls it
ACCEPTED = [ALGORITHM, OF_OTHERS]


class _Ours(JWSRegistry):
    """What the library takes for a seal, but for its size.

    It reads payloads of up to 128 kB alone. A document of many points and a list of many
    revocations are longer, and as true.
    """

    max_payload_length = 64 * 2**20


class SealError(Exception):
    """Root of every error of sealing and verifying."""


class Sort(StrEnum):
    """What a seal is for: the ``typ`` of its header."""

    DOCUMENT = "loricate-document+jws"
    PAPER = "loricate-paper+jws"
    HEAD = "loricate-ledger-head+jws"
    REVOCATIONS = "loricate-revocations+jws"
    CARRIED = "loricate-carried+jws"


@dataclass(frozen=True, slots=True)
class SiteKey:
    """The key a site signs with."""

    key: OKPKey

    def __reduce__(self) -> tuple[Callable[[bytes], "SiteKey"], tuple[bytes]]:
        return site_key_of, (self.pem,)

    @property
    def pem(self) -> bytes:
        """The whole key, as its file has it."""
        return self.key.as_pem(private=True)

    @property
    def kid(self) -> str:
        """The key's name: its thumbprint (RFC 7638)."""
        return self.key.thumbprint()

    @property
    def public_jwk(self) -> dict[str, Any]:
        """The public half as a JWK (RFC 7517) with its thumbprint (RFC 7638) as ``kid``."""
        return {**self.key.as_dict(private=False), "kid": self.kid, "use": "sig"}

    def sign(self, payload: bytes, sort: Sort) -> str:
        """Give the compact JWS of a payload."""
        header = {"alg": ALGORITHM, "kid": self.kid, "typ": sort.value}
        return jws.serialize_compact(header, payload, self.key, algorithms=[ALGORITHM])


def site_key_of(pem: bytes) -> SiteKey:
    """The key of a PEM file's content; raises SealError when it is none."""
    try:
        key = SiteKey(OKPKey.import_key(pem))
        key.sign(b"", Sort.HEAD)  # a public half alone, or a key for something else, signs nothing
    except (JoseError, ValueError, TypeError) as error:
        raise SealError(f"This is no Ed25519 private key in PEM form ({error}).") from error
    return key


def public_key(jwk: Any) -> OKPKey:
    """Read a public JWK; raises SealError when it is none."""
    try:
        return OKPKey.import_key({name: jwk[name] for name in ("kty", "crv", "x")})
    except (KeyError, ValueError, TypeError, JoseError) as error:
        raise SealError(f"The key is not an Ed25519 public key in JWK form ({error}).") from error


def canonical(document: Any) -> bytes:
    """The RFC 8785 canonical form; raises ValueError for what has none."""
    return rfc8785.dumps(document)


def sealed_digest(compact: str) -> str:
    """The digest of what a seal of ours is of, unchecked."""
    return hashlib.sha256(unopened(compact)).hexdigest()


def seal(document: dict[str, Any], key: SiteKey) -> str:
    """Give the sealed file's text."""
    return file_text({"document": document, "jws": key.sign(canonical(document), Sort.DOCUMENT)})


def file_text(members: Mapping[str, Any]) -> str:
    """The text of a sealed file, as people read it: indented."""
    return f"{to_json(members, indent=2).decode()}\n"


def opened(compact: str, jwk: Any, sort: Sort) -> bytes:
    """Check a seal of one sort with a public key and give its payload; raises SealError."""
    key, header = public_key(jwk), _header(compact)
    if header.get("kid") != key.thumbprint():
        raise SealError(
            f"It was signed with another key ({_short(header.get('kid'))}) than the one given "
            f"({_short(key.thumbprint())})."
        )
    if header not in [{"alg": alg, "kid": header["kid"], "typ": sort.value} for alg in ACCEPTED]:
        found = _short(header.get("typ"), 40)
        raise SealError(f"Its seal is for something else: {found} in place of {sort.value}.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", SecurityWarning)  # of the older name: it is meant
            return jws.deserialize_compact(
                compact, key, registry=_Ours(algorithms=ACCEPTED)
            ).payload
    except (JoseError, ValueError) as error:
        raise SealError("The signature does not match this key and content.") from error


def unopened(compact: str) -> bytes:
    """What a seal is of, unchecked; raises SealError where it is none."""
    parts = compact.split(".")
    try:
        return _decoded(parts[1])
    except (IndexError, binascii.Error, ValueError) as error:
        raise SealError("The seal is no JWS: its payload cannot be read.") from error


def key_id(compact: str) -> str:
    """The ``kid`` that a seal names, unchecked; empty when it names none."""
    try:
        named = _header(compact).get("kid")
    except SealError:
        return ""
    return named if isinstance(named, str) else ""


def _decoded(part: str) -> bytes:
    return base64.urlsafe_b64decode(part + "=" * (-len(part) % 4))


def _header(compact: str) -> dict[str, Any]:
    first = compact.partition(".")[0]
    try:
        header = read_json(_decoded(first))
    except (binascii.Error, JsonRefused, ValueError) as error:
        raise SealError("The seal is no JWS: its header cannot be read.") from error
    if not isinstance(header, dict):
        raise SealError("The seal is no JWS: its header is no object.")
    return header


def _short(value: Any, most: int = 12) -> str:
    text = value if isinstance(value, str) and value else "none"
    return text if len(text) <= most else f"{text[:most]}…"
