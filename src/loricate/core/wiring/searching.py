"""Searching: what hangs together in a cable that is not as described, path by path.

A good cable needs none of it. ``Probe`` gives the resistance (Ω) between two sets of contacts,
each tied together; everything here yields from it and knows no instrument.
"""

from collections.abc import Callable, Sequence
from typing import TypeVar

from loricate.core.measuring.actions import Asking
from loricate.core.wiring.description import Wiring
from loricate.core.wiring.joining import Joined

Contacts = tuple[str, ...]
Probe = Callable[[Sequence[tuple[Contacts, Contacts]]], Asking[list[float]]]
R = TypeVar("R")


def fragments(
    wiring: Wiring, loose: Sequence[str], probe: Probe, joined_below: float
) -> Asking[tuple[Contacts, ...]]:
    """What each net falls into, ``loose`` being the contacts that its first one does not reach.

    Gives the sets of contacts by nets; what nothing is wired to is by itself.
    """
    joined = Joined(wiring.contacts)
    apart = set(loose)
    for net in wiring.nets:
        joined.join_all([contact for contact in net.contacts if contact not in apart])
        left = [contact for contact in net.contacts if contact in apart]
        while len(left) > 1:
            first, *others = left
            ohms = yield from probe([((first,), (other,)) for other in others])
            for other, value in zip(others, ohms, strict=True):
                if value < joined_below:
                    joined.join(first, other)
            left = [each for each in others if joined.find(each) != joined.find(first)]
    return joined.sets


def touching(
    groups: Sequence[Contacts], probe: Probe, parted_above: float
) -> Asking[list[tuple[tuple[int, ...], int, float]]]:
    """Which groups of contacts touch, as joints: of what hangs together to another, and the Ω.

    Each is first tried against all others tied together; of those that touch something, each is
    looked for among what is known to hang together already, by halves.
    """
    if len(groups) < 2:
        return []
    everything = [contact for group in groups for contact in group]

    def rest_of(group: Contacts) -> Contacts:
        own = set(group)
        return tuple(contact for contact in everything if contact not in own)

    ohms = yield from probe([(group, rest_of(group)) for group in groups])
    hot = [place for place, value in enumerate(ohms) if value < parted_above]
    joints: list[tuple[tuple[int, ...], int, float]] = []
    sets: list[list[int]] = []  # of the hot ones so far, what hangs together

    def contacts_of(some: Sequence[list[int]]) -> Contacts:
        return tuple(contact for one in some for place in one for contact in groups[place])

    for place in hot:
        hangs, apart = [place], list(sets)
        while apart:
            (value,) = yield from probe([(groups[place], contacts_of(apart))])
            if value >= parted_above:
                break
            found = yield from _nearest(groups[place], apart, contacts_of, probe, parted_above)
            if found is None:
                break
            among, value = found
            joints.append((tuple(among), place, value))
            hangs += among
            apart.remove(among)
        sets = [*apart, hangs]
    return joints


def _nearest(
    group: Contacts,
    apart: Sequence[list[int]],
    contacts_of: Callable[[Sequence[list[int]]], Contacts],
    probe: Probe,
    parted_above: float,
) -> Asking[tuple[list[int], float] | None]:
    """Which of several sets a group touches, by halves, and the value; None where it is none alone.

    Many that are each apart may be together what one joint is, and lead into the wrong half: then
    each is tried by itself.
    """
    among = apart
    value: float | None = None
    while len(among) > 1:
        half, other = among[: len(among) // 2], among[len(among) // 2 :]
        (seen,) = yield from probe([(group, contacts_of(half))])
        among, value = (half, seen) if seen < parted_above else (other, None)
    if value is None:
        (value,) = yield from probe([(group, contacts_of(among))])
    if value < parted_above:
        return among[0], value
    values = yield from probe([(group, contacts_of([each])) for each in apart])
    least = min(values)
    return (apart[values.index(least)], least) if least < parted_above else None
