"""Items with their owners and ends, and trends that are looked at by themselves."""

import sqlite3
from dataclasses import asdict
from typing import Annotated, Literal

from fastapi import Path, Query

from loricate.api.items import ItemEnd, ItemOut, NewItem, NewOwner, WatchIn, WatchOut
from loricate.api.trends import TrendAsked
from loricate.core.errors import Finding
from loricate.records import accounts, items
from loricate.records.items import Item, Watch
from loricate.service.errors import NotReady, WrongState
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.sign_in import Auditor, Reader
from loricate.service.watching import address_of

router = make_router("", "items")
Name = Annotated[str, Path(min_length=1, max_length=60, examples=["Insulation of the DC-40"])]


def _out(item: Item) -> ItemOut:
    return ItemOut.model_validate(asdict(item))


def _watch_out(watch: Watch) -> WatchOut:
    address = address_of(TrendAsked.model_validate(watch.asked))
    return WatchOut(
        name=watch.name,
        trend=watch.asked,
        address=address,
        owner=watch.owner,
        account=watch.account,
        kept_at=watch.kept_at,
    )


def _known(conn: sqlite3.Connection, owner: str) -> str:
    """An owner who can do something; raises NotReady."""
    names = {each.name for each in accounts.list_accounts(conn) if each.closed_at is None}
    if owner not in names:
        message = f"'{owner}' is no account that is in use", "give the name of one."
        raise NotReady.because([Finding("owner", *message)])
    return owner


def _still_open(conn: sqlite3.Connection, item_id: str) -> None:
    item = items.get_item(conn, item_id)
    if item.state != "open":
        how = item.state.replace("_", " ")
        raise WrongState(f"It was {how} by {item.ended_by} at {item.ended_at}; raise another.")


@router.get("/items", response_model=list[ItemOut])
async def list_items(
    person: Reader,
    desk: TheDesk,
    page: APage,
    before: Before = "",
    state: Annotated[Literal["", "open", "ended"], Query()] = "",
    owner: Annotated[str, Query(max_length=64)] = "",
) -> list[ItemOut]:
    """Items, the newest first."""
    found = await desk.store.read(
        lambda conn: items.list_items(conn, page.look_for, before, state, owner)
    )
    return [_out(each) for each in page.cut(found, "before", lambda item: item.id)]


@router.post("/items", response_model=ItemOut, status_code=201)
async def raise_item(body: NewItem, person: Reader, desk: TheDesk) -> ItemOut:
    """Raise an item for what somebody has seen."""

    def keep(conn: sqlite3.Connection) -> Item:
        owner = _known(conn, body.owner or person.name)
        return items.raise_item(conn, body.about, body.text, body.address, owner, person.name)

    return _out(await desk.store.write(keep))


@router.get("/items/{item_id}", response_model=ItemOut)
async def show_item(item_id: str, person: Reader, desk: TheDesk) -> ItemOut:
    """An item."""
    return _out(await desk.store.read(lambda conn: items.get_item(conn, item_id)))


@router.post("/items/{item_id}/owner", response_model=ItemOut)
async def give_item(item_id: str, body: NewOwner, person: Auditor, desk: TheDesk) -> ItemOut:
    """Give an open item to another owner."""

    def keep(conn: sqlite3.Connection) -> Item:
        _still_open(conn, item_id)
        return items.give_item(conn, item_id, _known(conn, body.owner), person.name)

    return _out(await desk.store.write(keep))


@router.post("/items/{item_id}/end", response_model=ItemOut)
async def end_item(item_id: str, body: ItemEnd, person: Auditor, desk: TheDesk) -> ItemOut:
    """End an item: accepted as it is, or acted on; with a note of why, or of what was done."""

    def keep(conn: sqlite3.Connection) -> Item:
        _still_open(conn, item_id)
        return items.end_item(conn, item_id, body.how, body.note, person.name)

    return _out(await desk.store.write(keep))


@router.get("/watches", response_model=list[WatchOut])
async def list_watches(person: Reader, desk: TheDesk) -> list[WatchOut]:
    """The trends that are looked at by themselves."""
    return [_watch_out(each) for each in await desk.store.read(items.list_watches)]


@router.put("/watches/{name}", response_model=WatchOut)
async def keep_watch(name: Name, body: WatchIn, person: Auditor, desk: TheDesk) -> WatchOut:
    """Have a trend looked at by itself; it takes the place of one that had the name."""
    asked = body.trend.model_dump(mode="json", exclude_defaults=True)

    def keep(conn: sqlite3.Connection) -> Watch:
        owner = _known(conn, body.owner or person.name)
        return items.keep_watch(conn, name, asked, owner, person.name)

    kept = await desk.store.write(keep)
    await desk.watcher.look(kept.name)
    return _watch_out(kept)


@router.delete("/watches/{name}", status_code=204)
async def drop_watch(name: Name, person: Auditor, desk: TheDesk) -> None:
    """Look at a trend by itself no longer; its items stay."""
    await desk.store.write(lambda conn: items.drop_watch(conn, name, person.name))
