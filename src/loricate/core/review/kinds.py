"""What each kind of step advises of its own steps: see ``core.kinds``."""

from collections.abc import Iterator, Sequence
from itertools import product

from loricate.core.kinds import KINDS
from loricate.core.kinds.advice import Considered
from loricate.core.measuring.instruments import Capability
from loricate.core.planning.scheduling import Across
from loricate.core.review.contact import nothing_proves_contact
from loricate.core.review.facts import Reviewed, ReviewFinding
from loricate.core.sequences.ready import ReadyStep


def considered(reviewed: Reviewed, step: ReadyStep) -> Iterator[Considered]:
    """A step as its kind looks at it, once with each choice of instruments that it may take."""
    repeat = step.repeat
    roles = sorted(step.roles)
    choices: list[Sequence[Capability | None]] = [
        reviewed.candidates(role, step) or [None] for role in roles
    ]
    for chosen in product(*choices):
        bench = {role: each for role, each in zip(roles, chosen, strict=True) if each is not None}
        yield Considered(
            reviewed.product,
            step.limits,
            reviewed.nests if step.across is Across.TOGETHER else 1,
            repeat is not None,
            bool(step.retry),
            repeat is not None and repeat.passes_needed < repeat.times,
            None if reviewed.bench is None else bench,
            step.id in reviewed.wired,
            step.id in reviewed.after_temperature,
        )


def rules_of_kinds() -> frozenset[str]:
    """The rules that kinds have for their own steps."""
    return frozenset(name for kind in KINDS.values() for name in kind.advises)


def advice_of_kinds(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What the kinds say of their steps, each under the name of its own rule."""
    is_said = nothing_proves_contact(reviewed)  # of the whole, and so not again of each step
    for step in reviewed.steps:
        looks = considered(reviewed, step)
        said = dict.fromkeys(advice for look in looks for advice in step.advice(look))
        for advice in said:
            if advice.rule == "empty_nest" and is_said:
                continue
            yield ReviewFinding(
                advice.severity, step.id, advice.reason, advice.remedy, rule=advice.rule
            )
