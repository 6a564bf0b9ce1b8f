"""Rules on what is done more than once."""

from collections.abc import Iterator

from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule


@rule
def withstand_again(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A withstand done again wears the insulation, and what broke down once may pass next time."""
    for step in reviewed.of_kind("withstand"):
        if step.repeat is not None and step.repeat.passes_needed < step.repeat.times:
            continue  # said by ``repeat_forgives``
        if step.repeat is not None or step.retry:
            again = "repeated" if step.repeat is not None else "retried by itself"
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"it is {again}: each time wears the insulation, and the standards ask for one.",
                "Leave repeat and retry out; let a person decide with on_fail = ask.",
            )


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
