"""Items: what was seen in trends or by somebody, with an owner and an end; watched trends."""

import datetime as dt
import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from loricate.core.trends.flags import Flag
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now

AGAIN_DAYS = 30  # after which what lasts, and was accepted, is an item again
SERVICE = "service"
_ITEM = (
    "id, about, what, text, address, begins_at, owner, raised_by, raised_at, state, note, ended_by,"
    " ended_at"
)
End = Literal["accepted", "acted_on"]


@dataclass(frozen=True, slots=True)
class Item:
    """Something to be looked into. ``address`` is where in the console it is seen."""

    id: str
    about: str
    what: str
    text: str
    address: str
    begins_at: str
    owner: str
    raised_by: str
    raised_at: str
    state: str
    note: str
    ended_by: str
    ended_at: str


@dataclass(frozen=True, slots=True)
class Watch:
    """A trend that is looked at by itself; what is seen in it goes to its owner."""

    name: str
    asked: dict[str, Any]
    owner: str
    account: str
    kept_at: str


def raise_flags(
    conn: sqlite3.Connection, about: str, flags: Sequence[Flag], address: str, owner: str
) -> list[str]:
    """Make an item of each flag that is not one yet; gives their ids.

    Of one sort one is open at a time. After its end what began later is a new one; what lasts is
    one again after 30 days.
    """
    made = []
    for flag in flags:
        last = conn.execute(
            "SELECT state, ended_at FROM item WHERE about = ? AND what = ?"
            " ORDER BY id DESC LIMIT 1",
            (about, flag.what),
        ).fetchone()
        if last is None or _is_new(flag, last["state"], last["ended_at"]):
            made.append(
                _add(conn, (about, flag.what, flag.text, address, flag.begins_at, owner), SERVICE)
            )
    return made


def _is_new(flag: Flag, state: str, ended_at: str) -> bool:
    if state == "open":
        return False
    if flag.lasts:
        ended = dt.datetime.fromisoformat(ended_at)
        return dt.datetime.fromisoformat(now()) - ended > dt.timedelta(days=AGAIN_DAYS)
    return dt.datetime.fromisoformat(flag.begins_at) > dt.datetime.fromisoformat(ended_at)


def raise_item(
    conn: sqlite3.Connection, about: str, text: str, address: str, owner: str, account: str
) -> Item:
    """Make an item of what somebody has seen."""
    return get_item(conn, _add(conn, (about, "", text, address, now(), owner), account))


def _add(conn: sqlite3.Connection, values: tuple[str, ...], account: str) -> str:
    item_id = new_id()
    conn.execute(
        "INSERT INTO item (id, about, what, text, address, begins_at, owner, raised_by, raised_at)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (item_id, *values, account, now()),
    )
    audit.note(conn, account, "raise item", values[0], values[2])
    return item_id


def get_item(conn: sqlite3.Connection, item_id: str) -> Item:
    """An item; raises NotFound."""
    row = conn.execute(f"SELECT {_ITEM} FROM item WHERE id = ?", (item_id,)).fetchone()
    if row is None:
        raise NotFound("item", item_id)
    return Item(**row)


def list_items(
    conn: sqlite3.Connection, count: int, before: str = "", state: str = "", owner: str = ""
) -> list[Item]:
    """Items, the newest first; those before ``before``. ``state`` is open, ended or empty."""
    rows = conn.execute(
        f"SELECT {_ITEM} FROM item WHERE (?1 = '' OR id < ?1)"
        " AND (?2 = '' OR (state = 'open') = (?2 = 'open')) AND (?3 = '' OR owner = ?3)"
        " ORDER BY id DESC LIMIT ?4",
        (before, state, owner, count),
    )
    return [Item(**row) for row in rows]


def give_item(conn: sqlite3.Connection, item_id: str, owner: str, account: str) -> Item:
    """Give an open item to another owner; raises NotFound, and IntegrityError after its end."""
    get_item(conn, item_id)
    conn.execute("UPDATE item SET owner = ? WHERE id = ?", (owner, item_id))
    audit.note(conn, account, "give item", item_id, owner)
    return get_item(conn, item_id)


def end_item(conn: sqlite3.Connection, item_id: str, how: End, note: str, account: str) -> Item:
    """End an item: it was accepted as it is, or acted on; raises as ``give_item`` does."""
    get_item(conn, item_id)
    conn.execute(
        "UPDATE item SET state = ?, note = ?, ended_by = ?, ended_at = ? WHERE id = ?",
        (how, note, account, now(), item_id),
    )
    audit.note(conn, account, how.replace("_", " "), f"item {item_id}", note)
    return get_item(conn, item_id)


def keep_watch(
    conn: sqlite3.Connection, name: str, asked: dict[str, Any], owner: str, account: str
) -> Watch:
    """Have a trend looked at by itself, in the place of one of its name."""
    conn.execute(
        "INSERT OR REPLACE INTO watch (name, asked, owner, account, kept_at)"
        " VALUES (?, ?, ?, ?, ?)",
        (name, json.dumps(asked), owner, account, now()),
    )
    audit.note(conn, account, "watch trend", name, json.dumps(asked, ensure_ascii=False))
    return get_watch(conn, name)


def drop_watch(conn: sqlite3.Connection, name: str, account: str) -> None:
    """Look at a trend by itself no longer; its items stay. Raises NotFound."""
    if conn.execute("DELETE FROM watch WHERE name = ?", (name,)).rowcount == 0:
        raise NotFound("watch", name)
    audit.note(conn, account, "watch trend no longer", name)


def get_watch(conn: sqlite3.Connection, name: str) -> Watch:
    """A watched trend; raises NotFound."""
    row = conn.execute(
        "SELECT name, asked, owner, account, kept_at FROM watch WHERE name = ?", (name,)
    ).fetchone()
    if row is None:
        raise NotFound("watch", name)
    return _watch(row)


def list_watches(conn: sqlite3.Connection) -> list[Watch]:
    """All of them, by name."""
    rows = conn.execute("SELECT name, asked, owner, account, kept_at FROM watch ORDER BY name")
    return [_watch(row) for row in rows]


def _watch(row: sqlite3.Row) -> Watch:
    return Watch(**{**dict(row), "asked": json.loads(row["asked"])})
