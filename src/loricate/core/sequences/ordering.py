"""Steps in any order: neighbours that the operator does in the order that suits him.

Steps next to each other with ``order = "any"`` are one group. Nothing in it may depend on another
of it, and a review looks at it in every order that matters.
"""

from collections.abc import Iterator, Sequence
from typing import Literal

from loricate.core.errors import Finding
from loricate.core.planning.scheduling import Across

Order = Literal["as_written", "any"]
MOST_IN_A_GROUP = 9  # a key for each


def groups(orders: Sequence[Order]) -> tuple[tuple[int, ...], ...]:
    """The places of neighbours that come in any order; one alone is no group."""
    found: list[list[int]] = []
    is_inside = False
    for place, order in enumerate(orders):
        if order == "any":
            if not is_inside:
                found.append([])
            found[-1].append(place)
        is_inside = order == "any"
    return tuple(tuple(each) for each in found if len(each) > 1)


def telling_orders(count: int) -> Iterator[tuple[int, ...]]:
    """Orders of ``count`` things that show whatever depends on the order of two.

    In some of them each stands before each other, next to it, first and last: the rows of a Latin
    square that goes to and fro (E. J. Williams, 1949), and the same backwards. The first is as it
    was.
    """
    yield tuple(range(count))
    zigzag = [(place + 1) // 2 * (1 if place % 2 else -1) for place in range(count)]
    for first in range(count):
        row = tuple((first + step) % count for step in zigzag)
        yield row
        yield row[::-1]


def group_findings(steps: Sequence[tuple[int, str, Order, Across]]) -> Iterator[Finding]:
    """What cannot be left to the operator: ``steps`` are place, id, order and across of each."""
    for place, _, order, across in steps:
        if order == "any" and across is not Across.EACH:
            message = "cannot be any of a step that the nests do together or once"
            yield Finding(f"steps[{place}].order", message, "leave it, or do it for each nest.")
    for group in groups([order for _, _, order, _ in steps]):
        if len(group) > MOST_IN_A_GROUP:
            place = steps[group[MOST_IN_A_GROUP]][0]
            message = f"is any of {len(group)} neighbours; at most {MOST_IN_A_GROUP} may be"
            remedy = "put a step between them that comes as written."
            yield Finding(f"steps[{place}].order", message, remedy)
