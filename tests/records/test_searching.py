"""Searches: whatever is asked, what is found is what the records say, in order, on every page."""

import datetime as dt
import random
import sqlite3
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from loricate.core.measuring.grading import Verdict
from loricate.core.searching import Span, UnitSearch
from loricate.core.sequences.ready import ReadySequence
from loricate.records import (
    assets,
    kept_searches,
    runs,
    searching,
    sequences,
    upkeep,
)
from loricate.records.errors import NotFound
from loricate.records.store import atomic
from tests.records.searched import (
    AT,
    SEARCHES,
    ZONE,
    Filled,
    answers,
    put_in,
    stamp,
)


@settings(max_examples=100, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    asked=SEARCHES,
    size=st.integers(1, 30),
    plan=st.tuples(*[st.sampled_from([1, 3, 20, 1000])] * 4),
)
def test_a_search_finds_what_the_records_say_whichever_way_it_goes(
    filled: Filled,
    monkeypatch: pytest.MonkeyPatch,
    asked: dict[str, Any],
    size: int,
    plan: tuple[int, int, int, int],
) -> None:
    conn, known = filled.conn, filled.known
    for name, number in zip(("A_HANDFUL", "FEW", "NEWEST_FIRST", "PAGE"), plan, strict=True):
        monkeypatch.setattr(searching, name, number)
    for name in ("LOOKUP", "MORE"):
        monkeypatch.setattr(searching, name, 2)
    search = UnitSearch(**asked)
    span = search.span(ZONE, AT)
    wanted = [each for each in known if answers(each, search, span)]
    wanted.sort(key=lambda each: (each.begun, each.id), reverse=True)
    found, last = list[str](), ""
    for _ in range(len(known) + 2):
        page = searching.find_units(conn, search, span, size, last)
        found += [str(row["id"]) for row in page]
        if len(page) < size:
            break
        last = page[-1]["cursor"]
    assert found == [each.id for each in wanted]
    counts = searching.count_units(conn, search, span)
    assert counts == {each: sum(one.facts["verdict"] == each for one in wanted) for each in Verdict}


def test_what_is_searched_is_what_is_recorded_and_a_change_from_outside_shows(
    filled: Filled,
) -> None:
    conn = filled.conn
    assert list(searching.strays(conn)) == []
    with pytest.raises(ZeroDivisionError), atomic(conn):
        for table, change in (
            ("sought", "UPDATE sought SET verdict = 'pass' WHERE verdict = 'fail'"),
            ("sought", "DELETE FROM sought WHERE nest = '10'"),
            ("said", "UPDATE said SET text = 'nothing'"),
            ("unit_name", "DELETE FROM unit_name WHERE serial = 'AB-1'"),
        ):
            conn.execute("SAVEPOINT before")
            assert conn.execute(change).rowcount > 0, table
            assert next(searching.strays(conn)).startswith("What is searched of ")
            conn.execute("ROLLBACK TO before")
        _ = 1 / 0  # nothing of it stays


def test_however_many_names_there_are_each_is_found(
    conn: sqlite3.Connection, sequence: ReadySequence, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is offered to pick from has an end; what is looked for has none."""
    put_in(conn, sequence, random.Random(16))
    search = [UnitSearch(failed="*"), UnitSearch(failed="withstand"), UnitSearch(instrument="W*")]
    wanted = [searching.count_units(conn, each, Span()) for each in search]
    assert all(sum(each.values()) for each in wanted)
    monkeypatch.setattr(searching, "MOST_NAMES", 0)
    monkeypatch.setattr(searching, "MOST_TERMS", 0)
    assert [searching.count_units(conn, each, Span()) for each in search] == wanted


@pytest.mark.parametrize("serial", ["S", 'A"B', "AB-1 x", "Ä-7", "LONG-SERIAL-0119"])
def test_a_unit_that_is_given_a_number_is_found_by_it(
    conn: sqlite3.Connection, serial: str
) -> None:
    for each in (serial, f"{serial}9"):
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": each}, {}, "0", "mara")
    for number in ("RB-1041", "RB-2042"):
        assets.describe(conn, "mara", number, "DC-40", serial, "Hangar 3")
        found = searching.find_units(conn, UnitSearch(serial=f"*{number[3:]}"), Span(), 5)
        assert [each["serial"] for each in found] == [serial]
    assert list(searching.strays(conn)) == []


def test_an_instrument_that_a_run_has_no_more_is_not_searched_for(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    put_in(conn, sequence, random.Random(17))
    for row in conn.execute("SELECT id FROM run").fetchall():
        runs.set_bench(conn, row["id"], {})
    assert list(searching.strays(conn)) == []


def test_the_page_that_follows_is_the_same_whatever_came_since(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    for number in range(6):
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": f"S-{number}"}, {}, "0", "m")
    first = searching.find_units(conn, UnitSearch(), Span(), 3)
    runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "S-new"}, {}, "0", "m")
    runs.set_state(conn, first[-1]["run_id"], "running", "mara")  # the cursor's own moves up
    rest = searching.find_units(conn, UnitSearch(), Span(), 9, first[-1]["cursor"])
    assert [each["serial"] for each in (*first, *rest)] == [f"S-{n}" for n in (5, 4, 3, 2, 1, 0)]


def test_since_contacts_were_renewed(conn: sqlite3.Connection) -> None:
    search = UnitSearch(fixture="FX-A", nest="1", since_renewal=True)
    old, new = (
        runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": each}, {}, "0", "mara")
        for each in ("old", "new")
    )
    runs.set_state(conn, old, "running", "mara")
    runs.set_state(conn, old, "finished", "mara")
    conn.execute("UPDATE run SET created_at = '2026-01-01T00:00:00.000Z' WHERE id = ?", (old,))
    for column in ("started_at", "ended_at"):
        conn.execute(f"UPDATE run SET {column} = '2026-01-01T00:00:00.000Z' WHERE id = ?", (old,))

    def found() -> list[str]:
        return [each["serial"] for each in searching.find_units(conn, search, Span(), 5)]

    assert found() == ["new", "old"], "they never were"
    upkeep.add_service(conn, "FX-A", "worn", "mara")
    assert found() == []
    runs.set_state(conn, new, "running", "mara")
    assert found() == ["new"]


def test_a_revision_of_a_limit_set_finds_what_rests_on_it(conn: sqlite3.Connection) -> None:
    runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "S"}, {}, "0", "mara")
    (code, revision), *_ = sequences.get_sequence(conn, "DC40-FINAL", 1).limit_revisions.items()

    def found(**asked: Any) -> int:
        search = UnitSearch(**asked)
        count = sum(searching.count_units(conn, search, Span()).values())
        assert len(searching.find_units(conn, search, Span(), 5)) == count
        return count

    assert found(limit_set=code) == found(limit_set=code, limit_revision=revision) == 1
    assert found(limit_set=code, limit_revision=revision + 1) == found(limit_set="none") == 0


@pytest.mark.parametrize(
    ("asked", "told"),
    [
        ({"since": "yesterday"}, "is no time; write a day"),
        ({"since": "2026-11-26T10:00"}, "has no offset from UTC"),
        ({"until": "2026-02-30"}, "is no time"),
        ({"since": "999999 d"}, "lies too far back"),
        ({"revision": 2}, "give sequence as well"),
        ({"limit_revision": 2}, "give limit_set as well"),
        ({"since_renewal": True}, "give fixture as well"),
        ({"since_renewal": True, "fixture": "FX-*"}, r"without \* and \?"),
        ({"since_renewal": True, "fixture": "FX-A", "since": "7d"}, "exclude each other"),
        ({"said": "!?"}, "has no word in it"),
        ({"verdict": ["passed"]}, "Input should be"),
        ({"verdit": ["pass"]}, "Extra inputs"),
    ],
)
def test_what_cannot_be_looked_for_is_told(asked: dict[str, Any], told: str) -> None:
    with pytest.raises(ValidationError, match=told):
        UnitSearch(**asked)


def test_days_are_those_of_the_site() -> None:
    search = UnitSearch(since="2026-11-03", until="2026-11-03")
    assert search.span(ZONE, AT) == Span("2026-11-02T23:00:00.000Z", "2026-11-03T23:00:00.000Z")
    assert UnitSearch(since="2 d").span(ZONE, AT).since == stamp(AT - dt.timedelta(days=2))
    assert UnitSearch(until="9999-12-31").span(ZONE, AT).until == "9999", "no day after it"


def test_a_search_is_kept_by_name_until_it_is_dropped(conn: sqlite3.Connection) -> None:
    for search in (UnitSearch(lot="L-*"), UnitSearch(verdict=["fail"], since="7 d")):
        kept_searches.keep_search(conn, "This week", search.asked(), "mara")
    (kept,) = kept_searches.list_searches(conn)
    assert UnitSearch(**kept.search) == UnitSearch(verdict=["fail"], since="7 d")
    assert kept_searches.get_search(conn, "THIS WEEK") == kept, "case does not count"
    kept_searches.drop_search(conn, "this week", "mara")
    with pytest.raises(NotFound, match="kept search 'this week'"):
        kept_searches.get_search(conn, "this week")
    with pytest.raises(NotFound, match="kept search 'this week'"):
        kept_searches.drop_search(conn, "this week", "mara")
