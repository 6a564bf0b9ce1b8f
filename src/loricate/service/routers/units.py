"""Units: search by serial, and one unit's whole history."""

from typing import Annotated

from fastapi import APIRouter, Query

from loricate.api.records import UnitFound, UnitOut
from loricate.records import runs
from loricate.records.errors import NotFound
from loricate.service.routers.access import TheDesk
from loricate.service.routers.showing import unit_out
from loricate.service.sign_in import Reader

router = APIRouter(prefix="/units", tags=["units"])


@router.get("", response_model=list[UnitFound])
async def find_units(
    person: Reader,
    desk: TheDesk,
    serial: Annotated[str, Query(max_length=64, examples=["DC40-26-01*"])] = "*",
    count: Annotated[int, Query(ge=1, le=500)] = 100,
) -> list[UnitFound]:
    """Find units by serial, newest first; ``*`` stands for anything, ``?`` for one character."""
    found = await desk.store.read(lambda conn: runs.find_units(conn, serial, count))
    return [UnitFound(**{key: row[key] for key in UnitFound.model_fields}) for row in found]


@router.get("/{serial}", response_model=list[UnitOut])
async def show_unit(serial: str, person: Reader, desk: TheDesk) -> list[UnitOut]:
    """Every appearance of a serial, newest first, with all attempts and readings."""
    found = await desk.store.read(lambda conn: runs.unit_history(conn, serial))
    if not found:
        raise NotFound("unit", serial)
    return [unit_out(row) for row in found]
