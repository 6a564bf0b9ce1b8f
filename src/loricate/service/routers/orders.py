"""Work orders: given by other systems, listed at the bench, withdrawn."""

import sqlite3
from typing import Annotated, Literal

from fastapi import Path, Query, Response

from loricate.api.orders import OrderIn, OrderOut, Withdrawing
from loricate.records import work_orders
from loricate.service.order_keeping import take_order, told_order, withdraw_order
from loricate.service.routers.access import APage, TheDesk, make_router
from loricate.service.sign_in import Orderer, OrderReader

router = make_router("/orders", "orders")
NumberInPath = Annotated[
    str, Path(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$", examples=["WO-2026-0417"])
]


@router.get("", response_model=list[OrderOut])
async def list_orders(
    person: OrderReader,
    desk: TheDesk,
    page: APage,
    state: Literal["", "open", "done", "withdrawn"] = "",
    after: Annotated[str, Query(max_length=64)] = "",
) -> list[OrderOut]:
    """Orders by number, of one state where one is named."""

    def read(conn: sqlite3.Connection) -> list[OrderOut]:
        found = work_orders.list_orders(conn, page.look_for, after, state)
        rows = page.cut(found, "after", lambda each: each.number)
        return [told_order(conn, each) for each in rows]

    return await desk.store.read(read)


@router.get("/{number}", response_model=OrderOut)
async def show_order(number: NumberInPath, person: OrderReader, desk: TheDesk) -> OrderOut:
    """An order by its number."""
    return await desk.store.read(lambda conn: told_order(conn, work_orders.get_order(conn, number)))


@router.put("/{number}", response_model=OrderOut, responses={201: {"model": OrderOut}})
async def put_order(
    number: NumberInPath, body: OrderIn, person: Orderer, desk: TheDesk, response: Response
) -> OrderOut:
    """Give an order: once, however often it is sent; said anew while it is open, it is changed."""

    def keep(conn: sqlite3.Connection) -> tuple[OrderOut, bool]:
        made, is_new = take_order(conn, person.name, number, body)
        return told_order(conn, made), is_new

    made, is_new = await desk.store.write(keep)
    response.status_code = 201 if is_new else 200
    return made


@router.post("/{number}/withdrawal", response_model=OrderOut)
async def withdraw(
    number: NumberInPath, body: Withdrawing, person: Orderer, desk: TheDesk
) -> OrderOut:
    """Withdraw an order that nobody wants any more."""

    def keep(conn: sqlite3.Connection) -> OrderOut:
        return told_order(conn, withdraw_order(conn, person.name, number, body.reason))

    return await desk.store.write(keep)
