"""Whether everything that tells of one document tells the same: row, seal, chain and paper."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from loricate.certificates.issue import KINDS
from loricate.certificates.ledger import MOST_FAULTS, ChainState, Entry, entry_hash, follow
from loricate.certificates.sealing import SealError
from loricate.certificates.verifying import Verification, verify, verify_sealed


class FullEntry(Entry, Protocol):
    """An entry of the ledger with its document."""

    @property
    def kind(self) -> str: ...
    @property
    def serial(self) -> str: ...
    @property
    def issued_at(self) -> str: ...
    @property
    def sealed(self) -> str: ...
    @property
    def lot(self) -> str: ...
    @property
    def about(self) -> tuple[str, ...]: ...
    @property
    def supersedes(self) -> str | None: ...


@dataclass(frozen=True, slots=True)
class KeptPaper:
    """A paper that is kept of a document: its bytes; None where they are gone or were changed."""

    digest: str
    data: bytes | None


Papers = Callable[[str], Iterable[KeptPaper]]  # every paper of a number


def check_entry(entry: FullEntry, jwk: Any, papers: Papers, redraws: bool = True) -> Verification:
    """Hold an entry's row, sealed document, place in the chain and papers against each other.

    ``jwk`` is a public JWK or a JWK set. A document whose paper is still to be made has none.
    """
    try:
        found = verify_sealed(entry.sealed.encode(), jwk)
    except SealError as error:
        return Verification((str(error),))
    faults = [*found.faults, *_row_faults(entry, found.document, found.digest)]
    for paper in papers(entry.number):
        faults += _paper_faults(paper, found, jwk, redraws)
    return Verification(tuple(faults), found.document, digest=found.digest)


def _paper_faults(paper: KeptPaper, entered: Verification, jwk: Any, redraws: bool) -> list[str]:
    if paper.data is None:
        return ["A paper of it beside the records is gone or was changed; it can be made again."]
    found = verify(paper.data, jwk, redraws=redraws)
    if found.faults or found.digest == entered.digest:
        return list(found.faults)
    return ["A paper of it beside the records is of another document."]


def _row_faults(
    entry: FullEntry, document: Mapping[str, Any], document_digest: str
) -> Iterator[str]:
    place = document.get("ledger", {})
    told = {
        "number": (entry.number, document.get("number")),
        "kind": (entry.kind, document.get("kind")),
        "serial": (entry.serial, document.get("unit", {}).get("serial", "")),
        "lot": (entry.lot, _lot_of(document)),
        "documents that it is about": (list(entry.about), sorted(_about(document))),
        "date of issue": (entry.issued_at, document.get("issued_at")),
        "digest": (entry.document_digest, document_digest),
        "place in the ledger": (entry.position, place.get("position")),
        "entry before it": (entry.previous, place.get("previous")),
        "superseded document": (entry.supersedes or "", document.get("supersedes")),
        "verdict": (KINDS[entry.kind].verdict, document.get("verdict")),
    }
    for what, (row, signed) in told.items():
        if row != signed:
            yield f"The ledger's {what} is {row}; the sealed document says {signed}."
    wanted = entry_hash(entry.position, entry.number, entry.document_digest, entry.previous)
    if entry.hash != wanted:
        yield "Its entry in the ledger was changed after it was entered."


def _lot_of(document: Mapping[str, Any]) -> str:
    told = document.get("lot")
    if isinstance(told, Mapping):
        return str(told.get("code"))
    return str(document.get("unit", {}).get("lot", told or ""))


def _about(document: Mapping[str, Any]) -> Iterator[str]:
    told = [document["revokes"]] if "revokes" in document else document.get("approves", [])
    for each in told:
        yield str(each["number"])


def check_ledger(entries: Iterable[FullEntry], jwk: Any, papers: Papers) -> ChainState:
    """Follow a whole ledger and say what is wrong with its chain and with each of its documents."""
    faults: list[str] = []

    def checked() -> Iterator[FullEntry]:
        for entry in entries:
            if len(faults) < MOST_FAULTS:
                found = check_entry(entry, jwk, papers, redraws=False).faults
                faults.extend(f"{entry.number}: {each}" for each in found)
            yield entry

    state = follow(checked())
    return ChainState(state.entries, tuple([*state.faults, *faults][:MOST_FAULTS]), state.hashes)
