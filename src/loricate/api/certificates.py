"""Certificates, verifying, the ledger."""

from pydantic import BaseModel, Field


class Verified(BaseModel):
    """What anyone who holds the paper may know of it."""

    number: str = Field(examples=["C-2026-000001"])
    genuine: bool
    faults: list[str]
    unchecked: list[str] = Field(description="What this answer does not tell, and how to learn it")
    kind: str
    site: str
    serial: str
    product: str
    verdict: str
    issued_at: str
    superseded_by: str = Field(description="The number that counts instead; empty while this does")
    document_digest: str = Field(description="SHA-256 of the signed document's canonical form")


class LedgerState(BaseModel):
    """Whether what was issued is whole: chain, rows, seals, papers, and heads kept outside."""

    entries: int
    whole: bool
    faults: list[str]
    heads: int = Field(description="Signed heads, kept outside, that it was held against")
    notes: list[str] = Field(default=[], description="What is known to have been lost")


class KeySet(BaseModel):
    """Public keys as a JWK set (RFC 7517)."""

    keys: list[dict[str, str]]
