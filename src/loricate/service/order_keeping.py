"""Work orders: taken from other systems, chosen by at the bench, ended by the result."""

import datetime as dt
import sqlite3
from collections.abc import Mapping
from typing import Any

from loricate.api.orders import OrderIn, OrderOut
from loricate.core.errors import Finding
from loricate.records import assets, definitions, units, work_orders
from loricate.records.work_orders import WorkOrder
from loricate.service.asset_keeping import Products
from loricate.service.errors import NotReady, WrongState


def end_orders(conn: sqlite3.Connection, run: Mapping[str, Any]) -> None:
    """End the orders that the results of a run are the answer to."""
    for unit in run["units"]:
        work_orders.end_orders(conn, run, unit)


def take_order(
    conn: sqlite3.Connection, account: str, number: str, body: OrderIn
) -> tuple[WorkOrder, bool]:
    """Take an order, once however often it is given; gives it, and whether it is new.

    Raises NotReady for a unit that nobody can find or an occasion that its product has no sequence
    for, and WrongState for another order of a number that has ended.
    """
    asset, product, serial = _unit_of(conn, body)
    offered = Products(conn).find(product)
    if offered is None or offered.on_occasion(body.occasion) is None:
        named = offered.occasions if offered is not None else ()
        there = ", ".join(each.occasion for each in named) or "none"
        reason = f"product '{product}' names no sequence for {body.occasion}"
        raise NotReady.because([Finding("occasion", reason, f"it has {there}.")])
    due = body.due.isoformat() if body.due is not None else ""
    before = work_orders.find_order(conn, number)
    if before is not None:
        same = (before.product, before.serial, before.occasion, before.due, before.said)
        if same == (product, serial, body.occasion, due, body.said):
            return before, False
        if before.state != "open":
            raise WrongState(
                f"Order {before.number} has ended ({before.state}); give another number."
            )
    unit_id = asset or units.known_unit(conn, product, serial)
    made = work_orders.put_order(conn, account, number, unit_id, body.occasion, due, body.said)
    return made, before is None


def _unit_of(conn: sqlite3.Connection, body: OrderIn) -> tuple[str, str, str]:
    """The unit that an order is for: its id where it is known, its product, its serial."""
    if body.asset:
        found = assets.find_by_number(conn, body.asset)
        if found is None:
            reason = f"nobody has described '{body.asset}'"
            remedy = "describe it first, or give product and serial."
            raise NotReady.because([Finding("asset", reason, remedy)])
        return found.unit_id, found.product, found.serial
    if not (body.product and body.serial):
        message = "is missing", "give the asset number, or product and serial."
        raise NotReady.because([Finding("asset", *message)])
    known = definitions.newest_documents(conn, "product")
    if body.product not in known:
        reason = f"there is no product '{body.product}'"
        raise NotReady.because(
            [Finding("product", reason, f"there are {', '.join(sorted(known))}.")]
        )
    return "", body.product, body.serial


def withdraw_order(conn: sqlite3.Connection, account: str, number: str, reason: str) -> WorkOrder:
    """End an order that nobody wants any more; raises NotFound, and WrongState for one done."""
    found = work_orders.get_order(conn, number)
    if found.state == "withdrawn":
        return found
    if found.state == "done":
        raise WrongState(f"Order {found.number} was done by run {found.run_id}.")
    return work_orders.withdraw_order(conn, account, number, reason)


def told_order(conn: sqlite3.Connection, order: WorkOrder) -> OrderOut:
    """An order as it is told."""
    product = Products(conn).find(order.product)
    chosen = product.on_occasion(order.occasion) if product is not None else None
    today = dt.datetime.now(dt.UTC).date()
    return OrderOut(
        number=order.number,
        asset=order.asset,
        product=order.product,
        serial=order.serial,
        place=order.place,
        occasion=order.occasion,
        sequence=chosen.sequence if chosen is not None else "",
        due=dt.date.fromisoformat(order.due) if order.due else None,
        is_overdue=order.state == "open" and bool(order.due) and order.due < today.isoformat(),
        said=order.said,
        state=order.state,
        came_at=order.came_at,
        by=order.account,
        run=order.run_id,
        verdict=order.verdict,
        ended_at=order.ended_at,
        reason=order.reason,
    )
