"""Rules on whether a unit is there at all, and what is still clipped to it."""

from collections.abc import Iterable, Iterator

from loricate.core.review.facts import Reviewed, ReviewFinding, Severity, rule
from loricate.core.sequences.cues import Cue, Moment, cues_after, cues_at
from loricate.core.sequences.ready import ReadyStep


def nothing_proves_contact(reviewed: Reviewed) -> bool:
    """Whether every step that measures passes an empty nest."""
    measuring = [step for step in reviewed.steps if step.roles]
    return bool(measuring) and not any(step.fails_when_empty for step in measuring)


@rule
def empty_nest(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """Some step must fail on an empty nest; each that would pass one is pointed out by its kind."""
    if nothing_proves_contact(reviewed):
        yield ReviewFinding(
            Severity.ERROR,
            "",
            "an empty nest passes every step: nothing proves that a unit is connected.",
            "Give the withstand a minimum current, or add a ground bond or continuity step.",
        )


@rule
def clip_left_on(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A clip put on by hand for one step must be called off before the next that is not for it."""
    clips = set(reviewed.product.clips)
    for before, after in zip(reviewed.steps, reviewed.steps[1:], strict=False):
        used = clips & _terminals(before)
        if not used or used <= _terminals(after) or not after.roles:
            continue
        asks = [*cues_after(before.cues, True), *cues_at(after.cues, Moment.BEFORE)]
        if not _has_hands_in(asks):
            yield ReviewFinding(
                Severity.WARNING,
                after.id,
                f"the clip on {', '.join(sorted(used))} is still on from '{before.id}'.",
                "Add a cue with hands in before it: take the clip off. It waits for an answer.",
            )


@rule
def clips_first(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A clip on a wrong post is to be found before anything is put on the parts of a patient."""
    parts = {each for part in reviewed.product.applied_parts for each in part.terminals}
    told = any(part.between is not None for part in reviewed.product.applied_parts)
    for step in reviewed.steps:
        if step.kind.name == "clips":
            return
        if told and step.hazard.is_hazardous and parts & _terminals(step):
            yield ReviewFinding(
                Severity.WARNING,
                step.id,
                "it puts voltage on the patient's parts, and no step has seen each clip on its "
                "post.",
                "Add a clips step before it: the product says what is between the connections.",
            )
            return


@rule
def switch_not_moved(reviewed: Reviewed) -> Iterator[ReviewFinding]:
    """A unit's own switch is moved by a cue with hands in, and a load current shows where it is."""
    stands = "on"
    asks: list[Cue] = []
    for step in reviewed.steps:
        asks += cues_at(step.cues, Moment.BEFORE)
        wanted = step.wanted_switch
        if step.roles and wanted:
            if wanted != stands and not _has_hands_in(asks):
                yield ReviewFinding(
                    Severity.WARNING,
                    step.id,
                    f"needs the unit's switch {wanted}, and nobody is told to move it from "
                    f"{stands}.",
                    f"Add a cue with hands in before it: switch {wanted}. It waits for an answer.",
                )
            if "off" in (wanted, step.left_switch) and not step.values["load_current"]:
                yield ReviewFinding(
                    Severity.WARNING,
                    step.id,
                    "passes with the unit switched on, where it is to be off.",
                    "Give the load current that a unit draws when it is on.",
                )
            stands, asks = step.left_switch, []
        asks += cues_after(step.cues, True)


def _has_hands_in(cues: Iterable[Cue]) -> bool:
    return any(cue.demands_answer and cue.hands_in for cue in cues)


def _terminals(step: ReadyStep) -> set[str]:
    return {name for names in step.terminals_used.values() for name in names}
