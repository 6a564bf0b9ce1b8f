"""Lots, and what was tested of them."""

import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.lots import Appearance
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now

SUMMARY = "summary"  # the outbox's target for closed lots that are to be summed up
_LOT = "code, product, quantity, serials, order_number, state, created_at, created_by, closed_at"


@dataclass(frozen=True, slots=True)
class LotRecord:
    """A production order's worth of units; ``serials`` is a range."""

    code: str
    product: str
    quantity: int
    serials: str
    order_number: str
    state: str
    created_at: str
    created_by: str
    closed_at: str | None


def add_lot(
    conn: sqlite3.Connection,
    code: str,
    product: str,
    quantity: int,
    serials: str,
    order_number: str,
    account: str,
) -> None:
    """Open a lot; raises sqlite3.IntegrityError when its code is taken."""
    conn.execute(
        "INSERT INTO lot (code, product, quantity, serials, order_number, state, created_at,"
        " created_by) VALUES (?, ?, ?, ?, ?, 'open', ?, ?)",
        (code, product, quantity, serials, order_number, now(), account),
    )
    audit.note(conn, account, "open lot", code, f"{quantity} of {product}")


def find_lot(conn: sqlite3.Connection, code: str) -> LotRecord | None:
    """The lot of this code, or None."""
    row = conn.execute(f"SELECT {_LOT} FROM lot WHERE code = ?", (code,)).fetchone()
    return None if row is None else LotRecord(**row)


def get_lot(conn: sqlite3.Connection, code: str) -> LotRecord:
    """The lot of this code; raises NotFound."""
    found = find_lot(conn, code)
    if found is None:
        raise NotFound("lot", code)
    return found


def list_lots(
    conn: sqlite3.Connection, count: int, before: str = "", state: str = ""
) -> list[LotRecord]:
    """The newest lots, newest first; those opened before the lot ``before`` if that is one.

    Of one ``state`` only, where one is given.
    """
    rows = conn.execute(
        f"SELECT {_LOT} FROM lot WHERE (?1 = '' OR rowid < (SELECT rowid FROM lot WHERE code = ?1))"
        " AND (?3 = '' OR state = ?3) ORDER BY rowid DESC LIMIT ?2",
        (before, count, state),
    )
    return [LotRecord(**row) for row in rows]


def close_lot(conn: sqlite3.Connection, code: str, account: str) -> None:
    """Close a lot."""
    conn.execute("UPDATE lot SET state = 'closed', closed_at = ? WHERE code = ?", (now(), code))
    audit.note(conn, account, "close lot", code)


def under_way(conn: sqlite3.Connection, code: str) -> list[str]:
    """The runs of a lot that are armed or running."""
    rows = conn.execute(
        "SELECT id FROM run WHERE lot = ? AND state IN ('armed', 'running') ORDER BY id", (code,)
    )
    return [str(row["id"]) for row in rows]


def has_documents(conn: sqlite3.Connection, code: str) -> bool:
    """Whether all that can be issued for the runs of a lot that have ended has been."""
    row = conn.execute(
        "SELECT 1 FROM run WHERE lot = ? AND state = 'finished' AND is_issued = 0 LIMIT 1", (code,)
    ).fetchone()
    return row is None


def appearances(conn: sqlite3.Connection, codes: Sequence[str]) -> dict[str, list[Appearance]]:
    """Every verdict of a unit of these lots, by lot, oldest first.

    A unit that failed a step and passed it when that was repeated appears twice.
    """
    marks = ", ".join("?" * len(codes))
    rows = conn.execute(
        "SELECT lot, serial, run_unit.verdict, EXISTS (SELECT 1 FROM attempt WHERE run_unit_id ="
        " run_unit.id AND number = 1 AND attempt.verdict = 'fail') AS failed_first"
        " FROM run_unit JOIN run ON run.id = run_id JOIN unit ON unit.id = unit_id"
        f" WHERE lot IN ({marks}) AND finished_at IS NOT NULL ORDER BY run_unit.id",
        list(codes),
    )
    found: dict[str, list[Appearance]] = {code: [] for code in codes}
    for row in rows:
        own, verdict = found[row["lot"]], Verdict(row["verdict"])
        if row["failed_first"] and verdict is not Verdict.FAIL:
            own.append(Appearance(row["serial"], Verdict.FAIL))
        own.append(Appearance(row["serial"], verdict))
    return found


def serials_taken(conn: sqlite3.Connection, code: str) -> frozenset[str]:
    """The serials that were run to an end in a lot."""
    rows = conn.execute(
        "SELECT DISTINCT serial FROM run_unit JOIN run ON run.id = run_id"
        " JOIN unit ON unit.id = unit_id"
        " WHERE lot = ? AND finished_at IS NOT NULL",
        (code,),
    )
    return frozenset(row["serial"] for row in rows)


def latest_units(conn: sqlite3.Connection, code: str) -> list[dict[str, Any]]:
    """The latest appearance of each unit of a lot, by serial, with how often it was tested."""
    rows = conn.execute(
        "SELECT unit.serial, run_unit.verdict, cause, run_id, document.number AS certificate,"
        " document.revoked IS NOT NULL AS revoked,"
        " max(run_unit.id) AS newest, count(*) AS times FROM run_unit JOIN run ON run.id = run_id"
        " JOIN unit ON unit.id = unit_id"
        " LEFT JOIN current_document AS document ON document.run_unit_id = run_unit.id"
        " WHERE lot = ? AND finished_at IS NOT NULL GROUP BY unit.serial"
        " ORDER BY unit.serial",
        (code,),
    )
    return [dict(row) for row in rows]


def tested_before(
    conn: sqlite3.Connection, product: str, serials: list[str], in_lots_only: bool = True
) -> dict[str, str]:
    """Of these serials, those that had a verdict in a lot, or anywhere, with that verdict.

    A fail stands whatever ended its run; a pass is one of a run that came to its end.
    """
    marks = ", ".join("?" * len(serials))
    where = "AND lot <> ''" if in_lots_only else ""
    rows = conn.execute(
        "SELECT serial, run_unit.verdict, max(run_unit.id)"
        " FROM run_unit JOIN run ON run.id = run_id JOIN unit ON unit.id = unit_id"
        f" WHERE product = ? {where} AND (run_unit.verdict = 'fail'"
        " OR (run_unit.verdict = 'pass' AND finished_at IS NOT NULL))"
        f" AND serial COLLATE NOCASE IN ({marks}) GROUP BY serial",
        (product, *serials),
    )
    return {row["serial"]: row["verdict"] for row in rows}
