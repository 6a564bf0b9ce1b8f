"""Searches: what there is to pick from, how many each finds, and those kept by name."""

import datetime as dt
import sqlite3
from dataclasses import asdict
from typing import Annotated

from fastapi import Path, Query

from loricate.api.searching import SearchIn, SearchOut, UnitCounts, UnitNames
from loricate.core.measuring.grading import Verdict
from loricate.core.searching import UnitSearch
from loricate.papers.wording import zone_of
from loricate.records import kept_searches
from loricate.records.kept_searches import KeptSearch
from loricate.service import everywhere
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Auditor, Reader

router = make_router("", "units")
Name = Annotated[str, Path(min_length=1, max_length=60, examples=["Failed this week"])]


@router.get("/unit-counts", response_model=UnitCounts)
async def count_units(
    person: Reader, desk: TheDesk, asked: Annotated[UnitSearch, Query()]
) -> UnitCounts:
    """How many units in runs a search finds, by verdict."""
    span = asked.span(zone_of(desk.look.zone), dt.datetime.now(dt.UTC))
    found = await everywhere.count_units(desk.places, asked, span)
    return UnitCounts(
        total=sum(found.values()),
        passed=found[Verdict.PASS],
        failed=found[Verdict.FAIL],
        inconclusive=found[Verdict.INCONCLUSIVE],
        not_run=found[Verdict.NOT_RUN],
    )


@router.get("/unit-names", response_model=UnitNames)
async def list_names(person: Reader, desk: TheDesk) -> UnitNames:
    """What there is to pick from in a search: names that units in runs have."""
    return UnitNames(**await everywhere.known_names(desk.places))


def _out(kept: KeptSearch) -> SearchOut:
    return SearchOut.model_validate(asdict(kept))


@router.get("/searches", response_model=list[SearchOut], response_model_exclude_defaults=True)
async def list_searches(person: Reader, desk: TheDesk) -> list[SearchOut]:
    """The searches that the site has by name."""
    found = await desk.store.read(kept_searches.list_searches)
    return [_out(each) for each in found]


@router.get("/searches/{name}", response_model=SearchOut, response_model_exclude_defaults=True)
async def show_search(name: Name, person: Reader, desk: TheDesk) -> SearchOut:
    """A search by its name."""
    return _out(await desk.store.read(lambda conn: kept_searches.get_search(conn, name)))


@router.put("/searches/{name}", response_model=SearchOut, response_model_exclude_defaults=True)
async def keep_search(name: Name, body: SearchIn, person: Auditor, desk: TheDesk) -> SearchOut:
    """Keep a search by its name, for everybody; it takes the place of one that had the name."""

    def keep(conn: sqlite3.Connection) -> SearchOut:
        kept_searches.keep_search(conn, name, body.search.asked(), person.name)
        return _out(kept_searches.get_search(conn, name))

    return await desk.store.write(keep)


@router.delete("/searches/{name}", status_code=204)
async def drop_search(name: Name, person: Auditor, desk: TheDesk) -> None:
    """Keep a search no longer."""
    await desk.store.write(lambda conn: kept_searches.drop_search(conn, name, person.name))
