"""Retention: which readings and curves have been kept long enough, and letting them go.

That a unit was tested stays, with the verdict of each step, what was answered, and its documents:
yields, searches and the ledger say the same as before. What was measured goes.
"""

import datetime as dt
import hashlib
import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from loricate.records import carrying, marks
from loricate.records.marks import MARKED
from loricate.records.stamps import now

ATTEMPT = "attempt"  # the kind of record that readings and curves are part of


@dataclass(frozen=True, slots=True)
class Rule:
    """How long what was measured of a product is kept: so many whole years after its run's end."""

    product: str
    years: int

    def cutoff(self, today: dt.date) -> str:
        """The day before which a run must have ended for its time to be over."""
        try:
            day = today.replace(year=today.year - self.years)
        except ValueError:  # 29 February: all of the 28th was over by then
            day = today.replace(year=today.year - self.years, month=3, day=1)
        return day.isoformat()


@dataclass(frozen=True, slots=True)
class Due:
    """A unit in a run whose time is over; ``held`` says why it stays nevertheless."""

    id: str
    run_id: str
    nest: str
    product: str
    serial: str
    years: int
    ended_at: str
    held: str


OVER = "('finished', 'aborted', 'interrupted')"
_DUE = f"""
SELECT run_unit.id, run.id AS run_id, run_unit.nest, unit.product, unit.serial, run.ended_at,
    CASE
        WHEN EXISTS (SELECT 1 FROM lot WHERE code = run.lot AND state = 'open')
            THEN 'Its lot ' || run.lot || ' is open.'
        WHEN run.state = 'finished' AND run.is_issued = 0
            THEN 'Its documents are still to be issued.'
        WHEN EXISTS (
            SELECT 1 FROM outbox WHERE sent_at IS NULL AND (
                outbox.unit = unit.serial OR subject IN (unit.serial, nullif(unit.asset, ''))
                OR subject IN (SELECT number FROM ledger WHERE run_unit_id = run_unit.id)
            )
        ) THEN 'Something of it waits in the outbox.'
        WHEN run_unit.id IN (
            SELECT key ->> 0 FROM mark WHERE kind = 'attempt' AND position > :carried
        ) THEN 'It has not been carried to the service that keeps all.'
        ELSE ''
    END AS held
FROM sought CROSS JOIN run_unit ON run_unit.id = sought.id
JOIN unit ON unit.id = run_unit.unit_id JOIN run ON run.id = run_unit.run_id
WHERE sought.product = :product AND sought.begun_at < :cutoff
    AND unit.product = :product AND run.state IN {OVER}
    AND run.ended_at < :cutoff
    AND NOT EXISTS (SELECT 1 FROM let_go WHERE run_unit_id = run_unit.id)
    AND (EXISTS (SELECT 1 FROM reading WHERE run_unit_id = run_unit.id)
        OR EXISTS (SELECT 1 FROM curve WHERE run_unit_id = run_unit.id))
"""
_EVERYTHING = 2**62


def find_due(
    conn: sqlite3.Connection, rules: Sequence[Rule], today: dt.date, must_carry: bool
) -> list[Due]:
    """Every unit in a run whose time is over, the oldest first.

    Where another service has these records, or is to get them (``must_carry``), what has not been
    carried there is held.
    """
    receipt = carrying.newest_receipt(conn)
    carried = _EVERYTHING
    if receipt is not None:
        carried = receipt.ends.get(ATTEMPT, (0, ""))[0]
    elif must_carry:
        carried = 0
    found = [
        Due(**row, years=rule.years)
        for rule in rules
        for row in conn.execute(
            _DUE,
            {"product": rule.product, "cutoff": rule.cutoff(today), "carried": carried},
        )
    ]
    return sorted(found, key=lambda each: (each.ended_at, each.id))


def tested_products(conn: sqlite3.Connection) -> list[str]:
    """Every product that a unit is of, or that is described."""
    rows = conn.execute("SELECT product FROM unit UNION SELECT code FROM product ORDER BY 1")
    return [str(row[0]) for row in rows]


def digest_of_list(due: Sequence[Due]) -> str:
    """What stands for a list that somebody has seen: another list has another."""
    text = json.dumps([[each.id, each.years] for each in due])
    return hashlib.sha256(text.encode()).hexdigest()


Sizes = dict[str, tuple[int, int]]


def sizes_of(conn: sqlite3.Connection, due: Sequence[Due]) -> Sizes:
    """How many readings and curves there are of each unit in a run."""
    rows = conn.execute(
        "SELECT due.value, (SELECT count(*) FROM reading WHERE run_unit_id = due.value),"
        " (SELECT count(*) FROM curve WHERE run_unit_id = due.value) FROM json_each(?) AS due",
        (json.dumps([each.id for each in due]),),
    )
    return {str(unit): (int(readings), int(curves)) for unit, readings, curves in rows}


def marks_of(conn: sqlite3.Connection, due: Sequence[Due]) -> dict[str, dict[str, str]]:
    """The newest mark's digest of each attempt, by unit in a run and the attempt's key."""
    found: dict[str, dict[str, str]] = {each.id: {} for each in due}
    rows = conn.execute(
        "SELECT key, digest FROM mark WHERE kind = ? AND key ->> 0 IN"
        " (SELECT value FROM json_each(?)) ORDER BY position",
        (ATTEMPT, json.dumps(list(found))),
    )
    for key, digest in rows:
        found[json.loads(key)[0]][key] = digest
    return found


def is_as_stored(conn: sqlite3.Connection, run_unit_id: str, marked: Mapping[str, str]) -> bool:
    """Whether a unit's attempts are those that were stored, and as they were stored."""
    there = conn.execute(
        "SELECT json_array(run_unit_id, step_id, number) FROM attempt WHERE run_unit_id = ?",
        (run_unit_id,),
    )
    return {str(row[0]) for row in there} == set(marked) and all(
        marks.digest_of(conn, MARKED[ATTEMPT], key) == digest for key, digest in marked.items()
    )


def let_go(conn: sqlite3.Connection, due: Sequence[Due], reason: str, account: str) -> list[Due]:
    """Let go what was measured of these; nothing of it is left in the file's free pages either.

    Gives what went: all but those whose run goes on by now, as an interrupted one may.
    """
    conn.execute("PRAGMA secure_delete = ON")
    over = conn.execute(
        f"SELECT run_unit.id FROM run_unit JOIN run ON run.id = run_id WHERE run.state IN {OVER}"
        " AND run_unit.id IN (SELECT value FROM json_each(?))"
        " AND run_unit.id NOT IN (SELECT run_unit_id FROM let_go)",
        (json.dumps([each.id for each in due]),),
    ).fetchall()
    going = {str(row["id"]) for row in over}
    due = [each for each in due if each.id in going]
    sizes, at = sizes_of(conn, due), now()
    for each in due:
        instruments = conn.execute(
            "SELECT DISTINCT instrument FROM reading WHERE run_unit_id = ? AND instrument <> ''"
            " ORDER BY 1",
            (each.id,),
        ).fetchall()
        names = json.dumps([row["instrument"] for row in instruments])
        conn.execute(
            "INSERT INTO let_go (run_unit_id, product, years, readings, curves, instruments,"
            " reason, account, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (each.id, each.product, each.years, *sizes[each.id], names, reason, account, at),
        )
        for table in ("reading", "curve"):
            conn.execute(f"DELETE FROM {table} WHERE run_unit_id = ?", (each.id,))
    return list(due)


def strays(conn: sqlite3.Connection) -> Iterator[str]:
    """Units of which something is there that was let go, or was never there to be let go."""
    rows = conn.execute(
        "SELECT serial, run_id, let_go.readings, let_go.curves,"
        " (SELECT count(*) FROM reading WHERE run_unit_id = run_unit.id) AS there_readings,"
        " (SELECT count(*) FROM curve WHERE run_unit_id = run_unit.id) AS there_curves"
        " FROM let_go JOIN run_unit ON run_unit.id = run_unit_id JOIN unit ON unit.id = unit_id"
    )
    for row in rows:
        there = (row["there_readings"], row["there_curves"])
        if there not in ((0, 0), (row["readings"], row["curves"])):
            yield (
                f"What was measured of {row['serial']} in run {row['run_id']} was let go, and"
                f" {there[0]} readings and {there[1]} curves are there."
            )
