"""What goes is what is due and no more, and everything else says the same as before."""

import datetime as dt
import random
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from drill.cells import change_cells
from hypothesis import given
from hypothesis import strategies as st

from loricate.certificates.content import used_instruments
from loricate.core.searching import Span, UnitSearch
from loricate.records import (
    attempts,
    carrying,
    lots,
    marks,
    outbox,
    regrading,
    retention,
    runs,
    searching,
)
from loricate.records.packing import PackRefused
from loricate.records.retention import Due, Rule
from loricate.records.store import atomic, open_connection
from loricate.records.yields import By, count_yields
from tests.records.searched import ZONE, Filled
from tests.records.test_carrying import Bench, Hall

RULES = (Rule("DC-40", 2),)
LATER = dt.date(2029, 1, 1)
WHY = "two years, quality manual 4.2"


@pytest.fixture
def old(tmp_path: Path, filled: Filled) -> Iterator[Bench]:
    """Records of 2026, of runs that are over or not, to be changed; nothing waits in the outbox."""
    made = Bench(tmp_path / "old.sqlite", filled)
    with atomic(made.conn) as conn:
        conn.execute(
            "UPDATE run SET state = 'aborted',"
            " ended_at = coalesce(ended_at, started_at, created_at)"
        )
        conn.execute(
            "UPDATE run SET state = 'running', ended_at = NULL WHERE id IN"
            " (SELECT id FROM run ORDER BY id DESC LIMIT 4)"
        )
        marks.mark_touched(conn)
    yield made
    made.conn.close()


def path_of(old: Bench) -> Path:
    return Path(old.conn.execute("PRAGMA database_list").fetchone()["file"])


def due_in(conn: sqlite3.Connection, today: dt.date = LATER, carry: bool = False) -> list[Due]:
    return retention.find_due(conn, RULES, today, carry)


def let_go(conn: sqlite3.Connection, due: list[Due]) -> None:
    with atomic(conn):
        assert retention.let_go(conn, due, WHY, "ines") == due
        assert marks.mark_touched(conn) == []


def faults(conn: sqlite3.Connection) -> list[str]:
    return [
        *marks.faults(conn), *searching.strays(conn), *retention.strays(conn),
        *regrading.disagreeing(conn),
    ]  # fmt: skip


def told(conn: sqlite3.Connection) -> dict[str, Any]:
    """What is said of the units when nobody asks for a reading."""
    said: dict[str, Any] = {
        by: count_yields(conn, UnitSearch(), Span(), by, ZONE) for by in (By.DAY, By.LOT, By.NEST)
    }
    said["sought"] = sorted(tuple(row) for row in conn.execute("SELECT * FROM sought"))
    said["attempts"] = [
        tuple(row) for row in conn.execute("SELECT * FROM attempt ORDER BY 1, 2, 3")
    ]
    said["faults"] = [tuple(row) for row in conn.execute("SELECT * FROM fault ORDER BY 1, 2, 3, 4")]
    said["remarks"] = [tuple(row) for row in conn.execute("SELECT * FROM remark ORDER BY id")]
    return said


@given(
    ended=st.dates(dt.date(2000, 1, 1), dt.date(2060, 1, 1))
    | st.sampled_from([dt.date(2020, 2, 28), dt.date(2020, 2, 29), dt.date(2023, 2, 28)]),
    years=st.integers(1, 40),
    after=st.integers(-3, 3),
)
def test_nothing_is_due_before_its_last_day_is_over(ended: dt.date, years: int, after: int) -> None:
    """The same day so many years later is still its time, 28 February for the 29th."""
    try:
        last = ended.replace(year=ended.year + years)
    except ValueError:
        last = ended.replace(year=ended.year + years, day=28)
    today = last + dt.timedelta(days=after)
    is_due = f"{ended.isoformat()}T23:59:59.999Z" < Rule("X", years).cutoff(today)
    assert is_due is (after > 0)


def test_what_is_due_is_what_has_ended_long_enough_ago_and_was_measured(old: Bench) -> None:
    found = due_in(old.conn)
    assert found == sorted(found, key=lambda each: (each.ended_at, each.id))
    expected = {
        str(row[0])
        for row in old.conn.execute(
            "SELECT DISTINCT run_unit_id FROM reading JOIN run_unit ON run_unit.id = run_unit_id"
            " JOIN run ON run.id = run_id WHERE run.state <> 'running'"
        )
    }
    assert {each.id for each in found} == expected and len(expected) > 20
    assert retention.find_due(old.conn, (Rule("CL-7", 1),), LATER, False) == []
    assert due_in(old.conn, dt.date(2028, 10, 31)) == []
    middle = due_in(old.conn, dt.date(2028, 11, 6))
    assert 0 < len(middle) < len(found) and middle == found[: len(middle)]


def test_what_was_measured_goes_and_everything_else_says_the_same(old: Bench) -> None:
    before, found = told(old.conn), due_in(old.conn)
    some = random.Random(7).sample(found, len(found) // 2)
    sizes = retention.sizes_of(old.conn, some)
    instruments = {
        each.id: {
            str(row[0])
            for row in old.conn.execute(
                "SELECT DISTINCT instrument FROM reading WHERE run_unit_id = ?", (each.id,)
            )
        }
        for each in some
    }
    let_go(old.conn, some)
    assert told(old.conn) == before and faults(old.conn) == []
    assert due_in(old.conn) == [each for each in found if each not in some]
    assert sum(readings for readings, _ in sizes.values()) > 0
    for each in some:
        assert retention.sizes_of(old.conn, [each]) == {each.id: (0, 0)}
        unit = runs.get_unit_in_run(old.conn, each.run_id, each.nest)
        assert unit["let_go_by"] == "ines" and unit["attempts"], "that it was tested stays"
        used = {"id": "HV1"}, {"id": "HV2"}, {"id": "GB1"}
        read_by = {str(one["id"]) for one in used_instruments(used, unit)}
        assert read_by == instruments[each.id], "and with what"
        assert not any(one.is_measured for one in unit["attempts"]), "and certifies nothing again"
    let_go(old.conn, [each for each in found if each not in some])
    assert told(old.conn) == before and faults(old.conn) == [] and due_in(old.conn) == []


def test_nothing_goes_unless_it_was_written_down_and_nothing_comes_after(old: Bench) -> None:
    first, second = due_in(old.conn)[:2]
    for table in ("reading", "curve", "attempt"):
        count = f"SELECT count(*) FROM {table} WHERE run_unit_id = ?"
        if old.conn.execute(count, (first.id,)).fetchone()[0]:
            with pytest.raises(sqlite3.IntegrityError, match="append-only"), atomic(old.conn):
                old.conn.execute(f"DELETE FROM {table} WHERE run_unit_id = ?", (first.id,))
    (made,) = attempts.attempts_of(old.conn, second.id, {})[:1]
    let_go(old.conn, [first])
    with pytest.raises(sqlite3.IntegrityError, match="was let go"), atomic(old.conn):
        attempts.add_attempt(old.conn, first.id, made)
    for change in ("UPDATE let_go SET reason = ''", "DELETE FROM let_go"):
        with pytest.raises(sqlite3.IntegrityError, match="does not come back"), atomic(old.conn):
            old.conn.execute(change)
    assert faults(old.conn) == []


def test_who_has_the_file_cannot_pass_off_what_they_took_as_let_go(old: Bench) -> None:
    """Each by itself is found: to delete, to write that it went, and to put something in again."""
    first, second = due_in(old.conn)[:2]
    row = dict(
        old.conn.execute("SELECT * FROM reading WHERE run_unit_id = ?", (first.id,)).fetchone()
    )
    let_go(old.conn, [first])
    with closing(open_connection(path_of(old))) as conn:
        for statement, values in (
            (
                "INSERT INTO let_go VALUES (?, 'DC-40', 2, 1, 0, '[]', 'old', 'ines', '2029')",
                (second.id,),
            ),
            (
                f"INSERT INTO reading ({', '.join(row)}) VALUES ({', '.join('?' * len(row))})",
                tuple(row.values()),
            ),
            ("UPDATE attempt SET verdict = 'pass' WHERE run_unit_id = ?", (first.id,)),
            ("DELETE FROM attempt WHERE run_unit_id = ?", (first.id,)),
            ("UPDATE let_go SET readings = readings + 1 WHERE run_unit_id = ?", (first.id,)),
        ):
            conn.execute("BEGIN")
            for (name,) in conn.execute(
                "SELECT name FROM sqlite_master WHERE type = 'trigger'"
            ).fetchall():
                conn.execute(f"DROP TRIGGER {name}")
            assert conn.execute(statement, values).rowcount >= 1
            found = list(marks.faults(conn))
            conn.execute("ROLLBACK")
            assert found, statement


def test_what_went_is_in_the_file_no_more(old: Bench) -> None:
    (some,) = due_in(old.conn)[:1]
    with atomic(old.conn) as conn:
        conn.execute("DROP TRIGGER reading_is_final")
        conn.execute("UPDATE reading SET point = 'known-by-this' WHERE run_unit_id = ?", (some.id,))
        marks.mark_touched(conn)

    def is_in_the_file() -> bool:
        old.conn.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        return b"known-by-this" in path_of(old).read_bytes()

    assert is_in_the_file()
    let_go(old.conn, [some])
    assert not is_in_the_file()


def test_any_cell_of_what_is_left_and_of_what_says_that_it_went_is_found(old: Bench) -> None:
    let_go(old.conn, due_in(old.conn))
    found = change_cells(path_of(old), 4, 15, lambda text: None, ("let_go", "attempt", "fault"))
    assert found.missed == [] and found.tried["let_go"] > 20 and found.tried["attempt"] > 20


def test_what_somebody_has_changed_is_known_before_it_goes(old: Bench) -> None:
    found = due_in(old.conn)[:3]
    marked = retention.marks_of(old.conn, found)
    assert all(retention.is_as_stored(old.conn, each.id, marked[each.id]) for each in found)
    with closing(open_connection(path_of(old))) as conn, atomic(conn):
        conn.execute("DROP TRIGGER reading_is_final")
        conn.execute("UPDATE reading SET value = 1e-9 WHERE run_unit_id = ?", (found[0].id,))
        conn.execute("DROP TRIGGER attempt_stays")
        conn.execute("DROP TRIGGER reading_stays")
        conn.execute("DELETE FROM reading WHERE run_unit_id = ?", (found[1].id,))
        conn.execute("DELETE FROM attempt WHERE run_unit_id = ?", (found[1].id,))
    assert [retention.is_as_stored(old.conn, each.id, marked[each.id]) for each in found] == [
        False,
        False,
        True,
    ]


def test_what_is_needed_still_is_held(old: Bench) -> None:
    found = due_in(old.conn)
    lot_of = {row["id"]: row["lot"] for row in old.conn.execute("SELECT id, lot FROM run")}
    in_lot = next(each for each in found if lot_of[each.run_id])
    waiting = next(each for each in found if not lot_of[each.run_id] and each.serial == "xC_3")
    missing = next(
        each for each in found
        if each.run_id not in (in_lot.run_id, waiting.run_id) and not lot_of[each.run_id]
    )  # fmt: skip
    with atomic(old.conn) as conn:
        lots.add_lot(conn, lot_of[in_lot.run_id], "DC-40", 10, "", "", "mara")
        facts = {"kind": "test", "body": "{}"}
        outbox.add_message(conn, "works", "xC_3", "xC_3", facts)
        conn.execute("UPDATE run SET state = 'finished' WHERE id = ?", (missing.run_id,))
        marks.mark_touched(conn)
    held = {each.id: each.held for each in due_in(old.conn)}
    assert "is open" in held[in_lot.id] and "outbox" in held[waiting.id]
    assert "still to be issued" in held[missing.id]
    assert "" in held.values()


def test_what_the_service_that_keeps_all_has_not_got_is_held(old: Bench) -> None:
    found = due_in(old.conn, carry=True)
    assert {each.held[:25] for each in found} == {"It has not been carried t"}
    receipt = carrying.Receipt("site", "Hall", carrying.ends_of(old.conn), "now")
    with atomic(old.conn) as conn:
        carrying.keep_receipt(conn, receipt, "mara")
    assert {each.held for each in due_in(old.conn, carry=True)} == {""}
    earlier = {**receipt.ends, "attempt": (1, "")}
    first = old.conn.execute(
        "SELECT hash FROM mark WHERE kind = 'attempt' AND position = 1"
    ).fetchone()
    earlier["attempt"] = (1, first["hash"])
    with atomic(old.conn) as conn:
        carrying.keep_receipt(conn, carrying.Receipt("site", "Hall", earlier, "now"), "mara")
    assert sum(each.held == "" for each in due_in(old.conn)) <= 1, "whoever named it"


def test_the_service_that_keeps_all_keeps_what_a_bench_lets_go(old: Bench, tmp_path: Path) -> None:
    hall = Hall(tmp_path / "hall.sqlite", old)
    for each in old.days:
        hall.take(*each)
    hall.take(*old.carry_out())
    kept = {
        table: hall.conn.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
        for table in ("reading", "attempt")
    }
    gone = due_in(old.conn)[:10]
    let_go(old.conn, gone)
    since = old.carry_out()
    taken = hall.take(*since)
    assert taken.records > 0 and hall.faults() == []
    for table, count in kept.items():
        assert hall.conn.execute(f"SELECT count(*) FROM {table}").fetchone()[0] == count
    unit = runs.get_unit_in_run(hall.conn, gone[0].run_id, gone[0].nest)
    assert unit["attempts"][0].grade.readings and unit["let_go_at"] is None, "it went there only"
    assert list(regrading.disagreeing(hall.conn)) == [] == list(retention.strays(hall.conn))
    assert hall.take(*since).records == 0, "a file may come again"
    # Another that never had them takes what there is now.
    other = Hall(tmp_path / "other.sqlite", old)
    other.take(*old.carry_out({}))
    assert other.faults() == [] == list(retention.strays(other.conn))
    other.conn.close()
    hall.conn.close()


def test_an_attempt_that_comes_without_its_readings_must_have_been_let_go(
    old: Bench, tmp_path: Path
) -> None:
    """A bench that merely loses them, and marks that, is refused."""
    hall = Hall(tmp_path / "hall.sqlite", old)
    hall.take(*old.carry_out({}))
    (some,) = due_in(old.conn)[:1]
    with atomic(old.conn) as conn:
        conn.execute("DROP TRIGGER reading_stays")
        conn.execute("DELETE FROM reading WHERE run_unit_id = ?", (some.id,))
        marks.mark_touched(conn)
    with pytest.raises(PackRefused, match="is not what its bench has marked"):
        hall.take(*old.carry_out())
    assert hall.faults() == []
    hall.conn.close()
