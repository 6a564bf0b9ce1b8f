"""Repeating: which steps are done again, and whether they may be."""

from collections.abc import Collection, Mapping

from loricate.core.errors import Finding
from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.ready import ReadySequence


def steps_to_repeat(
    sequence: ReadySequence,
    verdicts: Mapping[str, Verdict | None],
    tries: Mapping[str, int],
    step_id: str = "",
    skipped: Collection[str] = (),
) -> tuple[tuple[str, ...], tuple[Finding, ...]]:
    """The steps to do again for one unit, and why that is refused, if it is.

    Without ``step_id`` the whole unit is done again. With it: that step, and each later one that
    has not passed, for a halt will have skipped it. ``verdicts`` are the latest by step, ``tries``
    how often each was really tried, ``skipped`` the steps whose ``when`` was not met.
    """
    ids = [step.id for step in sequence.steps]
    if step_id and step_id not in ids:
        found = Finding("step", f"there is no step '{step_id}'", f"there are {', '.join(ids)}.")
        return (), (found,)
    if all(verdicts.get(each) is Verdict.PASS for each in ids if each not in skipped):
        return (), (
            Finding("nest", "the unit passed", "test it again in a run with a retest reason."),
        )
    if step_id and verdicts.get(step_id) is Verdict.PASS:
        return (), (Finding("step", f"step '{step_id}' passed", "repeat a step that did not."),)
    if not step_id:
        chosen = tuple(ids)
    else:
        place = ids.index(step_id)
        later = (each for each in ids[place + 1 :] if verdicts.get(each) is not Verdict.PASS)
        chosen = (step_id, *later)
    used_up = [
        step for step in sequence.steps if step.id in chosen and tries[step.id] >= step.attempts
    ]
    if used_up:
        named = ", ".join(f"{step.id} ({step.attempts})" for step in used_up)
        message = f"all attempts of {named} are used", "put the unit aside."
        return (), (Finding("step", *message),)
    return chosen, ()
