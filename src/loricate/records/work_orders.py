"""Work orders: what another system wants tested, and which run did it."""

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now

OrderState = Literal["open", "done", "withdrawn"]
_SELECT = (
    "SELECT work_order.number, work_order.unit_id, unit.asset, unit.product, unit.serial,"
    " unit.place, work_order.occasion, due, said, work_order.state, came_at, account, run_unit_id,"
    " coalesce(run_unit.run_id, '') AS run_id, work_order.verdict, work_order.ended_at,"
    " work_order.reason FROM work_order JOIN unit ON unit.id = work_order.unit_id"
    " LEFT JOIN run_unit ON run_unit.id = run_unit_id"
)


@dataclass(frozen=True, slots=True)
class WorkOrder:
    """An order as it stands; ``run_id`` and ``verdict`` are of the run that did it."""

    number: str
    unit_id: str
    asset: str
    product: str
    serial: str
    place: str
    occasion: str
    due: str
    said: str
    state: OrderState
    came_at: str
    account: str
    run_unit_id: str | None
    run_id: str
    verdict: str
    ended_at: str | None
    reason: str


def find_order(conn: sqlite3.Connection, number: str) -> WorkOrder | None:
    """An order by its number; None where there is none."""
    row = conn.execute(f"{_SELECT} WHERE work_order.number = ?", (number,)).fetchone()
    return None if row is None else WorkOrder(**dict(row))


def get_order(conn: sqlite3.Connection, number: str) -> WorkOrder:
    """An order by its number; raises NotFound."""
    found = find_order(conn, number)
    if found is None:
        raise NotFound("work order", number)
    return found


def list_orders(
    conn: sqlite3.Connection, count: int, after: str = "", state: str = ""
) -> list[WorkOrder]:
    """Orders by number, of one state where one is named."""
    rows = conn.execute(
        f"{_SELECT} WHERE work_order.number > ?1 COLLATE NOCASE"
        " AND (?2 = '' OR work_order.state = ?2)"
        " ORDER BY work_order.number COLLATE NOCASE LIMIT ?3",
        (after, state, count),
    )
    return [WorkOrder(**dict(row)) for row in rows]


def open_orders(conn: sqlite3.Connection, unit_id: str) -> list[WorkOrder]:
    """What is still to be done to a unit, what came first first."""
    rows = conn.execute(
        f"{_SELECT} WHERE work_order.unit_id = ? AND work_order.state = 'open'"
        " ORDER BY came_at, work_order.number",
        (unit_id,),
    )
    return [WorkOrder(**dict(row)) for row in rows]


def put_order(
    conn: sqlite3.Connection,
    account: str,
    number: str,
    unit_id: str,
    occasion: str,
    due: str,
    said: str,
) -> WorkOrder:
    """Take an order, or what is said anew of one that is open.

    Nothing is changed by what was said before; the moment that it came stays.
    """
    conn.execute(
        "INSERT INTO work_order (number, unit_id, occasion, due, said, state, came_at, account)"
        " VALUES (?1, ?2, ?3, ?4, ?5, 'open', ?6, ?7) ON CONFLICT (number) DO UPDATE"
        " SET unit_id = ?2, occasion = ?3, due = ?4, said = ?5, account = ?7",
        (number, unit_id, occasion, due, said, now(), account),
    )
    made = get_order(conn, number)
    audit.note(conn, account, "order", number, f"{made.product} {made.serial} {occasion}")
    return made


def withdraw_order(conn: sqlite3.Connection, account: str, number: str, reason: str) -> WorkOrder:
    """End an order that nobody wants any more."""
    conn.execute(
        "UPDATE work_order SET state = 'withdrawn', ended_at = ?, reason = ? WHERE number = ?",
        (now(), f"{account}: {reason}", number),
    )
    audit.note(conn, account, "withdraw order", number, reason)
    return get_order(conn, number)


def end_orders(conn: sqlite3.Connection, run: Mapping[str, Any], unit: Mapping[str, Any]) -> None:
    """End the orders that a unit's result is the answer to.

    Those are open orders for its occasion that had come before its run began, and those that this
    run ended before: a repeat may have come out otherwise. Without a verdict none is ended; nor by
    a pass that is not certified, for then what was asked for has not been shown.
    """
    is_certified = unit["certificate_kind"] == "certificate"
    if not (unit["verdict"] == "fail" or (unit["verdict"] == "pass" and is_certified)):
        return
    conn.execute(
        "UPDATE work_order SET state = 'done', run_unit_id = ?1, verdict = ?2, ended_at = ?3"
        " WHERE (state = 'open' AND unit_id = ?4 AND occasion = ?5 AND came_at <= ?6)"
        " OR (run_unit_id = ?1 AND state = 'done')",
        (
            unit["id"],
            unit["verdict"],
            run["ended_at"],
            unit["unit_id"],
            run["occasion"],
            run["started_at"],
        ),
    )


def answered(conn: sqlite3.Connection, run_unit_id: str) -> list[str]:
    """The numbers of the orders that a unit's test in a run is the answer to."""
    rows = conn.execute(
        "SELECT number FROM work_order WHERE run_unit_id = ? ORDER BY number", (run_unit_id,)
    )
    return [str(row["number"]) for row in rows]
