"""What is measured at a resistor that others lie beside or around."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple


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
    count: int, seen: Mapping[tuple[int, int], float], least_share: float
) -> Mapping[tuple[int, int], float]:
    """The resistors in Ω between ``count`` nodes, from what is measured between every two of them.

    The converse of ``seen_ohms``: L⁺ = -½·J·R·J with J = I - 11ᵀ/n, and L is its inverse. What
    carries less than ``least_share`` of the current between its ends is noise of the others.
    """
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
