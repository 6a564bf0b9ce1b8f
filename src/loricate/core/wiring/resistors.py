"""What is measured at a resistor that others lie beside or around."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from loricate.core.wiring.joining import Joined

Ends = tuple[int, int]


class Resistor(NamedTuple):
    """A resistance of ``ohms`` between two nodes; a net is one node."""

    name: str
    a: str
    b: str
    ohms: float


def seen_ohms(resistors: Sequence[Resistor]) -> Mapping[str, float]:
    """The resistance in Ω between the nodes of each, through itself and all the others.

    R = (e_a - e_b)ᵀ·L⁺·(e_a - e_b), L the network's Laplacian of conductances.
    """
    import numpy as np  # late: whoever reads a product need not wait for it

    nodes = {
        name: place
        for place, name in enumerate(dict.fromkeys(end for each in resistors for end in each[1:3]))
    }
    laplacian = np.zeros((len(nodes), len(nodes)))
    for each in resistors:
        a, b = nodes[each.a], nodes[each.b]
        laplacian[a, a] += 1 / each.ohms
        laplacian[b, b] += 1 / each.ohms
        laplacian[a, b] -= 1 / each.ohms
        laplacian[b, a] -= 1 / each.ohms
    inverse = np.linalg.pinv(laplacian, hermitian=True)
    found = {}
    for each in resistors:
        a, b = nodes[each.a], nodes[each.b]
        found[each.name] = float(inverse[a, a] + inverse[b, b] - 2 * inverse[a, b])
    return found


def between_each(
    count: int, seen: Mapping[Ends, float], noise: float, least_share: float
) -> Mapping[Ends, float]:
    """The resistors in Ω between ``count`` nodes, from what is measured between every two of them.

    The fewest that explain it within ``noise``, a share: where those of a tree do, it is a tree.
    Else the converse of ``seen_ohms``: L⁺ = -½·J·R·J with J = I - 11ᵀ/n, and L is its inverse; what
    carries less than ``least_share`` of the current between its ends is noise of the others.
    """
    tree = _tree(count, seen)
    if all(abs(_along(tree, *ends) - ohms) <= noise * ohms for ends, ohms in seen.items()):
        return tree
    import numpy as np

    ohms = np.zeros((count, count))
    for (a, b), value in seen.items():
        ohms[a, b] = ohms[b, a] = value
    centred = np.eye(count) - np.ones((count, count)) / count
    laplacian = np.linalg.pinv(-centred @ ohms @ centred / 2, hermitian=True)
    return {
        (a, b): float(-1 / laplacian[a, b])
        for a, b in seen
        if -laplacian[a, b] * ohms[a, b] >= least_share
    }


def _tree(count: int, seen: Mapping[Ends, float]) -> dict[Ends, float]:
    """The least resistances that join all nodes."""
    joined = Joined(map(str, range(count)))
    found: dict[Ends, float] = {}
    for (a, b), value in sorted(seen.items(), key=lambda each: each[1]):
        if joined.find(str(a)) != joined.find(str(b)):
            joined.join(str(a), str(b))
            found[a, b] = value
    return found


def _along(tree: Mapping[Ends, float], start: int, end: int) -> float:
    """The sum of a tree's resistances on the way from one node to another."""
    ways = {start: 0.0}
    left = [start]
    while left:
        node = left.pop()
        for (a, b), value in tree.items():
            for here, there in ((a, b), (b, a)):
                if here == node and there not in ways:
                    ways[there] = ways[node] + value
                    left.append(there)
    return ways[end]
