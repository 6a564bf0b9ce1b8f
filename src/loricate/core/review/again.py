"""Rules on what is done more than once."""

from collections.abc import Iterator

from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule


@rule
def withstand_again(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A withstand done again wears the insulation, and what broke down once may pass next time."""
    for step in reviewed.of_kind("withstand"):
        if step.repeat is not None and step.repeat.passes_needed < step.repeat.times:
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"it passes with {step.repeat.passes_needed} of {step.repeat.times}: a unit that "
                "broke down can pass.",
                "Let every repetition pass, or leave repeat out.",
            )
        elif step.repeat is not None or step.retry:
            again = "repeated" if step.repeat is not None else "retried by itself"
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                f"it is {again}: each time wears the insulation, and the standards ask for one.",
                "Leave repeat and retry out; let a person decide with on_fail = ask.",
            )
