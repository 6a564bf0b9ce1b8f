"""Rules on how long a load takes."""

from collections.abc import Iterator

from loricate.core.planning.scheduling import (
    Across,
    Alternative,
    Need,
    PlannedStep,
    forecast,
    needs_alone,
)
from loricate.core.quantities import TIME, display
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.ready import ReadyStep

SHARE = 0.4  # of a load's time from which one step is said to decide it
MOST_NAMED = 3  # more than two cannot each have that share, but for what runs side by side


def load_s(reviewed: Reviewed, without: str = "") -> float:
    """How long a load takes by its programmed times, one step left out if named."""
    planned = [
        PlannedStep(_needs(reviewed, step), step.programmed_s, step.across)
        for step in reviewed.steps
        if step.id != without
    ]
    nests = [str(number + 1) for number in range(reviewed.nests)]
    return max((slot.end_s for slot in forecast(planned, nests)), default=0.0)


def _needs(reviewed: Reviewed, step: ReadyStep) -> tuple[Need, ...]:
    """Of each role one instrument that can do the step; without a bench, the one that there is."""
    if reviewed.bench is None:
        return needs_alone(*sorted(step.roles))
    return tuple(
        tuple(Alternative(each.instrument) for each in reviewed.candidates(role, step))
        or (Alternative(role),)
        for role in sorted(step.roles)
    )


def _most_s(reviewed: Reviewed, step: ReadyStep) -> float:
    """The most that a load could be shorter without a step."""
    return step.programmed_s * (reviewed.nests if step.across is Across.EACH else 1)


@rule
def dominating_step(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A step without which the load would be much shorter is named with what it costs."""
    whole = load_s(reviewed)
    if not whole:
        return
    # What no step can save more than is its own time on every nest; few have enough of it.
    heavy = [step for step in reviewed.steps if _most_s(reviewed, step) >= whole * SHARE]
    heaviest = sorted(heavy, key=lambda step: -_most_s(reviewed, step))[:MOST_NAMED]
    for step in heaviest:
        saved = whole - load_s(reviewed, without=step.id)
        if saved < whole * SHARE:
            continue
        times = reviewed.nests if step.across is Across.EACH and step.roles else 1
        yield ReviewFinding(
            Severity.NOTE,
            step.id,
            f"it decides how long a load takes: of {display(whole, TIME)} for {reviewed.nests} "
            f"nests, {display(saved, TIME)} are its own.",
            f"Each second off its {display(step.programmed_s, TIME)} saves {times} s a load, if "
            "the standard allows.",
        )
