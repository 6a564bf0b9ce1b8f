"""A sequence as it was released: what later readers of its runs need, so that none is made anew.

Software changes, and what it makes of an old document with it. So everything that a certificate,
a gate, a curve or a list of steps says of a sequence is kept at its release, as plain data.
"""

from collections.abc import Mapping
from functools import cached_property
from typing import Literal

from pydantic import BaseModel, ConfigDict

from loricate.core.kinds.kind import Limits
from loricate.core.limits.limit import Limit
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import DecisionRule
from loricate.core.measuring.readings import Measurand
from loricate.core.planning.scheduling import Across
from loricate.core.products.expected import asked_by_sets, expected_tests
from loricate.core.products.families.section import PRODUCTION, Expectation, Occasion
from loricate.core.products.product import NotTested
from loricate.core.sequences.cues import Cue
from loricate.core.sequences.ordering import Order
from loricate.core.sequences.ready import ReadySequence, ReadyStep


class _Kept(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class LimitAt(_Kept):
    """A limit and what it limits."""

    quantity: str
    point: str = ""
    limit: Limit


class StepAsDone(_Kept):
    """A step as it is done: what it is called, under which conditions, against which limits."""

    id: str
    title: str
    kind: str
    conditions: str = ""
    limited: tuple[LimitAt, ...] = ()
    programmed_s: float = 0.0
    across: Across = Across.EACH
    on_fail: str = "halt_unit"
    when: str = ""
    cues: tuple[Cue, ...] = ()
    curves_on_paper: bool = False
    left_out: tuple[str, ...] = ()
    order: Order = "as_written"

    @cached_property
    def limits(self) -> Limits:
        """The limits by what they limit."""
        return {Measurand(each.quantity, each.point): each.limit for each in self.limited}


class ReleasedProduct(_Kept):
    """What was said of the product."""

    code: str
    title: str
    protection_class: str
    not_tested: tuple[NotTested, ...] = ()


class ReleasedSequence(_Kept):
    """A released revision of a sequence, resolved."""

    format: Literal["loricate-released/1"] = "loricate-released/1"
    code: str
    title: str
    product: ReleasedProduct
    decision: DecisionRule
    steps: tuple[StepAsDone, ...]
    expected: tuple[Expectation, ...] = ()
    occasions: tuple[Occasion, ...] = PRODUCTION

    def step(self, step_id: str) -> StepAsDone | None:
        """The step of this id, if there is one."""
        return next((step for step in self.steps if step.id == step_id), None)


def step_as_done(step: ReadyStep) -> StepAsDone:
    """What is kept of a step."""
    return StepAsDone(
        id=step.id,
        title=step.title,
        kind=step.kind.name,
        conditions=step.conditions,
        limited=_limited(step.limits),
        programmed_s=step.programmed_s,
        across=step.across,
        on_fail=step.on_fail,
        when=step.when.text if step.when is not None else "",
        cues=step.cues,
        curves_on_paper=step.curves_on_paper,
        left_out=step.left_out,
        order=step.order,
    )


def _limited(limits: Mapping[Measurand, Limit]) -> tuple[LimitAt, ...]:
    return tuple(
        LimitAt(quantity=measurand.quantity, point=measurand.point, limit=limit)
        for measurand, limit in limits.items()
    )


def as_released(sequence: ReadySequence, limit_sets: LimitSets) -> ReleasedSequence:
    """What is kept of a sequence, with the tests that its product and cited sets ask for."""
    product = sequence.product
    cited = [limit.source.limit_set for step in sequence.steps for limit in step.limits.values()]
    return ReleasedSequence(
        code=sequence.code,
        title=sequence.title,
        product=ReleasedProduct(
            code=product.code,
            title=product.title,
            protection_class=product.protection_class or "",
            not_tested=product.not_tested,
        ),
        decision=sequence.decision,
        steps=tuple(step_as_done(step) for step in sequence.steps),
        occasions=sequence.occasions,
        expected=(
            *expected_tests(product, sequence.occasions),
            *asked_by_sets(product, cited, limit_sets),
        ),
    )
