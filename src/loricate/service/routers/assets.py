"""Devices by asset number: scan one, describe one, see which are due."""

import datetime as dt
import sqlite3
from typing import Annotated

from fastapi import Path, Query

from loricate.api.assets import AssetIn, AssetOut
from loricate.core.errors import Finding
from loricate.records import assets, definitions
from loricate.records.errors import NotFound
from loricate.service.asset_keeping import Products, told_asset
from loricate.service.errors import NotReady
from loricate.service.routers.access import APage, TheDesk, make_router
from loricate.service.sign_in import Reader, Runner

router = make_router("/assets", "assets")
NumberInPath = Annotated[str, Path(max_length=64, examples=["RB-1041"])]


def _today() -> dt.date:
    return dt.datetime.now(dt.UTC).date()


@router.get("", response_model=list[AssetOut])
async def list_assets(
    person: Reader,
    desk: TheDesk,
    page: APage,
    search: Annotated[str, Query(max_length=64, examples=["RB-*"])] = "*",
    after: Annotated[str, Query(max_length=64)] = "",
) -> list[AssetOut]:
    """Devices by number; ``search`` is of number, serial or place, ``*`` and ``?`` wildcards."""

    def read(conn: sqlite3.Connection) -> list[AssetOut]:
        found = assets.list_assets(conn, search, page.look_for, after)
        rows = page.cut(found, "after", lambda each: each.number)
        products = Products(conn)
        return [told_asset(conn, each, _today(), products) for each in rows]

    return await desk.store.read(read)


@router.get("/{number}", response_model=AssetOut)
async def show_asset(number: NumberInPath, person: Reader, desk: TheDesk) -> AssetOut:
    """A device by its number or its serial: what failed last time, when it is next due."""

    def read(conn: sqlite3.Connection) -> AssetOut:
        found = assets.find_either(conn, number)
        if not found:
            raise NotFound("device", number)
        if len(found) > 1:
            products = ", ".join(each.product for each in found)
            reason = f"'{number}' is the serial of several products: {products}"
            raise NotReady.because([Finding("number", reason, "scan the asset number.")])
        return told_asset(conn, found[0], _today(), Products(conn))

    return await desk.store.read(read)


@router.put("/{number}", response_model=AssetOut)
async def describe_asset(
    number: NumberInPath, body: AssetIn, person: Runner, desk: TheDesk
) -> AssetOut:
    """Say which device has a number, and where it is used; said again, the place may be another."""

    def keep(conn: sqlite3.Connection) -> AssetOut:
        documents = definitions.newest_documents(conn, "product")
        if body.product not in documents:
            known = ", ".join(sorted(documents))
            reason = f"there is no product '{body.product}'"
            raise NotReady.because([Finding("product", reason, f"there are {known}.")])
        other = assets.find_by_number(conn, number)
        if other is not None and (other.product, other.serial) != (body.product, body.serial):
            reason = f"'{number}' is the {other.product} {other.serial} already"
            raise NotReady.because([Finding("number", reason, "give this one another number.")])
        made = assets.describe(conn, person.name, number, body.product, body.serial, body.place)
        return told_asset(conn, made, _today(), Products(conn))

    return await desk.store.write(keep)
