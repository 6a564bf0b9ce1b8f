"""The ledger's chain: each entry's hash covers its document's digest and the hash before it."""

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from loricate.certificates.sealing import canonical

GENESIS = "0" * 64


class Entry(Protocol):
    """What the chain needs of an entry."""

    @property
    def position(self) -> int: ...
    @property
    def number(self) -> str: ...
    @property
    def document_digest(self) -> str: ...
    @property
    def previous(self) -> str: ...
    @property
    def hash(self) -> str: ...


def entry_hash(position: int, number: str, document_digest: str, previous: str) -> str:
    """The hash of an entry: SHA-256 over its canonical JSON, in hexadecimal."""
    return hashlib.sha256(
        canonical(
            {
                "position": position,
                "number": number,
                "document_digest": document_digest,
                "previous": previous,
            }
        )
    ).hexdigest()


MOST_FAULTS = 100  # that are told; a chain that is broken once shows it all the way


@dataclass(frozen=True, slots=True)
class ChainState:
    """How many entries a chain has, what is wrong with it, and its hashes by position."""

    entries: int
    faults: tuple[str, ...]
    hashes: Mapping[int, str] = field(default_factory=dict)


def follow(entries: Iterable[Entry]) -> ChainState:
    """Follow a chain from its beginning and say what is wrong with it."""
    faults, previous, count = list[str](), GENESIS, 0
    hashes: dict[int, str] = {}
    for expected, entry in enumerate(entries, start=1):
        if entry.position != expected:
            faults.append(f"Entry {expected} is missing; {entry.number} stands in its place.")
        if entry.previous != previous:
            faults.append(f"{entry.number} does not follow the entry before it.")
        wanted = entry_hash(entry.position, entry.number, entry.document_digest, entry.previous)
        if wanted != entry.hash:
            faults.append(f"{entry.number} was changed after it was entered.")
        previous, count = entry.hash, expected
        hashes[entry.position] = entry.hash
        del faults[MOST_FAULTS:]
    return ChainState(count, tuple(faults), hashes)
