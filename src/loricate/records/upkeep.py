"""What keeps a fixture fit: zeroes of its leads, daily checks, matings and renewed contacts."""

import datetime as dt
import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from loricate.core.fixtures.mapping import Mapped
from loricate.core.fixtures.zeroes import Zero
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.records import audit
from loricate.records.stamps import new_id, now

Row = dict[str, Any]
_CHECK = "id, fixture, passed, report, account, started_at, ended_at, doubts_before"


def add_zeroing(
    conn: sqlite3.Connection,
    fixture: str,
    nests: Mapping[str, Mapping[str, tuple[float, float]]],
    instrument: str,
    account: str,
) -> None:
    """Keep one zeroing of a fixture: by nest and contact, Ω and expanded uncertainty of a lead."""
    zeroing = new_id()
    conn.execute(
        "INSERT INTO zeroing (id, fixture, instrument, account, measured_at)"
        " VALUES (?, ?, ?, ?, ?)",
        (zeroing, fixture, instrument, account, now()),
    )
    conn.executemany(
        "INSERT INTO zeroed_lead (id, nest, contact, ohms, uncertainty) VALUES (?, ?, ?, ?, ?)",
        [
            (zeroing, nest, contact, ohms, uncertainty)
            for nest, leads in nests.items()
            for contact, (ohms, uncertainty) in leads.items()
        ],
    )
    told = "; ".join(f"nest {nest}: {', '.join(leads)}" for nest, leads in nests.items())
    audit.note(conn, account, "zero", fixture, told)


def latest_zeroes(conn: sqlite3.Connection, fixture: str) -> dict[str, dict[str, Zero]]:
    """The newest zero of each contact of a fixture, by nest and contact."""
    rows = conn.execute(
        "SELECT nest, contact, ohms, uncertainty, measured_at, max(zeroing.id) FROM zeroing"
        " JOIN zeroed_lead ON zeroed_lead.id = zeroing.id"
        " WHERE fixture = ? GROUP BY nest, contact",
        (fixture,),
    )
    found: dict[str, dict[str, Zero]] = {}
    for row in rows:
        measured_at = dt.datetime.fromisoformat(row["measured_at"])
        zero = Zero(row["ohms"], row["uncertainty"], measured_at)
        found.setdefault(row["nest"], {})[row["contact"]] = zero
    return found


@dataclass(frozen=True, slots=True)
class ZeroingInShort:
    """One zeroing of a fixture: how many leads of which nests, by whom, with what, when."""

    nests: tuple[str, ...]
    leads: int
    most_ohms: float
    instrument: str
    account: str
    measured_at: str


def last_zeroing(conn: sqlite3.Connection, fixture: str) -> ZeroingInShort | None:
    """The newest zeroing of a fixture, or None; not of a test lead, which a step zeroes."""
    row = conn.execute(
        "SELECT id, instrument, account, measured_at FROM zeroing WHERE fixture = ?"
        " AND id IN (SELECT id FROM zeroed_lead WHERE contact NOT LIKE '% to %')"
        " ORDER BY id DESC LIMIT 1",
        (fixture,),
    ).fetchone()
    if row is None:
        return None
    leads = conn.execute(
        "SELECT nest, ohms FROM zeroed_lead WHERE id = ? ORDER BY nest, contact", (row["id"],)
    ).fetchall()
    return ZeroingInShort(
        tuple(dict.fromkeys(each["nest"] for each in leads)),
        len(leads),
        max(each["ohms"] for each in leads),
        row["instrument"],
        row["account"],
        row["measured_at"],
    )


def add_impedance_zero(
    conn: sqlite3.Connection,
    fixture: str,
    nest: str,
    path: ImpedancePath,
    open_ohms: complex,
    short_ohms: complex,
    account: str,
) -> None:
    """Keep what a path of a nest shows open and shorted."""
    conn.execute(
        "INSERT INTO impedance_zero (id, fixture, nest, high, low, frequency_hz, open_resistance,"
        " open_reactance, short_resistance, short_reactance, account, measured_at)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            new_id(),
            fixture,
            nest,
            path.high,
            path.low,
            path.frequency_hz,
            open_ohms.real,
            open_ohms.imag,
            short_ohms.real,
            short_ohms.imag,
            account,
            now(),
        ),
    )
    what = f"{path.high} to {path.low} at {path.frequency_hz:g} Hz"
    audit.note(conn, account, "zero", f"{fixture}/{nest}", what)


def latest_impedance_zeroes(
    conn: sqlite3.Connection, fixture: str
) -> dict[str, dict[ImpedancePath, ImpedanceZero]]:
    """The newest open and shorted zero of each path of a fixture, by nest and path."""
    rows = conn.execute(
        "SELECT nest, high, low, frequency_hz, open_resistance, open_reactance, short_resistance,"
        " short_reactance, measured_at, max(id) FROM impedance_zero WHERE fixture = ?"
        " GROUP BY nest, high, low, frequency_hz",
        (fixture,),
    )
    found: dict[str, dict[ImpedancePath, ImpedanceZero]] = {}
    for row in rows:
        path = ImpedancePath(row["high"], row["low"], row["frequency_hz"])
        found.setdefault(row["nest"], {})[path] = ImpedanceZero(
            complex(row["open_resistance"], row["open_reactance"]),
            complex(row["short_resistance"], row["short_reactance"]),
            dt.datetime.fromisoformat(row["measured_at"]),
        )
    return found


def all_zeroes(
    conn: sqlite3.Connection, fixture: str
) -> dict[str, dict[str | ImpedancePath, Zero | ImpedanceZero]]:
    """The newest zeroes of a fixture by nest: leads by contact, impedances by path."""
    found: dict[str, dict[str | ImpedancePath, Zero | ImpedanceZero]] = {}
    for nest, leads in latest_zeroes(conn, fixture).items():
        found.setdefault(nest, {}).update(leads)
    for nest, paths in latest_impedance_zeroes(conn, fixture).items():
        for path, zero in paths.items():
            found.setdefault(nest, {})[path] = zero
    return found


def add_daily_check(
    conn: sqlite3.Connection,
    fixture: str,
    passed: bool,
    report: Mapping[str, Any],
    account: str,
    started_at: str,
    doubts_before: int,
) -> str:
    """Keep a daily check with its report; gives its id.

    ``doubts_before`` is the newest doubt when it began: those after it are not answered by it.
    """
    check_id = new_id()
    conn.execute(
        "INSERT INTO daily_check (id, fixture, passed, report, account, started_at, ended_at,"
        " doubts_before) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            check_id,
            fixture,
            int(passed),
            json.dumps(report),
            account,
            started_at,
            now(),
            doubts_before,
        ),
    )
    word = "passed" if passed else "failed"
    audit.note(conn, account, f"daily check {word}", fixture)
    return check_id


def latest_daily_check(conn: sqlite3.Connection, fixture: str) -> Row | None:
    """The newest daily check of a fixture with its report, or None."""
    row = conn.execute(
        f"SELECT {_CHECK} FROM daily_check WHERE fixture = ? ORDER BY id DESC LIMIT 1", (fixture,)
    ).fetchone()
    return None if row is None else _check_row(row)


def list_daily_checks(
    conn: sqlite3.Connection, fixture: str, count: int, before: str = ""
) -> list[Row]:
    """The newest daily checks of a fixture, newest first; older than ``before`` if that is one."""
    rows = conn.execute(
        f"SELECT {_CHECK} FROM daily_check WHERE fixture = ?1 AND (?2 = '' OR id < ?2)"
        " ORDER BY id DESC LIMIT ?3",
        (fixture, before, count),
    )
    return [_check_row(row) for row in rows]


def _check_row(row: sqlite3.Row) -> Row:
    return {**dict(row), "passed": bool(row["passed"]), "report": json.loads(row["report"])}


def add_service(conn: sqlite3.Connection, fixture: str, note: str, account: str) -> None:
    """Enter that a fixture's contacts were renewed: its matings are counted from now."""
    conn.execute(
        "INSERT INTO fixture_service (id, fixture, note, account, serviced_at)"
        " VALUES (?, ?, ?, ?, ?)",
        (new_id(), fixture, note, account, now()),
    )
    audit.note(conn, account, "renew contacts", fixture, note)


def last_service(conn: sqlite3.Connection, fixture: str) -> str:
    """When a fixture's contacts were last renewed; empty when never."""
    row = conn.execute(
        "SELECT serviced_at FROM fixture_service WHERE fixture = ? ORDER BY id DESC LIMIT 1",
        (fixture,),
    ).fetchone()
    return "" if row is None else str(row["serviced_at"])


def matings(conn: sqlite3.Connection, fixture: str) -> dict[str, int]:
    """How often each nest has taken a unit in a started run since its contacts were renewed."""
    rows = conn.execute(
        "SELECT nest, count(*) AS times FROM run_unit JOIN run ON run.id = run_id"
        " WHERE fixture = ?1 AND started_at IS NOT NULL AND run.id > coalesce("
        " (SELECT max(id) FROM fixture_service WHERE fixture = ?1), '') GROUP BY nest",
        (fixture,),
    )
    return {row["nest"]: row["times"] for row in rows}


def add_column_map(
    conn: sqlite3.Connection, fixture: str, nest: str, part: str, mapped: Mapped, account: str
) -> None:
    """Keep where contacts of a nest were found, by the probe or by a part."""
    conn.execute(
        "INSERT INTO column_map (id, fixture, nest, part, columns, differences, account,"
        " measured_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (
            new_id(),
            fixture,
            nest,
            part,
            json.dumps(dict(mapped.columns)),
            json.dumps(mapped.differences),
            account,
            now(),
        ),
    )
    audit.note(conn, account, "map", f"{fixture}/{nest}", " ".join(mapped.differences))


def latest_column_maps(conn: sqlite3.Connection, fixture: str) -> dict[str, Row]:
    """The newest map of each nest of a fixture that has one."""
    rows = conn.execute(
        "SELECT nest, part, columns, differences, account, measured_at, max(id) FROM column_map"
        " WHERE fixture = ? GROUP BY nest",
        (fixture,),
    )
    return {
        row["nest"]: {
            **dict(row),
            "columns": json.loads(row["columns"]),
            "differences": json.loads(row["differences"]),
        }
        for row in rows
    }
