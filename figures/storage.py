"""What keeping a graded attempt costs."""

import itertools
import sqlite3
import tempfile
import time
from pathlib import Path

from figures.demo_documents import demo_sequence
from figures.pairs import ratio_of_pairs
from loricate.commands import demo_site
from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import DecisionRule, Measured, StepGrade, grade_step
from loricate.core.measuring.readings import Measurand, Reading
from loricate.core.quantities import CURRENT, VOLTAGE
from loricate.core.sequences.ready import ReadyStep, facts_of
from loricate.core.sequences.released import step_as_done
from loricate.records import attempts, definitions, runs, sequences
from loricate.records.stamps import now
from loricate.records.store import Store, atomic, open_connection

ATTEMPTS, PAIRS, MANY = 100, 7, 500


def put_definitions(conn: sqlite3.Connection) -> None:
    """Put the demo's products, limit sets and the cabinet's final test in."""
    for document in demo_site.demo_documents("products"):
        definitions.add_document(conn, "product", document["code"], document, "mara")
    for document in demo_site.demo_documents("limit-sets"):
        definitions.add_document(conn, "limit_set", document["code"], document, "mara")
    facts = facts_of(demo_sequence())
    sequences.store_draft(conn, facts, demo_site.demo_sequence("DC40-FINAL"), "mara")


def _prepared(store: Store) -> str:
    """Put a run with one unit in; gives the unit's id."""
    sequence = demo_sequence()

    def add(conn: sqlite3.Connection) -> str:
        put_definitions(conn)
        run_id = runs.add_run(
            conn, (sequence.code, 1), "DC-40", "FX-A", {"1": "A"}, {}, "0", "mara"
        )
        return str(runs.get_run(conn, run_id)["units"][0]["id"])

    return store.write_now(add)


def commit_rate() -> float:
    """Graded attempts kept a second, over bare transactions of the same rows, as durable."""
    return _rate(1)


def commit_rate_of_many() -> float:
    """The same with five hundred readings an attempt, of as many points."""
    return _rate(MANY // 3 + 1)


def graded(step: ReadyStep, points: int) -> StepGrade:
    """Three readings a point, each held against the step's limits."""
    readings = (
        Reading("current", 1.4e-3, CURRENT, uncertainty=1e-5, instrument="HV1"),
        Reading("voltage", 999.0, VOLTAGE, uncertainty=5.0, instrument="HV1"),
        Reading("resistive_current", 4e-6, CURRENT, uncertainty=1e-6, instrument="HV1"),
    )
    names = [f"J1.{number} to P1.{number}" for number in range(points)]
    limits = {
        Measurand(each.quantity, name): limit
        for each, limit in step.limits.items()
        for name in names
    }
    measured = Measured(tuple(reading.at(name) for name in names for reading in readings))
    return grade_step(measured, limits, DecisionRule())


def _rate(points: int) -> float:
    step = demo_sequence().steps[3]
    grade, kept_step = graded(step, points), step_as_done(step)
    attempts_each = ATTEMPTS if points == 1 else ATTEMPTS // 10
    numbers = itertools.count(1)
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "ours.sqlite")
        unit = _prepared(store)
        bare = open_connection(Path(folder) / "bare.sqlite")

        def keep() -> None:
            made = Attempt(kept_step, 3, next(numbers), grade, started_at=now(), ended_at=now())
            store.write_now(lambda conn: attempts.add_attempt(conn, unit, made))

        keep()
        kept = open_connection(Path(folder) / "ours.sqlite", read_only=True)
        rows = {
            table: [tuple(row) for row in kept.execute(f"SELECT * FROM {table}")]
            for table in ("attempt", "reading")
        }
        kept.close()
        for table, found in rows.items():
            bare.execute(
                f"CREATE TABLE {table} ({', '.join(f'c{n}' for n in range(len(found[0])))})"
            )

        def keep_ours() -> float:
            begun = time.perf_counter()
            for _ in range(attempts_each):
                keep()
            return attempts_each / (time.perf_counter() - begun)

        def keep_bare() -> float:
            begun = time.perf_counter()
            for _ in range(attempts_each):
                with atomic(bare):
                    for table, found in rows.items():
                        marks = ", ".join("?" * len(found[0]))
                        bare.executemany(f"INSERT INTO {table} VALUES ({marks})", found)
            return attempts_each / (time.perf_counter() - begun)

        ratio = ratio_of_pairs(keep_ours, keep_bare, PAIRS)
        bare.close()
        store.close()
    return ratio
