"""Rules on what is done more than once."""

from collections.abc import Iterator

from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule


@rule
def repeat_forgives(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Repetitions that may fail let a unit pass that failed."""
    for step in reviewed.steps:
        if step.repeat is None or step.repeat.passes_needed == step.repeat.times:
            continue
        needed, times = step.repeat.passes_needed, step.repeat.times
        is_wear = step.kind.name == "withstand"
        is_minority = 2 * needed <= times
        yield ReviewFinding(
            Severity.ERROR if is_wear or is_minority else Severity.WARNING,
            step.id,
            f"it passes with {needed} of {times}: a unit that "
            f"{'broke down' if is_wear else 'failed'} can pass.",
            "Let every repetition pass, or leave repeat out.",
        )
