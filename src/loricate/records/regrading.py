"""Grading everything again that was recorded, to see that it comes to the same."""

import sqlite3
from collections.abc import Iterator

from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.regrading import disagreements
from loricate.records import attempts, sequences
from loricate.records.errors import NotFound


def disagreeing(conn: sqlite3.Connection) -> Iterator[str]:
    """Where grades, verdicts of steps or verdicts of units do not follow from the readings.

    What was tested before releases were kept whole has no rule to be graded by, and is left out.
    """
    units = conn.execute(
        "SELECT run_unit.id, serial, run_unit.verdict, sequence_code, sequence_revision, run_id,"
        " run.state"
        " FROM run_unit JOIN run ON run.id = run_id JOIN unit ON unit.id = unit_id"
        " ORDER BY run_unit.id"
    )
    for row in units:
        try:
            released = sequences.released_as(conn, row["sequence_code"], row["sequence_revision"])
        except NotFound:
            continue
        latest: dict[str, Verdict] = {}
        for attempt in attempts.attempts_of(conn, row["id"], {}):
            latest[attempt.step.id] = attempt.grade.verdict
            for told in disagreements(attempt.grade, released.decision):
                of = f"{row['serial']} in run {row['run_id']}, step '{attempt.step.id}'"
                yield f"{of}, attempt {attempt.number}: {told}."
        # While steps are repeated a unit's verdict is the one before.
        if row["verdict"] == Verdict.PASS and row["state"] not in ("armed", "running"):
            for step, verdict in latest.items():
                if verdict in (Verdict.FAIL, Verdict.INCONCLUSIVE):
                    yield (
                        f"{row['serial']} in run {row['run_id']} is kept as passed,"
                        f" and its step '{step}' as {verdict}."
                    )
            if Verdict.PASS not in latest.values():
                yield f"{row['serial']} in run {row['run_id']} is kept as passed without a step."
