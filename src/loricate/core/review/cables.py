"""Rules on the nets of a cable: each must be shown to go through, and to be apart from the rest."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations

from loricate.core.products.families.section import ACROSS
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.ready import ReadyStep
from loricate.core.wiring.description import Wiring

SHOWN = 3  # nets that are named


def _named(names: Sequence[str]) -> str:
    """A few of them, and how many more."""
    more = f" and {len(names) - SHOWN} more" if len(names) > SHOWN else ""
    return ", ".join(names[:SHOWN]) + more


def _required(reviewed: Reviewed, *kinds: str) -> list[ReadyStep]:
    """Steps of these kinds that no outcome of another can skip."""
    return [step for step in reviewed.of_kind(*kinds) if step.is_required]


@rule
def net_not_followed(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Every contact of a net must be found joined to it, by a wiring step or path by path."""
    steps = _required(reviewed, "wiring", "continuity", "polarity")
    ends = [contacts for step in steps for contacts in step.leads.values()]
    left = dict.fromkeys(
        net.name
        for wiring in reviewed.product.wirings
        for net in wiring.nets
        if not _is_followed(net.contacts, ends)
    )
    if left:
        yield ReviewFinding(
            Severity.WARNING,
            "",
            f"no step finds out whether {_named(list(left))} goes through.",
            "Add a wiring step; it goes through every net.",
        )


def _is_followed(contacts: Sequence[str], ends: Sequence[Sequence[str]]) -> bool:
    """Whether paths between its own contacts lead from the first to every other."""
    own = [pair for pair in ends if set(pair) <= set(contacts)]
    reached = {contacts[0]}
    while more := {each for pair in own if set(pair) & reached for each in pair} - reached:
        reached |= more
    return reached >= set(contacts)


@rule
def nets_not_parted(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Every two nets must be under voltage against each other in some step."""
    steps = _required(reviewed, *ACROSS)
    for wiring in reviewed.product.wirings:
        pair = _never_apart(wiring, steps)
        if pair is not None:
            at = f" in position {wiring.position}" if wiring.position else ""
            yield ReviewFinding(
                Severity.WARNING,
                "",
                f"{pair[0]} and {pair[1]} are never under voltage against each other{at}.",
                "Apply an insulation or withstand step to groups of nets, or to each net.",
            )
            return  # the remedy is the same for all


def _never_apart(wiring: Wiring, steps: Sequence[ReadyStep]) -> tuple[str, str] | None:
    """Two nets, or nets that a component joins, that no step sets apart."""
    groups = [group for group in wiring.groups if any(each in wiring.net_of for each in group)]
    group_of = {contact: place for place, group in enumerate(groups) for contact in group}
    if any(_parts_all(step, group_of) for step in steps):
        return None
    # Groups that every step ties alike are told apart by none.
    alike: dict[tuple[str, ...], list[int]] = {}
    sides = [_sides(step) for step in steps]
    for place, group in enumerate(groups):
        key = tuple(_side(side, group) for side in sides)
        alike.setdefault(key, []).append(place)
    for key, places in alike.items():
        if len(places) > 1 and not _is_between(key, key):
            return wiring.name_of(groups[places[0]]), wiring.name_of(groups[places[1]])
    for (one, first), (other, second) in combinations(alike.items(), 2):
        if not _is_between(one, other):
            return wiring.name_of(groups[first[0]]), wiring.name_of(groups[second[0]])
    return None


def _parts_all(step: ReadyStep, group_of: Mapping[str, int]) -> bool:
    """Whether it goes through all nets in some position that ties none of these groups."""
    tied: dict[str, bool] = {}  # by position
    for point in step.points:
        if "wiring" in point.values:
            position, contacts = point.values["wiring"].position, point.values["terminals"]
            found = {group_of[contact] for contact in contacts if contact in group_of}
            tied[position] = tied.get(position, False) or len(found) > 1
    return not all(tied.values())


def _sides(step: ReadyStep) -> Mapping[str, str]:
    used = step.terminals_used
    return {terminal: side for side in ("high", "low") for terminal in used.get(side, ())}


def _side(sides: Mapping[str, str], group: Sequence[str]) -> str:
    """The side of a step that a group is on; none where it is on both."""
    found = {sides[contact] for contact in group if contact in sides}
    return found.pop() if len(found) == 1 else ""


def _is_between(one: Sequence[str], other: Sequence[str]) -> bool:
    """Whether some step has them on its two sides."""
    return any({a, b} == {"high", "low"} for a, b in zip(one, other, strict=True))
