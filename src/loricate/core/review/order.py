"""Rules on the order of the steps, and on what is not there."""

from collections.abc import Iterator

from loricate.core.branching import Outcome
from loricate.core.products import Product
from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences import ReadyStep


@rule
def earth_first(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """The protective earth must be proven before high voltage or mains is put on."""
    hazardous = [step for step in reviewed.steps if step.hazard.is_hazardous]
    if not hazardous:
        return
    first = reviewed.steps.index(hazardous[0])
    for step in reviewed.of_kind("ground_bond"):
        if reviewed.steps.index(step) > first:
            yield ReviewFinding(
                Severity.ERROR,
                step.id,
                f"the earth is proven only after '{hazardous[0].id}' has put voltage on the unit.",
                f"Move it before '{hazardous[0].id}'.",
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
    """A step's condition must be one that can come about before it."""
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
                "Let the earlier step carry on or ask when it fails, or change the condition.",
            )


def _can_come(outcome: Outcome, step: ReadyStep) -> bool:
    """Whether a unit can go on after a step with this outcome."""
    match outcome.outcome:
        case "pass":
            return True
        case "not_run":
            return step.when is not None and not step.is_required
        case _:
            return step.on_fail in ("carry_on", "ask")


def expected_kinds(product: Product) -> list[tuple[tuple[str, ...], str]]:
    """The kinds of which a sequence for a product needs one each, and for what."""
    across = ("insulation", "withstand")
    wanted: list[tuple[tuple[str, ...], str]] = []
    if product.protection_class == "I":
        wanted.append((("ground_bond", "continuity"), "the protective earth of class I"))
    match product.family:
        case "appliance":
            wanted.append((("withstand",), "the insulation of an appliance at its level"))
        case "medical":
            wanted.append((("withstand",), "the insulation of medical equipment at its level"))
            wanted.append((("leakage",), "the leakage currents of medical equipment"))
        case "cable":
            wanted.append((("continuity", "polarity"), "the conductors of a cable"))
            wanted.append((across, "the insulation between the conductors"))
        case "winding":
            wanted.append((("impedance", "continuity"), "the resistance of a winding"))
            wanted.append((across, "the insulation of a winding"))
    return wanted


@rule
def missing_kind(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """What the product's family and class need must be tested by some step."""
    present = {step.kind.name for step in reviewed.steps}
    for kinds, purpose in expected_kinds(reviewed.product):
        if not present & set(kinds):
            yield ReviewFinding(
                Severity.ERROR,
                "",
                f"nothing tests {purpose}.",
                f"Add a step of kind {' or '.join(kinds)}.",
            )
    parts = {terminal for part in reviewed.product.applied_parts for terminal in part.terminals}
    tried = {
        terminal
        for step in reviewed.of_kind("leakage")
        for terminal in step.terminals_used.get("part", ())
    }
    if parts - tried and reviewed.of_kind("leakage"):
        yield ReviewFinding(
            Severity.WARNING,
            "",
            f"no leakage step measures at the applied part {', '.join(sorted(parts - tried))}.",
            "Add a leakage step with path patient for it.",
        )
