"""Units: search by serial, and one unit's whole history."""

import sqlite3
from typing import Annotated

from fastapi import Query

from loricate.api.records import UnitFound, UnitOut
from loricate.records import runs
from loricate.records.errors import NotFound
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.routers.showing import unit_out
from loricate.service.sign_in import Reader

router = make_router("/units", "units")


@router.get("", response_model=list[UnitFound])
async def find_units(
    person: Reader,
    desk: TheDesk,
    page: APage,
    serial: Annotated[str, Query(max_length=64, examples=["DC40-26-01*"])] = "*",
    before: Before = "",
) -> list[UnitFound]:
    """Find units by serial, newest first; ``*`` stands for anything, ``?`` for one character."""
    found = await desk.store.read(lambda conn: runs.find_units(conn, serial, page.look_for, before))
    rows = page.cut(found, "before", lambda row: str(row["id"]))
    return [UnitFound(**{key: row[key] for key in UnitFound.model_fields}) for row in rows]


@router.get("/{serial}", response_model=list[UnitOut])
async def show_unit(
    serial: str,
    person: Reader,
    desk: TheDesk,
    page: APage,
    before: Before = "",
) -> list[UnitOut]:
    """Every appearance of a serial, newest first, with all attempts and readings."""

    def read(conn: sqlite3.Connection) -> list[UnitOut]:
        found = runs.unit_history(conn, serial, page.look_for, before)
        if not found and not before:
            raise NotFound("unit", serial)
        rows = page.cut(found, "before", lambda row: str(row["id"]))
        return [unit_out(row) for row in rows]

    return await desk.store.read(read)
