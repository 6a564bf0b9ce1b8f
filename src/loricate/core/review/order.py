"""Rules on the order of the steps, and on what is not there."""

from collections.abc import Iterator, Sequence

from loricate.core.measuring.grading import Verdict
from loricate.core.products.expected import asked_by_sets, expected_tests, is_left_out
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.branching import Outcome, is_wanted
from loricate.core.sequences.ready import ReadyStep


@rule
def earth_first(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The protective earth must be proven before high voltage or mains is put on."""
    first: ReadyStep | None = None
    for step in reviewed.steps:
        if first is None and step.hazard.is_hazardous:
            first = step
        elif first is not None and step.kind.name == "ground_bond":
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"the earth is proven only after '{first.id}' has put voltage on the unit.",
                f"Move it before '{first.id}'.",
            )


@rule
def insulation_before_mains(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Insulation must have been tried before the unit is run at mains."""
    mains = reviewed.of_kind("leakage", "power")
    tried = reviewed.of_kind("insulation", "withstand")
    if not mains or not tried:
        return
    if reviewed.steps.index(mains[0]) < reviewed.steps.index(tried[0]):
        yield ReviewFinding(
            Severity.WARNING,
            mains[0].id,
            f"the unit is run at mains before '{tried[0].id}' has tried its insulation.",
            f"Move '{tried[0].id}' before it.",
        )


@rule
def never_reached(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A step's ``when`` must be one that can come about before it."""
    steps = {step.id: step for step in reviewed.steps}
    for step in reviewed.steps:
        if step.when is None:
            continue
        impossible = [each for each in step.when.outcomes if not _can_come(each, steps[each.step])]
        every = [each for each in step.when.all if each in impossible]
        some = [each for each in step.when.any if each in impossible]
        wanted = {each.step: each.outcome for each in step.when.all}
        torn = len(wanted) < len({(each.step, each.outcome) for each in step.when.all})
        if every or torn or (some and len(some) == len(step.when.any)):
            told = ", ".join(map(str, (*every, *some))) or step.when.text
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"it is never reached: {told} cannot come about and let the unit go on.",
                "Let the earlier step carry on or ask when it fails, or change its `when`.",
            )


def performed_when_all_pass(steps: Sequence[ReadyStep]) -> list[ReadyStep]:
    """The steps that a unit comes to which passes each of them; no other unit can pass."""
    verdicts: dict[str, Verdict] = {}
    performed = []
    for step in steps:
        if is_wanted(step.when, verdicts):
            verdicts[step.id] = Verdict.PASS
            performed.append(step)
        else:
            verdicts[step.id] = Verdict.NOT_RUN
    return performed


def _can_come(outcome: Outcome, step: ReadyStep) -> bool:
    """Whether a unit can go on after a step with this outcome."""
    match outcome.outcome:
        case "pass":
            return "pass" in step.kind.outcomes
        case "not_run":
            return step.when is not None and not step.is_required
        case other:
            return other in step.kind.outcomes and step.on_fail in ("carry_on", "ask")


@rule
def missing_kind(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What the product and the sets that are cited ask for must be tested by some step.

    It must be tested of every unit that passes: a unit that passes every step it comes to goes one
    way through the sequence, and what is skipped on it is not tested.
    """
    performed = performed_when_all_pass(reviewed.steps)
    cited = [limit.source.limit_set for step in reviewed.steps for limit in step.limits.values()]
    product = reviewed.product
    wanted = [
        *expected_tests(product, reviewed.occasions),
        *asked_by_sets(product, cited, reviewed.limit_sets),
    ]
    for expectation in wanted:
        if is_left_out(product.not_tested, expectation):
            continue
        kinds = " or ".join(expectation.kinds)
        present = [step for step in reviewed.steps if step.kind.name in expectation.kinds]
        if not present:
            yield ReviewFinding(
                Severity.ERROR,
                "",
                f"nothing tests {expectation.purpose}: a step of kind {kinds}.",
                f"Add a step of kind {kinds}, or say in the product who leaves it out and why.",
            )
        elif not set(map(id, present)) & set(map(id, performed)):
            yield ReviewFinding(
                Severity.ERROR,
                present[0].id,
                f"a unit that passes everything else is never tested for {expectation.purpose}: "
                "its `when` is not met then.",
                "Take the `when` away, or make it one that a good unit meets.",
            )
    parts = {terminal for part in reviewed.product.applied_parts for terminal in part.terminals}
    tried = {
        terminal
        for step in reviewed.of_kind("leakage")
        for point in step.points
        for terminal in point.values.get("terminals", ())
    }
    if parts - tried and reviewed.of_kind("leakage"):
        yield ReviewFinding(
            Severity.WARNING,
            "",
            f"no leakage step measures at the applied part {', '.join(sorted(parts - tried))}.",
            "Add a leakage step with path patient for it.",
        )
