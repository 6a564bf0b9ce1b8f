"""Series of consecutive units: what they test, their serials, and the runs of theirs."""

import datetime as dt
import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.line import LineOptions
from loricate.core.planning.lots import Appearance
from loricate.core.planning.series import Load
from loricate.core.sequences.ready import ReadySequence
from loricate.records import audit, sequences
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now

PAUSED, ON, HELD, ENDED = "paused", "on", "held", "ended"
_SERIES = (
    "id, sequence_code, sequence_revision, fixture, nests, lot, count_from, line, state,"
    " note, counted_after, created_at, created_by, ended_at"
)


@dataclass(frozen=True, slots=True)
class SeriesRecord:
    """A series as it is kept. ``note`` is why it is paused, held or ended."""

    id: str
    sequence_code: str
    sequence_revision: int
    fixture: str
    nests: tuple[str, ...]
    lot: str
    count_from: str
    line: LineOptions
    state: str
    note: str
    counted_after: str
    created_at: str
    created_by: str
    ended_at: str | None

    @property
    def is_counted(self) -> bool:
        """Whether its serials are counted up, and not scanned."""
        return self.count_from != ""


def _record(row: sqlite3.Row) -> SeriesRecord:
    line = LineOptions.model_validate_json(row["line"])
    nests = tuple(json.loads(row["nests"]))
    return SeriesRecord(**{**dict(row), "nests": nests, "line": line})


def add_series(
    conn: sqlite3.Connection,
    sequence: tuple[str, int],
    fixture: str,
    nests: Sequence[str],
    lot: str,
    count_from: str,
    line: LineOptions,
    account: str,
) -> str:
    """Begin a series, paused; gives its id."""
    series_id = new_id()
    conn.execute(
        "INSERT INTO series (id, sequence_code, sequence_revision, fixture, nests, lot, count_from,"
        " line, state, note, counted_after, created_at, created_by)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, 'paused', '', '', ?, ?)",
        (
            series_id,
            *sequence,
            fixture,
            json.dumps(list(nests)),
            lot,
            count_from,
            line.model_dump_json(exclude_none=True),
            now(),
            account,
        ),
    )
    audit.note(conn, account, "begin series", series_id, f"{sequence[0]} on {fixture}")
    return series_id


def get_series(conn: sqlite3.Connection, series_id: str) -> SeriesRecord:
    """A series; raises NotFound."""
    row = conn.execute(f"SELECT {_SERIES} FROM series WHERE id = ?", (series_id,)).fetchone()
    if row is None:
        raise NotFound("series", series_id)
    return _record(row)


def sequence_of(conn: sqlite3.Connection, record: SeriesRecord) -> ReadySequence:
    """What a series tests, by the revision that it began with."""
    code, revision = record.sequence_code, record.sequence_revision
    return sequences.ready_sequence(conn, sequences.get_sequence(conn, code, revision))


def page_of_series(conn: sqlite3.Connection, before: str, count: int) -> list[SeriesRecord]:
    """At most ``count`` series that were begun before ``before``, newest first."""
    rows = conn.execute(
        f"SELECT {_SERIES} FROM series WHERE ?1 = '' OR id < ?1 ORDER BY id DESC LIMIT ?2",
        (before, count),
    )
    return [_record(row) for row in rows]


def held_with(conn: sqlite3.Connection, sequence: str, fixture: str) -> SeriesRecord | None:
    """The series of a sequence on a fixture that waits for an engineer, or None."""
    row = conn.execute(
        f"SELECT {_SERIES} FROM series WHERE state = 'held' AND sequence_code = ? AND fixture = ?"
        " ORDER BY id LIMIT 1",
        (sequence, fixture),
    ).fetchone()
    return None if row is None else _record(row)


def set_state(
    conn: sqlite3.Connection, series_id: str, state: str, account: str, note: str = ""
) -> None:
    """Move a series to a state, with the reason."""
    ended_at = now() if state == ENDED else None
    conn.execute(
        "UPDATE series SET state = ?, note = ?, ended_at = ? WHERE id = ?",
        (state, note, ended_at, series_id),
    )
    audit.note(conn, account, f"series {state}", series_id, note)


def let_go_on(conn: sqlite3.Connection, series_id: str, account: str, reason: str) -> None:
    """An engineer has looked at a held series: it is paused, and fails are counted anew."""
    runs = runs_of(conn, series_id)
    conn.execute(
        "UPDATE series SET counted_after = ? WHERE id = ?", (runs[-1] if runs else "", series_id)
    )
    set_state(conn, series_id, PAUSED, account, f"{account} lets it go on: {reason}")


def pause_unfinished(conn: sqlite3.Connection) -> list[str]:
    """Pause each series that a dead service left on; gives their ids.

    A unit that was not tested to a verdict keeps its serial.
    """
    found = [str(row["id"]) for row in conn.execute("SELECT id FROM series WHERE state = 'on'")]
    for series_id in found:
        give_back(conn, series_id)
        set_state(conn, series_id, PAUSED, "service", "The service stopped.")
    return found


def add_run(conn: sqlite3.Connection, series_id: str, run_id: str) -> None:
    """Keep that a run is of a series."""
    conn.execute("INSERT INTO series_run (run, series) VALUES (?, ?)", (run_id, series_id))


def is_run_of_series(conn: sqlite3.Connection, run_id: str) -> bool:
    """Whether a run is of a series."""
    row = conn.execute("SELECT EXISTS (SELECT 1 FROM series_run WHERE run = ?)", (run_id,))
    return bool(row.fetchone()[0])


def runs_of(conn: sqlite3.Connection, series_id: str) -> list[str]:
    """The runs of a series, oldest first."""
    rows = conn.execute("SELECT run FROM series_run WHERE series = ? ORDER BY run", (series_id,))
    return [str(row["run"]) for row in rows]


def unsettled(conn: sqlite3.Connection, run_id: str) -> list[str]:
    """The serials of a run that were not tested to a verdict, in the order of its nests.

    A fail stands whatever ended its run; a pass is one of a run that came to its end.
    """
    rows = conn.execute(
        "SELECT unit.serial FROM run_unit JOIN unit ON unit.id = unit_id"
        " JOIN run ON run.id = run_id WHERE run_id = ?"
        " AND run_unit.verdict != 'fail'"
        " AND (run.state != 'finished' OR run_unit.verdict != 'pass')"
        " ORDER BY run_unit.id",
        (run_id,),
    )
    return [str(row["serial"]) for row in rows]


def loads_of(conn: sqlite3.Connection, series_id: str) -> list[tuple[str, Load]]:
    """The loads of a series that were begun, oldest first, each with its run."""
    rows = conn.execute(
        "SELECT run.id, started_at, run.state, unit.serial, run_unit.verdict,"
        " EXISTS (SELECT 1 FROM attempt WHERE run_unit_id = run_unit.id AND number = 1"
        " AND attempt.verdict = 'fail') AS failed_first FROM series_run"
        " JOIN run ON run.id = series_run.run JOIN run_unit ON run_id = run.id"
        " JOIN unit ON unit.id = unit_id"
        " WHERE series = ? AND started_at IS NOT NULL AND run.state NOT IN ('armed', 'running')"
        " ORDER BY run.id, run_unit.id",
        (series_id,),
    )
    began: dict[str, float] = {}
    units: dict[str, list[Appearance]] = {}
    for row in rows:
        began[row["id"]] = dt.datetime.fromisoformat(row["started_at"]).timestamp()
        verdict = Verdict(row["verdict"])
        if row["state"] != "finished" and verdict is not Verdict.FAIL:
            verdict = Verdict.INCONCLUSIVE
        own = units.setdefault(row["id"], [])
        if row["failed_first"] and verdict is Verdict.PASS:  # when it was repeated
            own.append(Appearance(row["serial"], Verdict.FAIL))
        own.append(Appearance(row["serial"], verdict))
    return [(run_id, Load(began[run_id], tuple(each))) for run_id, each in units.items()]


def newest_units(conn: sqlite3.Connection, series_id: str, count: int) -> list[dict[str, str]]:
    """The last units of a series, newest first, with their verdicts and documents."""
    rows = conn.execute(
        "SELECT run.id AS run, nest, unit.serial, run_unit.verdict, cause, run.state, run.ended_at,"
        " document.number AS certificate, document.kind AS certificate_kind"
        " FROM series_run JOIN run ON run.id = series_run.run"
        " JOIN run_unit ON run_unit.run_id = run.id"
        " JOIN unit ON unit.id = unit_id"
        " LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id"
        " WHERE series = ? ORDER BY run.id DESC, run_unit.id DESC LIMIT ?",
        (series_id, count),
    )
    return [dict(row) for row in rows]


def waiting_serials(conn: sqlite3.Connection, series_id: str) -> list[str]:
    """The serials of the units to come, in their order."""
    rows = conn.execute(
        "SELECT serial FROM series_serial WHERE series = ? AND state = 'waiting' ORDER BY position",
        (series_id,),
    )
    return [str(row["serial"]) for row in rows]


def last_serial(conn: sqlite3.Connection, series_id: str) -> str | None:
    """The serial that was given last in a series, or None."""
    row = conn.execute(
        "SELECT serial FROM series_serial WHERE series = ? ORDER BY position DESC LIMIT 1",
        (series_id,),
    ).fetchone()
    return None if row is None else str(row["serial"])


def give_serial(conn: sqlite3.Connection, series_id: str, serial: str, account: str) -> None:
    """Give the serial of a unit to come."""
    conn.execute(
        "INSERT INTO series_serial (series, position, serial, state, account, given_at)"
        " SELECT ?1, coalesce(max(position), 0) + 1, ?2, 'waiting', ?3, ?4 FROM series_serial"
        " WHERE series = ?1",
        (series_id, serial, account, now()),
    )


def take_serials(
    conn: sqlite3.Connection, series_id: str, run_id: str, serials: Sequence[str]
) -> bool:
    """Take the next serials for a run; False when others are next by now."""
    if waiting_serials(conn, series_id)[: len(serials)] != list(serials):
        return False
    conn.execute(
        "UPDATE series_serial SET state = 'taken', run = ?2 WHERE series = ?1 AND position IN"
        " (SELECT position FROM series_serial WHERE series = ?1 AND state = 'waiting'"
        " ORDER BY position LIMIT ?3)",
        (series_id, run_id, len(serials)),
    )
    return True


def give_back(conn: sqlite3.Connection, series_id: str) -> None:
    """Have serials of the last run come again, before all others.

    They are those whose units it gave no verdict.
    """
    made = runs_of(conn, series_id)
    if not made:
        return
    conn.executemany(
        "UPDATE series_serial SET state = 'waiting', run = NULL"
        " WHERE series = ? AND run = ? AND serial = ?",
        [(series_id, made[-1], serial) for serial in unsettled(conn, made[-1])],
    )


def withdraw_serial(conn: sqlite3.Connection, series_id: str, serial: str, account: str) -> None:
    """Take back the serial of a unit to come; raises NotFound where it does not wait."""
    if serial not in waiting_serials(conn, series_id):
        raise NotFound("waiting serial", serial)
    conn.execute(
        "UPDATE series_serial SET state = 'withdrawn'"
        " WHERE series = ? AND serial = ? AND state = 'waiting'",
        (series_id, serial),
    )
    audit.note(conn, account, "withdraw serial", series_id, serial)
