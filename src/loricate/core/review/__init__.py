"""Review: reading a sequence for mistakes before it is released: physics, order, standard.

Each rule is one small function in a module by subject; importing this package gathers them. What
only one kind of step knows it says itself, in its own file.
"""

import importlib
import pkgutil
from collections.abc import Collection, Iterator
from dataclasses import replace

from loricate.core.review.facts import RULES, Reviewed, ReviewFinding, Severity
from loricate.core.review.kinds import advice_of_kinds, rules_of_kinds
from loricate.core.sequences.ordering import telling_orders

for _module in pkgutil.iter_modules(__path__):
    if _module.name not in ("facts", "kinds"):
        importlib.import_module(f"{__name__}.{_module.name}")

# What these find does not depend on the order, and to look takes them long.
WHATEVER_THE_ORDER = frozenset({"cited_for_another", "short_of_fitting_limit"})
ANOTHER_ORDER = "in an order that may be chosen,"
_WEIGHT = {Severity.ERROR: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def review(reviewed: Reviewed) -> tuple[ReviewFinding, ...]:
    """Everything that the rules find, the gravest first and in the order of the steps."""
    place = {step.id: index for index, step in enumerate(reviewed.steps)}
    found = dict.fromkeys(_in_its_order(reviewed, RULES.keys()))
    by_rule = {(each.rule, each.step) for each in found}
    for other in _in_other_orders(reviewed):
        for each in _in_its_order(other, RULES.keys() - WHATEVER_THE_ORDER):
            if (each.rule, each.step) not in by_rule:
                by_rule.add((each.rule, each.step))
                found[replace(each, reason=f"{ANOTHER_ORDER} {each.reason}")] = None
    gravest_first = sorted(
        found, key=lambda each: (_WEIGHT[each.severity], place.get(each.step, len(place)))
    )
    return tuple(gravest_first)


def _in_its_order(reviewed: Reviewed, names: Collection[str]) -> Iterator[ReviewFinding]:
    yield from advice_of_kinds(reviewed)
    for name, rule in RULES.items():
        if name in names:
            for finding in rule(reviewed):
                yield replace(finding, rule=finding.rule or name)


def _in_other_orders(reviewed: Reviewed) -> Iterator[Reviewed]:
    """The sequence as operators may do it who choose the order of some steps."""
    groups = reviewed.sequence.groups
    if not groups:
        return
    rows = [list(telling_orders(len(group))) for group in groups]
    for number in range(1, max(map(len, rows))):
        steps = list(reviewed.steps)
        for group, orders in zip(groups, rows, strict=True):
            order = orders[number % len(orders)]
            for place, taken in zip(group, order, strict=True):
                steps[place] = reviewed.steps[group[taken]]
        yield replace(reviewed, sequence=replace(reviewed.sequence, steps=tuple(steps)))


__all__ = ["RULES", "ReviewFinding", "Reviewed", "Severity", "review", "rules_of_kinds"]
