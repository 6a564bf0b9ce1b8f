"""What checking the records costs."""

import sqlite3
import tempfile
import time
from pathlib import Path

from figures.demo_documents import demo_sequence
from figures.pairs import ratio_of_pairs
from figures.storage import graded, put_definitions
from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.released import step_as_done
from loricate.records import attempts, runs, sequences
from loricate.records.stamps import now
from loricate.records.store import Store, open_connection
from loricate.service.ledger_check import records_state

RUNS, NESTS, ATTEMPTS, POINTS, PAIRS = 250, 4, 5, 4, 3
UNITS = RUNS * NESTS


def _fill(store: Store) -> None:
    """A thousand units in runs, each with five attempts of twelve readings."""
    step = demo_sequence().steps[3]
    found, kept = graded(step, POINTS), step_as_done(step)

    def add(conn: sqlite3.Connection) -> None:
        put_definitions(conn)
        sequences.release(conn, "DC40-FINAL", 1, {"why": "for the figure"}, "mara")
        for number in range(RUNS):
            load = {str(nest): f"S-{number}-{nest}" for nest in range(NESTS)}
            run_id = runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", load, {}, "0", "mara")
            runs.set_state(conn, run_id, "running", "mara")
            for unit in runs.get_run(conn, run_id)["units"]:
                for each in range(1, ATTEMPTS + 1):
                    made = Attempt(kept, 3, each, found, started_at=now(), ended_at=now())
                    attempts.add_attempt(conn, unit["id"], made)
                runs.set_verdicts(conn, run_id, Verdict.FAIL, {unit["id"]: (found.verdict, "")})
            runs.set_state(conn, run_id, "finished", "mara")

    store.write_now(add)


def check_over_sqlite() -> float:
    """A check of the records over the integrity check that SQLite makes of the same file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "records.sqlite"
        store = Store(path)
        _fill(store)
        store.close()

        def ours() -> float:
            begun = time.perf_counter()
            found = records_state(path, [], frozenset())
            if found.faults:
                raise RuntimeError(found.faults[0])
            return time.perf_counter() - begun

        def theirs() -> float:
            conn = open_connection(path, read_only=True)
            begun = time.perf_counter()
            conn.execute("PRAGMA integrity_check").fetchall()
            took_s = time.perf_counter() - begun
            conn.close()
            return took_s

        return ratio_of_pairs(ours, theirs, PAIRS)
