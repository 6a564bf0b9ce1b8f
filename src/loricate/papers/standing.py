"""How a document stands now: whether another took its place, it was revoked, or approved.

A document never changes; its standing does. A paper that is made later says it.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Standing:
    """The number that counts instead, and the documents of a revocation and of approvals."""

    superseded_by: str = ""
    revocation: Mapping[str, Any] | None = None
    approvals: tuple[Mapping[str, Any], ...] = ()


COUNTS = Standing()
