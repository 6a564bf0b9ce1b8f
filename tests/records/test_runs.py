"""Runs: append-only attempts and readings, interrupted runs."""

import math
import sqlite3
from typing import Any

import pytest

from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Cause, DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.quantities import CURRENT
from loricate.core.sequences.ready import ReadySequence, facts_of
from loricate.core.sequences.released import step_as_done
from loricate.records import attempts, definitions, runs, sequences
from loricate.records.errors import NotFound
from loricate.records.stamps import now
from tests.conftest import read_demo


def add_run(conn: sqlite3.Connection, **load: str) -> str:
    places = {nest.removeprefix("n"): serial for nest, serial in load.items()}
    return runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", places, {}, "0", "mara")


def add_attempt(
    conn: sqlite3.Connection, run_id: str, sequence: ReadySequence, number: int = 1
) -> None:
    unit = runs.get_run(conn, run_id)["units"][0]
    readings = (
        Reading("current", 50e-9, CURRENT, bound=Bound.BELOW, uncertainty=1e-9),
        Reading("resistive_current", math.nan, CURRENT),
    )
    step = sequence.steps[3]
    graded = grade_step(Measured(readings), step.limits, DecisionRule())
    made = Attempt(step_as_done(step), 3, number, graded, started_at=now(), ended_at=now())
    attempts.add_attempt(conn, unit["id"], made)


def test_a_reading_comes_back_as_it_was(conn: sqlite3.Connection, sequence: ReadySequence) -> None:
    run_id = add_run(conn, n1="A")
    add_attempt(conn, run_id, sequence)
    (unit,) = runs.get_run(conn, run_id)["units"]
    current, nan = unit["attempts"][0].grade.readings
    assert (current.reading.value, current.reading.bound) == (50e-9, "below")
    assert current.reading.uncertainty == 1e-9
    assert current.limit is not None and current.limit.source.clause == "Annex A"
    assert current.grade is not None and current.grade.verdict is Verdict.FAIL
    assert math.isnan(nan.reading.value), "a NaN is kept as no number"
    released = sequences.released_as(conn, "DC40-FINAL", 1).steps[3]
    assert unit["attempts"][0].step == released and released.limited, "as it was released"


def test_a_repeat_is_a_new_attempt(conn: sqlite3.Connection, sequence: ReadySequence) -> None:
    run_id = add_run(conn, n1="A")
    add_attempt(conn, run_id, sequence)
    add_attempt(conn, run_id, sequence, 2)
    numbers = [each.number for each in runs.get_run(conn, run_id)["units"][0]["attempts"]]
    assert numbers == [1, 2]


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE attempt SET verdict = 'pass'",
        "DELETE FROM attempt",
        "UPDATE reading SET value = 1",
        "DELETE FROM reading",
    ],
)
def test_attempts_and_readings_cannot_be_changed(
    conn: sqlite3.Connection, sequence: ReadySequence, statement: str
) -> None:
    add_attempt(conn, add_run(conn, n1="A"), sequence)
    with pytest.raises(sqlite3.IntegrityError, match="append-only"):
        conn.execute(statement)


def test_a_stored_run_grades_the_same_again(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    run_id = add_run(conn, n1="A")
    add_attempt(conn, run_id, sequence)
    record = sequences.get_sequence(conn, "DC40-FINAL", 1)
    again = sequences.ready_sequence(conn, record)
    attempt = runs.get_run(conn, run_id)["units"][0]["attempts"][0]
    measured = Measured(tuple(each.reading for each in attempt.grade.readings))
    regraded = grade_step(measured, again.steps[3].limits, again.decision)
    assert (regraded.verdict, regraded.cause) == (attempt.verdict, attempt.cause)
    released = sequences.released_as(conn, "DC40-FINAL", 1)
    kept = grade_step(measured, released.steps[3].limits, released.decision)
    assert kept == regraded, "by what was kept at the release as well"


def test_only_unfinished_runs_are_interrupted(conn: sqlite3.Connection) -> None:
    created, running, finished = (add_run(conn, n1=serial) for serial in "ABC")
    runs.set_state(conn, running, "running", "mara")
    runs.set_state(conn, finished, "finished", "mara")
    assert runs.interrupt_unfinished(conn) == [running]
    states = {run["id"]: run["state"] for run in runs.list_runs(conn, 10)}
    assert states == {created: "created", running: "interrupted", finished: "finished"}
    unit = runs.get_run(conn, running)["units"][0]
    assert (unit["verdict"], unit["cause"]) == ("inconclusive", "interrupted")


def test_verdicts_are_written_by_unit(conn: sqlite3.Connection) -> None:
    run_id = add_run(conn, n1="A", n2="B")
    ids = {unit["nest"]: unit["id"] for unit in runs.get_run(conn, run_id)["units"]}
    runs.set_verdicts(
        conn, run_id, Verdict.FAIL,
        {ids["1"]: (Verdict.PASS, ""), ids["2"]: (Verdict.FAIL, Cause.ARC)},
    )  # fmt: skip
    found = {unit["nest"]: unit["verdict"] for unit in runs.get_run(conn, run_id)["units"]}
    assert found == {"1": "pass", "2": "fail"}


def test_a_serial_cannot_be_in_a_load_twice(conn: sqlite3.Connection) -> None:
    with pytest.raises(sqlite3.IntegrityError):
        add_run(conn, n1="A", n2="A")


def test_an_unknown_run_is_told(conn: sqlite3.Connection) -> None:
    with pytest.raises(NotFound, match="no run 'x'"):
        runs.get_run(conn, "x")


def test_the_same_document_again_keeps_its_revision(
    conn: sqlite3.Connection, sequence: ReadySequence, sequence_document: dict[str, Any]
) -> None:
    again = sequences.store_draft(conn, facts_of(sequence), sequence_document, "mara")
    assert again.revision == 1
    changed = {**sequence_document, "title": "Another title"}
    assert sequences.store_draft(conn, facts_of(sequence), changed, "mara").revision == 2
    assert sequences.get_sequence(conn, "DC40-FINAL", 1).document == sequence_document


def test_an_old_revision_keeps_the_limits_it_was_made_with(conn: sqlite3.Connection) -> None:
    tighter = read_demo("limit-sets/iec-60335-1-annex-a.toml")
    tighter["items"][1]["maximum"] = "0.15 Ω"
    definitions.add_document(conn, "limit_set", tighter["code"], tighter, "mara")
    old = sequences.ready_sequence(conn, sequences.get_sequence(conn, "DC40-FINAL"))
    assert old.steps[1].limits[Measurand("resistance")].maximum == 0.2
    assert definitions.known_limit_sets(conn)["IEC-60335-1-A"][1] == 2
