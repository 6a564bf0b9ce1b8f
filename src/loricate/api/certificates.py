"""Issued documents: found, verified, revoked, approved; the ledger; the site's keys."""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Number = Annotated[str, Field(pattern=r"^[A-Z]-\d{4}-\d{6,}$", examples=["C-2026-000001"])]
KindName = Literal["certificate", "nonconformance", "lot", "report", "revocation", "approval"]
PaperStateName = Literal["none", "coming", "made", "held_up"]
Purpose = Literal["documents", "papers"]


class DocumentFound(BaseModel):
    """An entry of the ledger, with how it stands."""

    position: int
    from_bench: str = Field(
        default="", description="Whose ledger it is in, where that was carried in; else empty"
    )
    number: str
    kind: KindName
    serial: str = Field(description="Of the unit; empty for a document of none")
    lot: str
    product: str
    issued_at: str
    supersedes: str
    superseded_by: str = Field(description="The number that counts instead; empty while this does")
    revoked_by: str = Field(description="The revocation's number; empty while it counts")
    approvals: int
    approvals_needed: int = Field(description="Of how many people, before it is approved")
    about: list[str] = Field(description="What a revocation or an approval is about")
    paper: PaperStateName
    paper_problem: str


class Revoking(BaseModel):
    """Why a document counts no longer."""

    model_config = ConfigDict(extra="forbid", strict=True)

    reason: Annotated[
        str, Field(min_length=3, max_length=500, examples=["Bond source found out of tolerance"])
    ]


class Approving(BaseModel):
    """Documents to approve: by their numbers, or all of a lot that wait for it."""

    model_config = ConfigDict(extra="forbid", strict=True)

    numbers: Annotated[list[Number], Field(max_length=10_000)] = []
    lot: Annotated[str, Field(max_length=64)] = ""
    note: Annotated[str, Field(max_length=500)] = ""


class Entered(BaseModel):
    """What was entered in the ledger."""

    number: str


class ApprovalTold(BaseModel):
    """An approval of a document."""

    number: str
    by: str
    at: str


class OtherDocument(BaseModel):
    """A document of the same number that another bench has issued."""

    bench: str = Field(description="Asks for it; empty for this service's own")
    kind: str
    serial: str
    issued_at: str


class Verified(BaseModel):
    """What anyone who holds the paper may know of it."""

    number: str = Field(examples=["C-2026-000001"])
    status: Literal["genuine", "superseded", "revoked", "damaged"]
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
    revoked: str = Field(description="When, by which revocation and why; empty while it counts")
    approvals: list[ApprovalTold]
    document_digest: str = Field(description="SHA-256 of the signed document's canonical form")
    from_bench: str = Field(
        default="", description="Whose ledger it is in, where that was carried in; else empty"
    )
    others: list[OtherDocument] = Field(
        default=[], description="Documents of other benches that have the same number"
    )


class VerifiedFile(BaseModel):
    """What came of verifying a file that somebody has."""

    genuine: bool
    counts: bool = Field(description="Genuine, not revoked, and superseded by none")
    faults: list[str]
    checked: list[str]
    unchecked: list[str]
    number: str
    kind: str
    serial: str
    verdict: str
    revoked: str
    superseded_by: str
    approvals: list[ApprovalTold]
    from_bench: str = Field(
        default="", description="Whose document it is, where its records were carried in"
    )


class LedgerState(BaseModel):
    """Whether what was issued is whole: chain, rows, seals, papers, and heads kept outside."""

    entries: int
    whole: bool
    faults: list[str]
    heads: int = Field(description="Signed heads, kept outside, that it was held against")
    notes: list[str] = Field(default=[], description="What is known to have been lost")


class KeySet(BaseModel):
    """Public keys as a JWK set (RFC 7517); those of papers have their certificate (``x5c``)."""

    keys: list[dict[str, str | list[str]]]


class KeyOut(BaseModel):
    """A key of the site: what for, and where it stands."""

    kid: str = Field(description="Its thumbprint; of a key for papers that of its certificate")
    purpose: Purpose
    state: Literal["in_use", "next", "former"]
    since: str
    begun_at: str
    subject: str = Field(description="Who readers of PDF say has signed; empty for documents")


class KeyPreparing(BaseModel):
    """Which key is to be followed by another."""

    model_config = ConfigDict(extra="forbid", strict=True)

    purpose: Purpose


class KeyBegun(BaseModel):
    """A key that is used from now on, and the file that the one before it went to."""

    kid: str
    put_away: str
