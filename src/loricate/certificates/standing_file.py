"""The standing of a document as a file carries it: sealed acts beside the sealed document.

A sealed file may have a third member, ``standing``: ``superseded_by``, ``revocation`` and
``approvals``, the latter two sealed files themselves. What it says is checked, not believed.
"""

import json
from dataclasses import dataclass
from typing import Any

from loricate.certificates.sealing import file_text
from loricate.papers.standing import Standing


@dataclass(frozen=True, slots=True)
class SealedStanding:
    """The standing of a document by the sealed texts of what was done about it."""

    superseded_by: str = ""
    revocation: str = ""
    approvals: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.superseded_by or self.revocation or self.approvals)

    @property
    def opened(self) -> Standing:
        """What the acts say."""
        return Standing(
            self.superseded_by,
            json.loads(self.revocation)["document"] if self.revocation else None,
            tuple(json.loads(each)["document"] for each in self.approvals),
        )

    @property
    def mark(self) -> str:
        """The numbers of all that it rests on: the same mark is the same standing."""
        opened = self.opened
        numbers = [each["number"] for each in opened.approvals]
        if opened.revocation is not None:
            numbers.append(opened.revocation["number"])
        return " ".join([*sorted(numbers), *filter(None, [self.superseded_by])])

    def beside(self, sealed: str) -> str:
        """A sealed file's text with this standing; as it is where nothing came after it."""
        if not self:
            return sealed
        return file_text(
            {
                **json.loads(sealed),
                "standing": {
                    "superseded_by": self.superseded_by,
                    "revocation": json.loads(self.revocation) if self.revocation else None,
                    "approvals": [json.loads(each) for each in self.approvals],
                },
            }
        )


PLAIN = SealedStanding()


def standing_of(told: Any) -> SealedStanding:
    """The standing that a sealed file has; raises ValueError for what has another form."""
    if not isinstance(told, dict) or told.keys() != {"superseded_by", "revocation", "approvals"}:
        raise ValueError("its standing has another form")
    revocation, approvals = told["revocation"], told["approvals"]
    if not isinstance(told["superseded_by"], str) or not isinstance(approvals, list):
        raise ValueError("its standing has another form")
    return SealedStanding(
        told["superseded_by"],
        json.dumps(revocation) if revocation is not None else "",
        tuple(json.dumps(each) for each in approvals),
    )
