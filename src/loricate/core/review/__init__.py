"""Review: reading a sequence for mistakes before it is released: physics, order, standard.

Each rule is one small function in a module by subject; importing this package gathers them. What
only one kind of step knows it says itself, in its own file.
"""

import importlib
import pkgutil
from dataclasses import replace

from loricate.core.review.facts import RULES, Reviewed, ReviewFinding, Severity
from loricate.core.review.kinds import advice_of_kinds, rules_of_kinds

for _module in pkgutil.iter_modules(__path__):
    if _module.name not in ("facts", "kinds"):
        importlib.import_module(f"{__name__}.{_module.name}")

_WEIGHT = {Severity.ERROR: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def review(reviewed: Reviewed) -> tuple[ReviewFinding, ...]:
    """Everything that the rules find, the gravest first and in the order of the steps."""
    place = {step.id: index for index, step in enumerate(reviewed.steps)}
    found = [
        replace(finding, rule=finding.rule or name)
        for name, rule in RULES.items()
        for finding in rule(reviewed)
    ]
    found = [*advice_of_kinds(reviewed), *found]
    found.sort(key=lambda each: (_WEIGHT[each.severity], place.get(each.step, len(place))))
    return tuple(found)


__all__ = ["RULES", "ReviewFinding", "Reviewed", "Severity", "review", "rules_of_kinds"]
