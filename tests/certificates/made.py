"""Documents, keys and papers that the tests of certificates share; made once a process."""

import hashlib
from functools import lru_cache
from typing import Any

from joserfc.jwk import OKPKey

from loricate.certificates.acts import Signer, approval_body, revocation_body
from loricate.certificates.issue import Draft, Place, issued
from loricate.certificates.ledger import GENESIS
from loricate.certificates.making import make_paper
from loricate.certificates.paper_key import PaperKey, new_paper_key
from loricate.certificates.sealing import SiteKey, canonical, seal
from loricate.certificates.standing_file import PLAIN, SealedStanding
from loricate.papers.look import Look
from loricate.papers.samples import sample_certificate

SITE = "Quillmere Apparatus"
INES = Signer("ines", "Ines Quay", "quality")


def digest(document: Any) -> str:
    """The SHA-256 of a document's canonical form, as its seal and the ledger have it."""
    return hashlib.sha256(canonical(document)).hexdigest()


@lru_cache(maxsize=4)
def _both(name: str) -> tuple[SiteKey, PaperKey]:
    return SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False)), new_paper_key(SITE)


def site_key(name: str = "site") -> SiteKey:
    """A key for documents; another name is another key."""
    return _both(name)[0]


def paper_key(name: str = "site") -> PaperKey:
    """A key for papers; another name is another key."""
    return _both(name)[1]


def keys(*names: str) -> dict[str, Any]:
    """The public key set of the site, or of those named."""
    chosen = names or ("site",)
    return {
        "keys": [key.public_jwk for name in chosen for key in (site_key(name), paper_key(name))]
    }


def place(number: str, position: int = 1, previous: str = GENESIS) -> Place:
    """A place in the ledger."""
    return Place(
        number, "2026-11-25T08:01:00.000Z", position, previous, SITE, "UTC", "http://127.0.0.1", "0"
    )


def body() -> dict[str, Any]:
    """What a certificate without a curve says, before it is issued."""
    sample = sample_certificate()
    for step in sample["steps"]:
        step["curves"] = []
    added = issued(Draft("certificate", {}), place(""))
    return {name: value for name, value in sample.items() if name not in added}


def document(number: str = "C-2026-000007", **more: Any) -> dict[str, Any]:
    """A certificate's document without a curve, whatever is given changed."""
    return {**issued(Draft("certificate", body()), place(number)), **more}


def sealed(told: dict[str, Any] | None = None, name: str = "site") -> str:
    """A sealed file's text."""
    return seal(told or document(), site_key(name))


def revocation(of: dict[str, Any], name: str = "site") -> str:
    """A sealed revocation of a document."""
    body = revocation_body(of["number"], digest(of), of["unit"]["serial"], "out of tolerance", INES)
    return seal(issued(Draft("revocation", body), place("X-2026-000001", 8)), site_key(name))


def approval(of: dict[str, Any], name: str = "site") -> str:
    """A sealed approval of a document."""
    body = approval_body([(of["number"], digest(of))], "", "", INES)
    return seal(issued(Draft("approval", body), place("A-2026-000001", 9)), site_key(name))


@lru_cache(maxsize=8)
def paper(standing: SealedStanding = PLAIN, name: str = "site") -> bytes:
    """The paper of the document, as it stands."""
    return make_paper(sealed(), paper_key(name), Look(), standing)
