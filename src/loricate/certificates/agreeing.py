"""Whether everything that tells of one document tells the same: row, seal, chain and paper."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, Protocol

from loricate.certificates.ledger import MOST_FAULTS, ChainState, Entry, entry_hash, follow
from loricate.certificates.paper_seal import paper_faults
from loricate.certificates.sealing import SealError
from loricate.certificates.verifying import Verification, key_for, verify_sealed


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
    def paper(self) -> str: ...
    @property
    def supersedes(self) -> str | None: ...


Papers = Callable[[str], bytes | None]  # the paper of a digest; None when it is gone or another
VERDICTS = {"certificate": "pass", "nonconformance": "fail"}


def check_entry(entry: FullEntry, jwk: Any, papers: Papers) -> Verification:
    """Hold an entry's row, sealed document, place in the chain and paper against each other.

    ``jwk`` is a public JWK or a JWK set.
    """
    try:
        found = verify_sealed(entry.sealed.encode(), jwk)
        key = key_for(_compact(entry.sealed), jwk)
    except SealError as error:
        return Verification((str(error),))
    faults = [*found.faults, *_row_faults(entry, found.document, found.digest)]
    pdf = papers(entry.paper)
    if pdf is None:
        faults.append("Its paper beside the records is gone or was changed.")
    else:
        faults += paper_faults(pdf, found.document, found.digest, key)
    return Verification(tuple(faults), found.document, digest=found.digest)


def _compact(sealed: str) -> str:
    return sealed.rpartition('"jws": "')[2].partition('"')[0]


def _row_faults(
    entry: FullEntry, document: Mapping[str, Any], document_digest: str
) -> Iterator[str]:
    place = document.get("ledger", {})
    told = {
        "number": (entry.number, document.get("number")),
        "kind": (entry.kind, document.get("kind")),
        "serial": (entry.serial, document.get("unit", {}).get("serial")),
        "date of issue": (entry.issued_at, document.get("issued_at")),
        "digest": (entry.document_digest, document_digest),
        "place in the ledger": (entry.position, place.get("position")),
        "entry before it": (entry.previous, place.get("previous")),
        "superseded document": (entry.supersedes or "", document.get("supersedes")),
        "verdict": (VERDICTS.get(entry.kind), document.get("verdict")),
    }
    for what, (row, signed) in told.items():
        if row != signed:
            yield f"The ledger's {what} is {row}; the sealed document says {signed}."
    wanted = entry_hash(entry.position, entry.number, entry.document_digest, entry.previous)
    if entry.hash != wanted:
        yield "Its entry in the ledger was changed after it was entered."


def check_ledger(entries: Iterable[FullEntry], jwk: Any, papers: Papers) -> ChainState:
    """Follow a whole ledger and say what is wrong with its chain and with each of its documents."""
    faults: list[str] = []

    def checked() -> Iterator[FullEntry]:
        for entry in entries:
            if len(faults) < MOST_FAULTS:
                found = check_entry(entry, jwk, papers).faults
                faults.extend(f"{entry.number}: {each}" for each in found)
            yield entry

    state = follow(checked())
    return ChainState(state.entries, tuple([*state.faults, *faults][:MOST_FAULTS]), state.hashes)
