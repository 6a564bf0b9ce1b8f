"""Grading everything again: a verdict of a unit that its steps do not bear is told."""

import sqlite3

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.ready import ReadySequence
from loricate.records import regrading, runs
from tests.records.test_runs import add_attempt, add_run


@pytest.mark.parametrize(
    ("state", "count"), [("running", 0), ("finished", 2), ("aborted", 2), ("interrupted", 2)]
)
def test_a_unit_passes_only_with_its_steps(
    conn: sqlite3.Connection, sequence: ReadySequence, state: str, count: int
) -> None:
    """While a step is repeated, the unit has the verdict of before."""
    run_id = add_run(conn, n1="A")
    runs.set_state(conn, run_id, "running", "mara")
    add_attempt(conn, run_id, sequence)
    unit = runs.get_run(conn, run_id)["units"][0]["id"]
    assert list(regrading.disagreeing(conn)) == []
    runs.set_verdicts(conn, run_id, Verdict.PASS, {unit: (Verdict.PASS, "")})
    runs.set_state(conn, run_id, state, "mara")
    told = list(regrading.disagreeing(conn))
    assert len(told) == count and all("kept as passed" in each for each in told)
