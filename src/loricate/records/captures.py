"""Cables captured from known-good units, and what was decided of their nets and components."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass

from loricate.core.capture.drafting import Decision
from loricate.core.capture.seen import SeenUnit, read_seen
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now


@dataclass(frozen=True, slots=True)
class CapturedUnit:
    """One unit as it was measured: where, by whom, when."""

    id: str
    capture: str
    fixture: str
    nest: str
    account: str
    measured_at: str
    seen: SeenUnit


def add_captured_unit(
    conn: sqlite3.Connection, capture: str, fixture: str, nest: str, seen: SeenUnit, account: str
) -> str:
    """Keep what was measured of a unit, in a capture or as the first of a new one; gives its id."""
    unit_id = new_id()
    capture = capture or unit_id
    conn.execute(
        "INSERT INTO captured_unit (id, capture, fixture, nest, serial, report, account,"
        " measured_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (unit_id, capture, fixture, nest, seen.serial, json.dumps(seen.as_json()), account, now()),
    )
    audit.note(conn, account, "capture", capture, f"{seen.serial} in {fixture}/{nest}")
    return capture


def captured_units(conn: sqlite3.Connection, capture: str) -> tuple[CapturedUnit, ...]:
    """The units of a capture in their order; raises NotFound."""
    rows = conn.execute(
        "SELECT id, capture, fixture, nest, report, account, measured_at FROM captured_unit"
        " WHERE capture = ? ORDER BY id",
        (capture,),
    ).fetchall()
    if not rows:
        raise NotFound("capture", capture)
    return tuple(_unit(row) for row in rows)


def _unit(row: sqlite3.Row) -> CapturedUnit:
    return CapturedUnit(
        row["id"],
        row["capture"],
        row["fixture"],
        row["nest"],
        row["account"],
        row["measured_at"],
        read_seen(json.loads(row["report"])),
    )


@dataclass(frozen=True, slots=True)
class CaptureInShort:
    """A capture in a list."""

    id: str
    fixture: str
    serials: tuple[str, ...]
    account: str
    measured_at: str


def page_of_captures(
    conn: sqlite3.Connection, before: str, count: int
) -> tuple[CaptureInShort, ...]:
    """At most ``count`` captures that were begun before ``before``, newest first."""
    rows = conn.execute(
        "SELECT id, fixture, account, measured_at, (SELECT json_group_array(serial) FROM"
        " (SELECT serial FROM captured_unit AS own WHERE own.capture = first.id ORDER BY own.id))"
        " AS serials FROM captured_unit AS first"
        " WHERE capture = id AND (?1 = '' OR id < ?1) ORDER BY id DESC LIMIT ?2",
        (before, count),
    )
    return tuple(
        CaptureInShort(
            row["id"],
            row["fixture"],
            tuple(json.loads(row["serials"])),
            row["account"],
            row["measured_at"],
        )
        for row in rows
    )


def add_decisions(
    conn: sqlite3.Connection, capture: str, decisions: Mapping[str, Decision], account: str
) -> None:
    """Keep what somebody decided of some items of a capture, by their keys."""
    moment = now()
    conn.executemany(
        "INSERT INTO capture_decision (id, capture, item, choice, changes, units, account,"
        " decided_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                new_id(),
                capture,
                item,
                each.choice,
                json.dumps(dict(each.changes)),
                each.units,
                account,
                moment,
            )
            for item, each in decisions.items()
        ],
    )
    told = ", ".join(f"{item}: {each.choice}" for item, each in decisions.items())
    audit.note(conn, account, "decide capture", capture, told)


def decisions_of(conn: sqlite3.Connection, capture: str) -> dict[str, Decision]:
    """What was decided last of each item of a capture, by its key."""
    rows = conn.execute(
        "SELECT item, choice, changes, units FROM capture_decision WHERE capture = ? ORDER BY id",
        (capture,),
    )
    return {
        row["item"]: Decision(row["choice"], json.loads(row["changes"]), row["units"])
        for row in rows
    }
