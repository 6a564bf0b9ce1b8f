"""Splitting things in two so that every two of them are apart in some split.

The things are numbered in Gray code: neighbours, which most often touch, differ in one bit alone,
so that one split in ceil(log2 N) shows them.
"""

from collections.abc import Sequence
from typing import TypeVar

from loricate.core.wiring.description import splits_needed

T = TypeVar("T")


def gray(number: int) -> int:
    """The Gray code of a number."""
    return number ^ (number >> 1)


def splits(things: Sequence[T]) -> list[tuple[list[T], list[T]]]:
    """Each split's two sides, the one with the bit set first; none for fewer than two things."""
    found = []
    for bit in range(splits_needed(len(things))):
        sides: tuple[list[T], list[T]] = ([], [])
        for place, thing in enumerate(things):
            sides[gray(place) >> bit & 1].append(thing)
        found.append((sides[1], sides[0]))
    return found
