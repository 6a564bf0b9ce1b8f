"""Sealing: a document in RFC 8785 canonical form, signed with the site key.

The signature is a JWS (RFC 7515), EdDSA on Ed25519. A sealed file is JSON with two members:
``document`` for people and programs to read, and ``jws``, the compact serialisation whose payload
is the document's canonical form.
"""

import hashlib
import json
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import rfc8785
from joserfc import jws
from joserfc.errors import JoseError
from joserfc.jwk import OKPKey

ALGORITHM = "Ed25519"  # EdDSA by its fully specified name (RFC 9864)
ACCEPTED = [ALGORITHM]


class SealError(Exception):
    """Root of every error of sealing and verifying."""


@dataclass(frozen=True, slots=True)
class SiteKey:
    """The key a site signs with."""

    key: OKPKey

    def __reduce__(self) -> tuple[Callable[[bytes], "SiteKey"], tuple[bytes]]:
        return site_key_of, (self.key.as_pem(private=True),)

    @property
    def public_jwk(self) -> dict[str, Any]:
        """The public half as a JWK (RFC 7517) with its thumbprint (RFC 7638) as ``kid``."""
        return {**self.key.as_dict(private=False), "kid": self.key.thumbprint(), "use": "sig"}

    def sign(self, payload: bytes) -> str:
        """Give the compact JWS of a payload."""
        header = {"alg": ALGORITHM, "kid": self.key.thumbprint()}
        return jws.serialize_compact(header, payload, self.key, algorithms=ACCEPTED)


def site_key_of(pem: bytes) -> SiteKey:
    """The key of a PEM file's content."""
    return SiteKey(OKPKey.import_key(pem))


def load_or_make_site_key(path: Path) -> SiteKey:
    """Read the site key, or make one that only the owner can read."""
    if path.exists():
        return site_key_of(path.read_bytes())
    key = OKPKey.generate_key("Ed25519", auto_kid=False)
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(key.as_pem(private=True))
    return SiteKey(key)


def public_key(jwk: dict[str, Any]) -> OKPKey:
    """Read a public JWK; raises SealError when it is none."""
    try:
        return OKPKey.import_key({name: jwk[name] for name in ("kty", "crv", "x")})
    except (KeyError, ValueError, TypeError, JoseError) as error:
        raise SealError(f"The key is not an Ed25519 public key in JWK form ({error}).") from error


def canonical(document: Any) -> bytes:
    """The RFC 8785 canonical form."""
    return rfc8785.dumps(document)


def digest(document: Any) -> str:
    """The SHA-256 of the canonical form, in hexadecimal."""
    return hashlib.sha256(canonical(document)).hexdigest()


def seal(document: dict[str, Any], key: SiteKey) -> str:
    """Give the sealed file's text."""
    sealed = {"document": document, "jws": key.sign(canonical(document))}
    return json.dumps(sealed, ensure_ascii=False, indent=2) + "\n"


def opened(compact: str, key: OKPKey) -> bytes:
    """Check a compact JWS and give its payload; raises SealError."""
    try:
        return jws.deserialize_compact(compact, key, algorithms=ACCEPTED).payload
    except (JoseError, ValueError) as error:
        raise SealError("The signature does not match this key and content.") from error


def key_id(compact: str) -> str:
    """The ``kid`` that a compact JWS names, unchecked; empty when it names none."""
    try:
        return str(jws.extract_compact(compact.encode()).headers().get("kid", ""))
    except (JoseError, ValueError):
        return ""
