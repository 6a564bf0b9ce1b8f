"""Signed heads: what the ledger had come to at a moment, kept where the ledger is not.

A chain shows what was changed within it, not that its end is missing, nor that all of it was made
anew by somebody who has the key. A head that was put elsewhere in time shows both.
"""

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any, Self

from loricate.certificates.sealing import SealError, SiteKey, Sort, canonical, opened
from loricate.certificates.verifying import key_for


@dataclass(frozen=True, slots=True)
class Head:
    """How far a ledger had come: its last entry, and the last number of each series.

    ``chains`` has, for each chain of marks in the records, how many there were and the last hash.
    """

    site: str
    bench: str
    at: str
    position: int
    hash: str
    numbers: dict[str, int] = field(default_factory=dict)
    chains: dict[str, tuple[int, str]] = field(default_factory=dict)

    @classmethod
    def read(cls, compact: str, jwk: Any) -> Self:
        """A head that was signed with a key of the site; raises SealError."""
        content = json.loads(opened(compact, key_for(compact, jwk), Sort.HEAD))
        chains = {
            name: (int(count), str(last)) for name, (count, last) in content["chains"].items()
        }
        return cls(**{**content, "chains": chains})

    def sign(self, key: SiteKey) -> str:
        """The head as a compact JWS."""
        return key.sign(canonical(asdict(self)), Sort.HEAD)


@dataclass(frozen=True, slots=True)
class Found:
    """The heads among some texts, and how many texts were none that the site signed."""

    heads: list[Head]
    strange: int

    @property
    def faults(self) -> list[str]:
        """What strange ones say: that the site's keys are not those of before, or of others."""
        if not self.strange:
            return []
        return [
            f"{self.strange} of the heads kept outside were not signed with a key that these "
            "records know: either somebody put them there, or the keys are not those of before."
        ]


def read_heads(texts: Iterable[str], jwk: Any) -> Found:
    """The heads of some texts; those that no key of the site signed only count as strange."""
    found, strange = [], 0
    for text in texts:
        try:
            found.append(Head.read(text.strip(), jwk))
        except SealError:
            strange += 1
    return Found(found, strange)


def last_numbers(heads: Iterable[Head]) -> dict[str, int]:
    """The highest number of each series that any head knows of."""
    highest: dict[str, int] = {}
    for head in heads:
        for series, number in head.numbers.items():
            highest[series] = max(highest.get(series, 0), number)
    return highest


def ledger_faults(heads: Iterable[Head], hashes: Mapping[int, str]) -> list[str]:
    """What heads kept outside say against a ledger, whose hashes are given by position."""
    faults = []
    count = max(hashes, default=0)
    for head in heads:
        if head.position > count:
            faults.append(
                f"On {head.at[:16]}Z the ledger had {head.position} entries; it has {count} now. "
                "Its end was cut off, or an older backup was put in its place."
            )
        elif head.position and hashes.get(head.position) != head.hash:
            faults.append(
                f"Entry {head.position} is another than the one that was signed for on "
                f"{head.at[:16]}Z: the ledger was chained anew."
            )
    return faults
