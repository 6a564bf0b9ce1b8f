"""Limits of many points that are the same: what is said of them is said once."""

from collections.abc import Callable, Hashable, Iterator, Mapping

from loricate.core.limits.limit import Limit
from loricate.core.measuring.readings import Measurand


def _alike(measurand: Measurand) -> Hashable:
    return ""


def grouped(
    limits: Mapping[Measurand, Limit], apart: Callable[[Measurand], Hashable] = _alike
) -> Iterator[tuple[str, Measurand, Limit]]:
    """Each limit once for all points that have it: how it is called, and one that has it.

    ``apart`` tells points apart for which it is to be said again.
    """
    groups: dict[Hashable, list[Measurand]] = {}
    for measurand, limit in limits.items():
        key = (measurand.quantity, limit.model_dump_json(), apart(measurand))
        groups.setdefault(key, []).append(measurand)
    for measurands in groups.values():
        first, more = measurands[0], len(measurands) - 1
        told = f"{first} (and at {more} more)" if more else str(first)
        yield told, first, limits[first]
