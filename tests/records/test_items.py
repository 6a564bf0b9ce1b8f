"""Items: one of a sort is open at a time, and each has one end."""

import datetime as dt
import sqlite3

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.core.trends.flags import Flag
from loricate.records import items
from loricate.records.errors import NotFound
from loricate.records.store import atomic

BEFORE, AFTER = "2026-01-01T00:00:00.000Z", "2100-01-01T00:00:00.000Z"


def flag(what: str = "beyond", begins_at: str = BEFORE, lasts: bool = False) -> Flag:
    return Flag(what, f"{what} seen", begins_at, lasts)


def raised(conn: sqlite3.Connection, *flags: Flag, about: str = "Insulation") -> int:
    with atomic(conn):
        return len(items.raise_flags(conn, about, flags, "/trends", "mara"))


def ended(conn: sqlite3.Connection, how: items.End = "acted_on") -> None:
    with atomic(conn):
        for each in items.list_items(conn, 100, state="open"):
            items.end_item(conn, each.id, how, "done", "ines")


def test_a_flag_is_an_item_once(conn: sqlite3.Connection) -> None:
    assert raised(conn, flag(), flag("side")) == 2
    assert raised(conn, flag(), flag("side", AFTER)) == 0, "each is open already"
    assert raised(conn, flag(), about="Leakage") == 1, "of another trend it is another"
    assert [each.owner for each in items.list_items(conn, 10, state="open")] == ["mara"] * 3
    assert items.list_items(conn, 10, owner="ines") == []


def test_after_its_end_only_what_began_later_is_another(conn: sqlite3.Connection) -> None:
    raised(conn, flag())
    ended(conn)
    assert raised(conn, flag(begins_at=BEFORE)) == 0
    assert raised(conn, flag(begins_at=AFTER)) == 1
    states = [each.state for each in items.list_items(conn, 10)]
    assert states == ["open", "acted_on"]


def test_what_lasts_is_one_again_after_a_month(
    conn: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    raised(conn, flag("drift", lasts=True))
    ended(conn, "accepted")
    assert raised(conn, flag("drift", AFTER, lasts=True)) == 0
    later = dt.datetime.now(dt.UTC) + dt.timedelta(days=items.AGAIN_DAYS, hours=1)
    monkeypatch.setattr(items, "now", later.isoformat)
    assert raised(conn, flag("drift", lasts=True)) == 1


def test_an_item_has_one_end_and_stays(conn: sqlite3.Connection) -> None:
    with atomic(conn):
        made = items.raise_item(conn, "FX-B/7", "Reads low", "", "ines", "olle")
    assert (made.owner, made.raised_by, made.state) == ("ines", "olle", "open")
    with atomic(conn):
        assert items.give_item(conn, made.id, "mara", "ines").owner == "mara"
    ended(conn)
    for change in ("UPDATE item SET note = 'other'", "DELETE FROM item"):
        with pytest.raises(sqlite3.IntegrityError), atomic(conn):
            conn.execute(change)
    with pytest.raises(sqlite3.IntegrityError), atomic(conn):
        items.give_item(conn, made.id, "olle", "ines")
    with pytest.raises(NotFound, match="item"):
        items.get_item(conn, "none")


def test_a_watch_is_kept_by_name_until_it_is_dropped(conn: sqlite3.Connection) -> None:
    with atomic(conn):
        items.keep_watch(conn, "Insulation", {"step": "a"}, "mara", "mara")
        items.keep_watch(conn, "insulation", {"step": "b"}, "ines", "mara")
    (kept,) = items.list_watches(conn)
    assert kept.asked == {"step": "b"} and kept.owner == "ines"
    with atomic(conn):
        items.drop_watch(conn, "INSULATION", "mara")
    with pytest.raises(NotFound, match="watch"):
        items.get_watch(conn, "Insulation")
    with pytest.raises(NotFound, match="watch"), atomic(conn):
        items.drop_watch(conn, "Insulation", "mara")


MOVES = st.lists(
    st.tuples(
        st.sampled_from(["flag", "end"]),
        st.sampled_from(["beyond", "drift"]),
        st.sampled_from([BEFORE, AFTER]),
    ),
    max_size=12,
)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(moves=MOVES)
def test_of_one_sort_one_is_open_whatever_happens(
    conn: sqlite3.Connection, moves: list[tuple[str, str, str]]
) -> None:
    ended(conn)  # those of the moves that were tried before
    for act, what, begins_at in moves:
        if act == "flag":
            raised(conn, flag(what, begins_at, what == "drift"))
        else:
            ended(conn)
        still = [each.what for each in items.list_items(conn, 100, state="open")]
        assert len(still) == len(set(still))
