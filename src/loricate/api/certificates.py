"""Certificates, verifying, the ledger."""

from pydantic import BaseModel, Field


class Verified(BaseModel):
    """What anyone who holds the paper may know of it."""

    number: str = Field(examples=["C-2026-000001"])
    genuine: bool
    faults: list[str]
    kind: str
    site: str
    serial: str
    product: str
    verdict: str
    issued_at: str
    superseded_by: str = Field(description="The number that counts instead; empty while this does")
    document_digest: str = Field(description="SHA-256 of the signed document's canonical form")


class LedgerState(BaseModel):
    """Whether the chain of issued documents is whole."""

    entries: int
    whole: bool
    faults: list[str]
