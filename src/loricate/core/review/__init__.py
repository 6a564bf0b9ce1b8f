"""Review: reading a sequence for mistakes before it is released: physics, order, standard.

Each rule is one small function in a module by subject; importing this package gathers them.
"""

import importlib
import pkgutil
from dataclasses import replace

from loricate.core.review.facts import RULES, Reviewed, ReviewFinding, Severity

for _module in pkgutil.iter_modules(__path__):
    if _module.name != "facts":
        importlib.import_module(f"{__name__}.{_module.name}")

_WEIGHT = {Severity.ERROR: 0, Severity.WARNING: 1, Severity.NOTE: 2}


def review(reviewed: Reviewed) -> tuple[ReviewFinding, ...]:
    """Everything that the rules find, the gravest first and in the order of the steps."""
    place = {step.id: index for index, step in enumerate(reviewed.steps)}
    found = [
        replace(finding, rule=name) for name, rule in RULES.items() for finding in rule(reviewed)
    ]
    found.sort(key=lambda each: (_WEIGHT[each.severity], place.get(each.step, len(place))))
    return tuple(found)


__all__ = ["RULES", "ReviewFinding", "Reviewed", "Severity", "review"]
