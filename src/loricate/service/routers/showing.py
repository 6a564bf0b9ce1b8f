"""How runs and units are shown: shared by the routers that show them."""

import math
from typing import Any

from loricate.api.definitions import DifferenceOut, LimitInShort, StepSummary
from loricate.api.records import (
    AnswerOut,
    AttemptOut,
    CorrectionOut,
    CurveColumn,
    CurveMark,
    CurveOut,
    FaultOut,
    HeadlineOut,
    KeptOut,
    ReadingOut,
    RemarkOut,
    RepetitionOut,
    UnitOut,
)
from loricate.core.attempts import Attempt
from loricate.core.differences import Difference
from loricate.core.measuring.curves import Column, Curve
from loricate.core.measuring.grading import Cause, GradedReading
from loricate.core.measuring.headlines import Judged, headlines, kind_of
from loricate.core.measuring.readings import Measurand
from loricate.core.quantities import display
from loricate.core.sequences.released import StepAsDone
from loricate.records.on_the_way import KeptReading


def difference(found: Difference) -> DifferenceOut:
    """Show one place where two revisions differ."""
    return DifferenceOut(path=found.path, old=found.old, new=found.new)


def reading_out(graded: GradedReading) -> ReadingOut:
    """Show a graded reading."""
    reading, limit, grade = graded.reading, graded.limit, graded.grade
    dimension = reading.dimension
    is_number = math.isfinite(reading.value)
    return ReadingOut(
        quantity=reading.quantity,
        point=reading.point,
        value=reading.value if is_number else None,
        dimension=dimension.name,
        unit=dimension.unit,
        bound=reading.bound,
        uncertainty=reading.uncertainty,
        text=reading.text if is_number else "not a number",
        instrument=reading.instrument,
        minimum=limit.minimum if limit else None,
        maximum=limit.maximum if limit else None,
        limit=limit.text if limit else "",
        source=limit.source.text if limit else "",
        verdict=grade.verdict if grade else "",
        cause=grade.cause if grade else Cause.NONE,
        guarded=grade.guarded if grade else "",
        band=grade.band if grade else None,
        ungraded=graded.ungraded,
        margin=grade.margin if grade else None,
        corrections=[
            CorrectionOut(
                what=each.what,
                before=each.before if math.isfinite(each.before) else None,
                text=display(each.before, dimension),
                how=each.how,
            )
            for each in reading.corrections
        ],
        repetition=graded.repetition,
    )


def attempt_out(attempt: Attempt) -> AttemptOut:
    """Show an attempt."""
    return AttemptOut(
        step_id=attempt.step.id,
        number=attempt.number,
        kind=attempt.step.kind,
        title=attempt.step.title,
        verdict=attempt.verdict,
        cause=attempt.cause,
        note=attempt.note,
        reason=attempt.reason,
        started_at=attempt.started_at,
        ended_at=attempt.ended_at,
        curves=attempt.curve_count,
        readings=[reading_out(graded) for graded in attempt.grade.readings],
        headlines=[
            HeadlineOut(kind=each.kind, reading=each.place, count=each.count)
            for each in headlines([_judged(graded) for graded in attempt.grade.readings])
        ],
        faults=[
            FaultOut(
                cause=fault.cause,
                point=fault.point,
                text=fault.sentence,
                contacts=list(fault.contacts),
                repetition=fault.repetition,
            )
            for fault in attempt.grade.faults
        ],
        repetitions=[
            RepetitionOut(number=each.number, verdict=each.verdict, cause=each.cause)
            for each in attempt.grade.repetitions
        ],
    )


def _judged(graded: GradedReading) -> Judged | None:
    """What a headline goes by; None for what was not held against a limit."""
    reading, limit, grade = graded.reading, graded.limit, graded.grade
    if limit is None or grade is None:
        return None
    kind = kind_of(reading.quantity, limit.source.applies, limit.text)
    return Judged(reading.point, kind, grade.verdict, grade.margin)


def unit_out(row: dict[str, Any]) -> UnitOut:
    """Show a unit's appearance with its attempts."""
    attempts = [attempt_out(each) for each in row["attempts"]]
    answers = [
        AnswerOut(**{key: each[key] for key in AnswerOut.model_fields}) for each in row["answers"]
    ]
    remarks = [
        RemarkOut(**{key: each[key] for key in RemarkOut.model_fields}) for each in row["remarks"]
    ]
    told = {key: row[key] for key in UnitOut.model_fields.keys() & row.keys()}
    kept = [_kept_out(each) for each in row["kept"]]
    shown = {"attempts": attempts, "answers": answers, "remarks": remarks, "kept": kept}
    return UnitOut(**{**told, **shown})


def _kept_out(kept: KeptReading) -> KeptOut:
    """Show a reading that was kept on the way."""
    reading = kept.reading
    is_number = math.isfinite(reading.value)
    return KeptOut(
        step_id=kept.step_id,
        attempt=kept.attempt,
        point=reading.point,
        at_s=kept.at_s,
        quantity=reading.quantity,
        value=reading.value if is_number else None,
        unit=reading.dimension.unit,
        text=reading.text if is_number else "not a number",
        kept_at=kept.kept_at,
    )


def step_summary(step: StepAsDone) -> StepSummary:
    """Show a step in short."""
    return StepSummary(
        id=step.id,
        kind=step.kind,
        title=step.title,
        conditions=step.conditions,
        limits=[
            LimitInShort(
                quantity=each.quantity,
                point=each.point,
                text=each.limit.text,
                source=each.limit.source.text,
                minimum=each.limit.minimum,
                maximum=each.limit.maximum,
            )
            for each in step.limited
        ],
        programmed_s=step.programmed_s,
        across=step.across,
        on_fail=step.on_fail,
        when=step.when,
        cues=list(step.cues),
        order=step.order,
        left_out=list(step.left_out),
    )


def curve_out(curve: Curve, step: StepAsDone | None) -> CurveOut:
    """Show a curve, each column with its step's limits at the curve's point."""
    limits = step.limits if step is not None else {}

    def shown(column: Column) -> CurveColumn:
        limit = limits.get(Measurand(column.name, curve.point))
        return CurveColumn(
            name=column.name,
            dimension=column.dimension.name,
            unit=column.dimension.unit,
            values=list(column.values),
            minimum=limit.minimum if limit else None,
            maximum=limit.maximum if limit else None,
        )

    return CurveOut(
        name=curve.name,
        point=curve.point,
        repetition=curve.repetition,
        drawn=curve.drawn,
        x=shown(curve.x),
        columns=[shown(column) for column in curve.columns],
        marks=[CurveMark(x=mark.x, text=mark.text) for mark in curve.marks],
    )
