"""Measuring again at some points of a step: those that did not pass, without the others.

What passed is taken over from the attempt before, and everything is graded as one: a limit without
a reading still passes nothing. Both attempts stay in the record.
"""

from dataclasses import replace

from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Measured, Verdict
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.ready import ReadyStep


def points_to_repeat(step: ReadyStep, attempt: Attempt) -> frozenset[str]:
    """The points at which a step can be measured again by themselves; none where that cannot be.

    It cannot where a reading is not believed, where something is wrong with the step as a whole,
    or where no point is good.
    """
    grade = attempt.grade
    if not step.kind.points_stand_alone or step.across is not Across.EACH or grade.doubts:
        return frozenset()
    names = {point.name for point in step.points}
    read = {each.reading.point for each in grade.readings}
    bad = {
        each.reading.point
        for each in grade.readings
        if each.limit is not None and (each.grade is None or each.grade.verdict is not Verdict.PASS)
    }
    bad |= {fault.point for fault in grade.faults} | {name for name in names if name not in read}
    if step.repeat is not None or not bad or not bad < names:
        return frozenset()
    return frozenset(bad)


def at_points(step: ReadyStep, names: frozenset[str]) -> ReadyStep:
    """A step that measures at some of its points alone."""
    limits = {of: limit for of, limit in step.limits.items() if not of.point or of.point in names}
    points = tuple(point for point in step.points if point.name in names)
    return replace(step, points=points, limits=limits)


def with_the_others(measured: Measured, step: ReadyStep, before: Attempt) -> Measured:
    """What was measured again, with what the attempt before had read elsewhere.

    ``step`` is the whole one. What is of no point is as it was read now.
    """
    new = {reading.point for reading in measured.readings}
    kept = [
        each.reading
        for each in before.grade.readings
        if each.reading.point and each.reading.point not in new
    ]
    place = {point.name: number for number, point in enumerate(step.points)}
    readings = sorted(
        (*kept, *measured.readings), key=lambda each: place.get(each.point, len(place))
    )
    count = len([name for name in place if name in new])
    told = (
        f"Measured again at {count} of {len(place)} points; the others are of attempt "
        f"{before.number}."
    )
    note = f"{told} {measured.note}".strip()
    return replace(measured, readings=tuple(readings), note=note)
