"""Attempts with their readings, faults and curves, and the operator's answers: only inserted."""

import json
import math
import sqlite3
from collections.abc import Mapping
from typing import Any

from loricate.core.attempts import Attempt
from loricate.core.limits.limit import Limit, LimitSource
from loricate.core.measuring.grading import (
    Band,
    Cause,
    Fault,
    Grade,
    GradedReading,
    Repetition,
    StepGrade,
    Verdict,
)
from loricate.core.measuring.readings import Bound, Correction, Reading
from loricate.core.quantities import DIMENSIONS
from loricate.core.sequences.released import StepAsDone
from loricate.records import doubts, searching
from loricate.records.curves import packed
from loricate.records.stamps import now

Row = dict[str, Any]
Key = tuple[str, str, int]  # a unit in a run, a step, the number of the attempt

_READING = (
    "repetition",
    "quantity",
    "point",
    "value",
    "dimension",
    "bound",
    "uncertainty",
    "instrument",
    "corrections",
    "minimum",
    "maximum",
    "caution_below",
    "caution_above",
    "source",
    "verdict",
    "cause",
    "guarded",
    "band",
    "margin",
    "ungraded",
)
_ADD_READING = (
    f"INSERT INTO reading (run_unit_id, step_id, number, position, product, {', '.join(_READING)})"
    f" VALUES ({', '.join('?' * (5 + len(_READING)))})"
)


def add_attempt(conn: sqlite3.Connection, run_unit_id: str, attempt: Attempt) -> None:
    """Add an attempt with its graded readings, faults and curves.

    Raises sqlite3.IntegrityError where the unit has one of this number at the step.
    """
    step, grade = attempt.step, attempt.grade
    key = (run_unit_id, step.id, attempt.number)
    conn.execute(
        "INSERT INTO attempt (run_unit_id, step_id, number, step_index, kind, title, verdict,"
        " cause, note, started_at, ended_at, reason) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            *key,
            attempt.index,
            step.kind,
            step.title,
            grade.verdict,
            grade.cause,
            attempt.note,
            attempt.started_at,
            attempt.ended_at or now(),
            attempt.reason,
        ),
    )
    (product,) = conn.execute(
        "SELECT product FROM run_unit JOIN unit ON unit.id = unit_id WHERE run_unit.id = ?",
        (run_unit_id,),
    ).fetchone()
    sources: dict[int, str] = {}  # many readings have one, which need not be written out each time
    conn.executemany(
        _ADD_READING,
        [
            (*key, place, product, *_reading_cells(graded, sources))
            for place, graded in enumerate(grade.readings)
        ],
    )
    conn.executemany(
        "INSERT INTO fault (run_unit_id, step_id, number, position, repetition, cause, point, text,"
        " contacts) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                *key,
                place,
                fault.repetition,
                fault.cause,
                fault.point,
                fault.text,
                json.dumps(fault.contacts),
            )
            for place, fault in enumerate(grade.faults)
        ],
    )
    doubts.add_doubts(conn, grade.doubts, f"{run_unit_id} {step.id}")
    conn.executemany(
        "INSERT INTO repetition (run_unit_id, step_id, number, repetition, verdict, cause)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        [(*key, each.number, each.verdict, each.cause) for each in grade.repetitions],
    )
    conn.executemany(
        "INSERT INTO curve (run_unit_id, step_id, number, position, repetition, name, point, data)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (*key, place, curve.repetition, curve.name, curve.point, packed(curve))
            for place, curve in enumerate(attempt.curves)
        ],
    )
    searching.note_attempt(
        conn,
        run_unit_id,
        step.id if grade.verdict is Verdict.FAIL else "",
        {graded.reading.instrument for graded in grade.readings},
    )


def _reading_cells(graded: GradedReading, sources: dict[int, str]) -> tuple[object, ...]:
    """The cells of ``_READING``; ``sources`` are those written out already, by their identity."""
    reading, limit, grade = graded.reading, graded.limit, graded.grade
    corrections = [
        [each.what, _number(each.before), *filter(None, (each.how,))]
        for each in reading.corrections
    ]
    return (
        graded.repetition,
        reading.quantity,
        reading.point,
        _number(reading.value),
        reading.dimension.name,
        reading.bound,
        _number(reading.uncertainty) or 0.0,
        reading.instrument,
        json.dumps(corrections) if corrections else "",
        limit.minimum if limit else None,
        limit.maximum if limit else None,
        limit.caution_below if limit else None,
        limit.caution_above if limit else None,
        _source_text(limit.source, sources) if limit else "",
        grade.verdict if grade else "",
        grade.cause if grade else "",
        grade.guarded if grade else "",
        (grade.band or "") if grade else "",
        _number(grade.margin) if grade else None,
        graded.ungraded,
    )


def _source_text(source: LimitSource, known: dict[int, str]) -> str:
    if id(source) not in known:
        known[id(source)] = source.model_dump_json()
    return known[id(source)]


def _number(value: float | None) -> float | None:
    """A value as SQLite keeps it: what is no number is NULL."""
    return value if value is not None and math.isfinite(value) else None


def _graded(row: sqlite3.Row) -> GradedReading:
    """A reading as it was kept."""
    value, told = row["value"], json.loads(row["corrections"] or "[]")
    reading = Reading(
        row["quantity"],
        math.nan if value is None else value,
        DIMENSIONS[row["dimension"]],
        row["point"],
        Bound(row["bound"]),
        row["uncertainty"],
        row["instrument"],
        tuple(
            Correction(what, math.nan if before is None else before, *how)
            for what, before, *how in told
        ),
    )
    limit = grade = None
    if row["source"]:
        limit = Limit(
            dimension=row["dimension"],
            minimum=row["minimum"],
            maximum=row["maximum"],
            caution_below=row["caution_below"],
            caution_above=row["caution_above"],
            source=LimitSource.model_validate_json(row["source"]),
        )
    if row["verdict"]:
        band = Band(row["band"]) if row["band"] else None
        grade = Grade(
            Verdict(row["verdict"]), Cause(row["cause"]), row["margin"], row["guarded"], band
        )
    return GradedReading(reading, limit, grade, row["repetition"], row["ungraded"])


def attempts_of(
    conn: sqlite3.Connection, run_unit_id: str, steps: Mapping[str, StepAsDone]
) -> list[Attempt]:
    """The attempts of a unit in a run in the order of its steps, all but their curves.

    ``steps`` are those of the released sequence; of one that is not among them, what the attempt
    itself has kept is all there is.
    """
    readings: dict[Key, list[GradedReading]] = {}
    for row in conn.execute(
        f"SELECT run_unit_id, step_id, number, {', '.join(_READING)} FROM reading"
        " WHERE run_unit_id = ? ORDER BY step_id, number, position",
        (run_unit_id,),
    ):
        readings.setdefault(_key(row), []).append(_graded(row))
    faults: dict[Key, list[Fault]] = {}
    for row in conn.execute(
        "SELECT run_unit_id, step_id, number, repetition, cause, point, text, contacts FROM fault"
        " WHERE run_unit_id = ? ORDER BY step_id, number, position",
        (run_unit_id,),
    ):
        fault = Fault(
            Cause(row["cause"]),
            row["point"],
            row["text"],
            repetition=row["repetition"],
            contacts=tuple(json.loads(row["contacts"])),
        )
        faults.setdefault(_key(row), []).append(fault)
    repetitions: dict[Key, list[Repetition]] = {}
    for row in conn.execute(
        "SELECT run_unit_id, step_id, number, repetition, verdict, cause FROM repetition"
        " WHERE run_unit_id = ? ORDER BY step_id, number, repetition",
        (run_unit_id,),
    ):
        made = Repetition(row["repetition"], Verdict(row["verdict"]), Cause(row["cause"]))
        repetitions.setdefault(_key(row), []).append(made)
    rows = conn.execute(
        "SELECT run_unit_id, step_id, number, step_index, kind, title, verdict, cause, note,"
        " started_at, ended_at, reason, (SELECT count(*) FROM curve WHERE curve.run_unit_id ="
        " attempt.run_unit_id AND curve.step_id = attempt.step_id AND curve.number ="
        " attempt.number) AS curve_count FROM attempt WHERE run_unit_id = ?"
        " ORDER BY step_index, number",
        (run_unit_id,),
    )
    attempts = []
    for row in rows:
        key = _key(row)
        known = steps.get(row["step_id"])
        step = known or StepAsDone(id=row["step_id"], title=row["title"], kind=row["kind"])
        grade = StepGrade(
            Verdict(row["verdict"]),
            Cause(row["cause"]),
            tuple(readings.get(key, ())),
            tuple(faults.get(key, ())),
            tuple(repetitions.get(key, ())),
        )
        attempts.append(
            Attempt(
                step,
                row["step_index"],
                row["number"],
                grade,
                row["note"],
                row["reason"],
                row["started_at"],
                row["ended_at"],
                curve_count=row["curve_count"],
            )
        )
    return attempts


def _key(row: sqlite3.Row) -> Key:
    return row["run_unit_id"], row["step_id"], row["number"]


def add_answer(
    conn: sqlite3.Connection,
    run_unit_id: str,
    step: tuple[str, int],
    moment: str,
    question: str,
    answer: tuple[str, str, str],
    picture: str | None = None,
    pictures: Mapping[str, str] = {},
) -> None:
    """Keep an answer (choice, note, account) to a question of a step (id, attempt number).

    ``pictures`` are those of single entries of a form, by the entry's name.
    """
    added = conn.execute(
        "INSERT INTO answer (run_unit_id, step_id, attempt, moment, question, choice, note,"
        " account, answered_at, picture) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (run_unit_id, *step, moment, question, *answer, now(), picture),
    )
    conn.executemany(
        "INSERT INTO answer_picture (answer, entry, picture) VALUES (?, ?, ?)",
        [(added.lastrowid, entry, digest) for entry, digest in pictures.items()],
    )


def answers_of(conn: sqlite3.Connection, run_unit_id: str) -> list[Row]:
    """The answers given for a unit in a run, in order, each with the pictures of its entries."""
    rows = conn.execute(
        "SELECT id, step_id, attempt, moment, question, choice, note, account, answered_at,"
        " picture FROM answer WHERE run_unit_id = ? ORDER BY id",
        (run_unit_id,),
    )
    answers = [dict(row) for row in rows]
    pictures: dict[int, dict[str, str]] = {each.pop("id"): {} for each in list(answers)}
    for row in conn.execute(
        "SELECT answer, entry, answer_picture.picture FROM answer_picture"
        " JOIN answer ON answer.id = answer WHERE run_unit_id = ? ORDER BY answer, entry",
        (run_unit_id,),
    ):
        pictures[row["answer"]][row["entry"]] = row["picture"]
    return [{**each, "pictures": own} for each, own in zip(answers, pictures.values(), strict=True)]


def ask_repeat(
    conn: sqlite3.Connection,
    run_unit_id: str,
    steps: dict[str, int],
    reason: str,
    account: str,
) -> None:
    """Ask for steps (id to attempts so far) of a unit to be done again."""
    conn.executemany(
        "INSERT INTO repeat_request (run_unit_id, step_id, attempts, reason, account, asked_at)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        [(run_unit_id, step_id, count, reason, account, now()) for step_id, count in steps.items()],
    )


def due_repeats(conn: sqlite3.Connection, run_unit_id: str) -> dict[str, str]:
    """The steps asked for again and neither done since nor withdrawn, each with the reason."""
    rows = conn.execute(
        "SELECT step_id, reason FROM repeat_request"
        " WHERE run_unit_id = ?1 AND withdrawn_at IS NULL AND attempts ="
        " (SELECT count(*) FROM attempt WHERE run_unit_id = ?1"
        "  AND attempt.step_id = repeat_request.step_id) ORDER BY id",
        (run_unit_id,),
    )
    return {row["step_id"]: row["reason"] for row in rows}


def withdraw_repeats(conn: sqlite3.Connection, run_id: str) -> None:
    """Withdraw what was asked for again in a run: it has ended, with it or without."""
    conn.execute(
        "UPDATE repeat_request SET withdrawn_at = ? WHERE withdrawn_at IS NULL"
        " AND run_unit_id IN (SELECT id FROM run_unit WHERE run_id = ?)",
        (now(), run_id),
    )
