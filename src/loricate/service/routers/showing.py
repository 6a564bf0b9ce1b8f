"""How runs and units are shown: shared by the routers that show them."""

import math
from dataclasses import asdict
from typing import Any

from loricate.api.definitions import DifferenceOut, StepSummary
from loricate.api.records import (
    AnswerOut,
    AttemptOut,
    ReadingOut,
    RemarkOut,
    RepetitionOut,
    TraceColumn,
    TraceOut,
    TracePhase,
    UnitOut,
)
from loricate.core.differences import Difference
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.curves import Trace
from loricate.core.measuring.grading import GradedReading
from loricate.core.measuring.readings import make_reading
from loricate.core.quantities import DIMENSIONS, SAMPLED, display
from loricate.core.sequences.sequences import ReadyStep
from loricate.execution.rehearsal import Attempt


def difference(found: Difference) -> DifferenceOut:
    """Show one place where two revisions differ."""
    return DifferenceOut(path=found.path, old=found.old, new=found.new)


def reading_out(row: dict[str, Any]) -> ReadingOut:
    """Show a stored reading."""
    text, limit, source = "not a number", "", ""
    if row["value"] is not None:
        text = make_reading(row["name"], row["value"], row["dimension"], row["bound"]).text
    if row["minimum"] is not None or row["maximum"] is not None:
        source = LimitSource.model_validate(row["source"]).text
        limit = Limit(
            dimension=row["dimension"], minimum=row["minimum"], maximum=row["maximum"]
        ).text
    return ReadingOut(
        name=row["name"], value=row["value"], unit=DIMENSIONS[row["dimension"]].unit,
        bound=row["bound"], uncertainty=row["uncertainty"], text=text,
        instrument=row["instrument"], minimum=row["minimum"], maximum=row["maximum"], limit=limit,
        source=source, verdict=row["verdict"], cause=row["cause"], outcome=row["outcome"],
        margin=row["margin"], as_measured=row["as_measured"],
        as_measured_text="" if row["as_measured"] is None
        else display(row["as_measured"], DIMENSIONS[row["dimension"]]),
        repetition=row["repetition"],
    )  # fmt: skip


def attempt_out(row: dict[str, Any]) -> AttemptOut:
    """Show a stored attempt."""
    return AttemptOut(
        step_id=row["step_id"], number=row["number"], kind=row["kind"], title=row["title"],
        verdict=row["verdict"], cause=row["cause"], note=row["note"], reason=row["reason"],
        started_at=row["started_at"], ended_at=row["ended_at"], has_trace=bool(row["has_trace"]),
        readings=[reading_out(reading) for reading in row["readings"]],
        repetitions=[
            RepetitionOut(number=each["number"], verdict=each["verdict"], cause=each["cause"])
            for each in row["repetitions"]
        ],
    )  # fmt: skip


def rehearsed_attempt_out(attempt: Attempt) -> AttemptOut:
    """Show an attempt of a rehearsal, which no record holds."""
    step, performed = attempt.step, attempt.performed
    return attempt_out(
        {
            "step_id": step.id, "number": attempt.number, "kind": step.kind.name,
            "title": step.title, "verdict": performed.grade.verdict,
            "cause": performed.grade.cause, "note": performed.note, "reason": performed.reason,
            "started_at": performed.started_at, "ended_at": attempt.ended_at, "has_trace": False,
            "readings": [_graded_row(each) for each in performed.grade.readings],
            "repetitions": [asdict(each) for each in performed.grade.repetitions],
        }
    )  # fmt: skip


def _graded_row(graded: GradedReading) -> dict[str, Any]:
    """A graded reading as the records would keep it."""
    reading, limit, grade = graded.reading, graded.limit, graded.grade
    return {
        "name": reading.name,
        "value": reading.value if math.isfinite(reading.value) else None,
        "dimension": reading.dimension.name,
        "bound": reading.bound,
        "uncertainty": reading.uncertainty,
        "instrument": reading.instrument,
        "minimum": limit.minimum if limit else None,
        "maximum": limit.maximum if limit else None,
        "source": limit.source.model_dump() if limit else {},
        "verdict": grade.verdict if grade else "",
        "cause": grade.cause if grade else "",
        "outcome": grade.outcome if grade else "",
        "margin": grade.margin if grade else None,
        "as_measured": reading.as_measured,
        "repetition": graded.repetition,
    }


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
    return UnitOut(**{**told, "attempts": attempts, "answers": answers, "remarks": remarks})


def step_summary(step: ReadyStep) -> StepSummary:
    """Show a step in short."""
    return StepSummary(
        id=step.id,
        kind=step.kind.name,
        title=step.title,
        limits={name: limit.text for name, limit in step.limits.items()},
        sources={name: limit.source.text for name, limit in step.limits.items()},
        programmed_s=step.programmed_s,
        across=step.across,
        on_fail=step.on_fail,
        when=step.when.text if step.when is not None else "",
        cues=list(step.cues),
    )


def trace_out(trace: Trace, serial: str, number: int, step: ReadyStep) -> TraceOut:
    """Show the curves of an attempt, each with its step's limits."""
    columns = []
    for name, values in trace.columns.items():
        if name == "elapsed_s":
            continue
        limit = step.limits.get(name)
        columns.append(
            TraceColumn(
                name=name,
                unit=SAMPLED[name].unit if name in SAMPLED else "",
                values=values,
                minimum=limit.minimum if limit else None,
                maximum=limit.maximum if limit else None,
            )
        )
    return TraceOut(
        serial=serial, step_id=step.id, title=step.title, number=number,
        elapsed_s=[value or 0.0 for value in trace.columns["elapsed_s"]], columns=columns,
        phases=[TracePhase(begins_s=begin, name=name) for begin, name in trace.phases],
    )  # fmt: skip
