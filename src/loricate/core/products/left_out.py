"""What a step does not measure of a product, and why."""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class LeftOut:
    """One thing of a standard's table that does not apply to a product."""

    what: str
    reason: str


def left_out_texts(left: Iterable[LeftOut]) -> tuple[str, ...]:
    """What is left out, in sentences: each reason once."""
    by_reason: dict[str, list[str]] = {}
    for each in left:
        by_reason.setdefault(each.reason, []).append(each.what)
    return tuple(f"{'; '.join(what)}: {reason}." for reason, what in by_reason.items())
