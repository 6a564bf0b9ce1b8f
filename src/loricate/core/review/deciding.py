"""Rules on limits and settings so loose, or on such a side, that they decide nothing."""

from collections.abc import Iterator

from loricate.core.limits.grouping import grouped
from loricate.core.quantities import RATIO, display
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.ready import ReadyStep

LOOSE_TOLERANCE, LOOSEST_TOLERANCE = 0.1, 0.2


def _error(step: ReadyStep, reason: str, remedy: str) -> ReviewFinding:
    return ReviewFinding(Severity.ERROR, step.id, reason, remedy)


@rule
def same_terminal(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What is measured from a terminal to itself measures nothing."""
    for step in reviewed.steps:
        used = [terminal for names in step.terminals_used.values() for terminal in names]
        twice = sorted({each for each in used if used.count(each) > 1})
        if twice and not step.shares_terminals:
            yield _error(
                step,
                f"it goes from {', '.join(twice)} to itself, so it measures nothing of the unit.",
                "Name two terminals with the unit between them.",
            )


@rule
def wrong_side(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A limit on the harmless side alone, or one that every value meets, finds no fault."""
    for step in reviewed.steps:
        for told, measurand, limit in grouped(step.limits):
            slot = step.kind.slots.get(measurand.quantity)
            side = slot.side if slot is not None else ""
            if side and getattr(limit, side) is None:
                yield _error(
                    step,
                    f"its {told} has no {side}: whatever is wrong passes.",
                    f"Give it a {side}.",
                )
            empty_minimum = limit.minimum is not None and limit.minimum <= 0
            if empty_minimum and limit.maximum is None and step.roles:
                yield _error(
                    step,
                    f"its {told} {limit.text} is met by every measurement.",
                    "Give a minimum above zero.",
                )


@rule
def loose_tolerance(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A level that may fall short by much is no level."""
    for step in reviewed.steps:
        tolerance = step.values.get("tolerance") if step.levels else None
        if tolerance is None or tolerance <= LOOSE_TOLERANCE:
            continue
        is_loosest = tolerance > LOOSEST_TOLERANCE
        yield ReviewFinding(
            Severity.ERROR if is_loosest else Severity.WARNING,
            step.id,
            f"it takes a level that departs by {display(tolerance, RATIO, 2)} for reached.",
            f"Set the tolerance to at most {display(LOOSE_TOLERANCE, RATIO, 2)}.",
        )
