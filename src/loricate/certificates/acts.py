"""Acts on documents that were issued: revocations, approvals, and the signed list of the former."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Self

from loricate.certificates.issue import Document
from loricate.certificates.sealing import SealError, SiteKey, Sort, canonical, opened


@dataclass(frozen=True, slots=True)
class Signer:
    """Who acts: the account, with full name and role."""

    account: str
    name: str
    role: str

    @property
    def told(self) -> Document:
        """As a document has it."""
        return {"account": self.account, "name": self.name, "role": self.role}


def revocation_body(number: str, digest: str, serial: str, reason: str, by: Signer) -> Document:
    """What a revocation says: which document no longer counts, why, and who said so."""
    return {
        "revokes": {"number": number, "digest": digest, "serial": serial},
        "reason": reason,
        "revoked_by": by.told,
    }


def approval_body(
    documents: Sequence[tuple[str, str]], lot: str, note: str, by: Signer
) -> Document:
    """What an approval says: which documents (number, digest), of which lot, and who approved."""
    return {
        "approves": [{"number": number, "digest": digest} for number, digest in documents],
        "lot": lot,
        "note": note,
        "approved_by": by.told,
    }


def is_about(act: Mapping[str, Any], number: str, digest: str) -> bool:
    """Whether a revocation or an approval is about this very document."""
    told = act["approves"] if act.get("kind") == "approval" else [act.get("revokes")]
    return {"number": number, "digest": digest} in [
        {name: each.get(name) for name in ("number", "digest")}
        for each in told
        if isinstance(each, dict)
    ]


@dataclass(frozen=True, slots=True)
class RevocationList:
    """Which documents of a site count no longer, as of a moment: for checks without the service."""

    site: str
    at: str
    position: int  # of the ledger's last entry then
    revoked: dict[str, dict[str, str]] = field(default_factory=dict)
    superseded: dict[str, str] = field(default_factory=dict)

    def sign(self, key: SiteKey) -> str:
        """The list as a compact JWS."""
        content = {
            "site": self.site,
            "at": self.at,
            "position": self.position,
            "revoked": self.revoked,
            "superseded": self.superseded,
        }
        return key.sign(canonical(content), Sort.REVOCATIONS)

    @classmethod
    def read(cls, compact: str, jwk: Any) -> Self:
        """A list that one key of a site signed; raises SealError."""
        content = json.loads(opened(compact, jwk, Sort.REVOCATIONS))
        try:
            return cls(**content)
        except TypeError as error:
            raise SealError("The list of revocations is of another form.") from error

    def revocation_of(self, number: str, digest: str) -> dict[str, str] | None:
        """The revocation of this very document, if it is on the list."""
        told = self.revoked.get(number)
        return told if told is not None and told["digest"] == digest else None
