"""Rows that are carried: whatever the pieces they come in, what stands there is what was here."""

import io
import json
import random
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from drill.cells import change_cells
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.records import carrying, marks, remarks, runs, searching, sites
from loricate.records.carrying import CameIn, Ends, Manifest, OtherChain, TakenIn, TakingIn
from loricate.records.packing import PackRefused
from loricate.records.store import SiteOf, atomic, migrate, open_connection
from tests.records.searched import Filled

DAYS, SPOILT = 4, 12


class Bench:
    """Records of a bench that grow day after day, and the lines that were carried each day."""

    def __init__(self, path: Path, filled: Filled) -> None:
        migrate(path)
        with closing(sqlite3.connect(path)) as into:
            filled.conn.backup(into)
        self.conn = open_connection(path)
        with atomic(self.conn):
            marks.mark_all(self.conn)
        marks.watch(self.conn)
        self.site = SiteOf(*sites.site_of(self.conn))
        self.units = [each.id for each in filled.known]
        self.ends: list[Ends] = [{}]
        self.days: list[tuple[Manifest, list[str]]] = []
        self.carry_out()
        for day in range(DAYS - 1):
            self.work(day)
            self.carry_out()

    def work(self, day: int) -> None:
        """Something is added, and something is another than it was."""
        with atomic(self.conn) as conn:
            remarks.add_remark(conn, self.units[day], "", f"seen on day {day}", None, "mara")
            conn.execute(
                "UPDATE run SET note = ? WHERE id = (SELECT min(id) FROM run)", (str(day),)
            )
            load = {"1": "AB-1", "2": f"NEW-{day}"}
            bench = {"instruments": [], "code": "BENCH-2"}
            runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", load, bench, "0", "olle")
            marks.mark_touched(conn)

    def carry_out(self, begins: Ends | None = None) -> tuple[Manifest, list[str]]:
        begins, out = self.ends[-1] if begins is None else begins, io.StringIO()
        written = carrying.write_records(self.conn, begins, out)
        manifest = Manifest(
            carrying.FORMAT, self.site.id, self.site.since, "Quillmere", "BENCH-2",
            marks.version_of(self.conn), "now", begins, written.ends, {}, 0, {},
        )  # fmt: skip
        self.ends.append(written.ends)
        self.days.append((manifest, out.getvalue().splitlines()))
        return self.days[-1]


class Hall:
    """Records that come in."""

    def __init__(self, path: Path, bench: Bench) -> None:
        self.path = path
        migrate(path, site=bench.site)
        self.conn = open_connection(path)
        marks.watch(self.conn)

    def take(self, manifest: Manifest, lines: list[str]) -> TakenIn:
        with atomic(self.conn) as conn:
            taking = TakingIn(conn, manifest)
            taken = taking.take(lines)
            came = CameIn("", "BENCH-2", "", "", "", *(0, 0, 0), "", "")
            carrying.keep_file_in(conn, came, "", taking.ends)
            assert not marks.mark_touched(conn)
        return taken

    def faults(self) -> list[str]:
        return [
            *marks.faults(self.conn), *searching.strays(self.conn), *carrying.mark_faults(self.conn)
        ]  # fmt: skip


@pytest.fixture(scope="module")
def bench(tmp_path_factory: pytest.TempPathFactory, filled: Filled) -> Iterator[Bench]:
    made = Bench(tmp_path_factory.mktemp("bench") / "r.sqlite", filled)
    yield made
    made.conn.close()


def rows_of(conn: sqlite3.Connection) -> dict[str, list[tuple[Any, ...]]]:
    tables = {table for kind in carrying.KINDS for table in marks.MARKED[kind].tables}
    return {
        table: sorted((tuple(row) for row in conn.execute(f"SELECT * FROM {table}")), key=repr)
        for table in (*sorted(tables), "sought")
    }


@settings(
    max_examples=5, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    late=st.lists(st.integers(0, DAYS - 1), max_size=4),
    skips=st.booleans(),
    seed=st.integers(0, 2**16),
)
def test_files_may_come_again_late_or_as_one_and_all_of_it_stands_once(
    late: list[int],
    skips: bool,
    seed: int,
    bench: Bench,
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    hall = Hall(tmp_path_factory.mktemp("hall") / "r.sqlite", bench)
    pick = random.Random(seed)
    try:
        everything = bench.carry_out({})
        bench.days.pop(), bench.ends.pop()
        if skips:
            hall.take(*everything)
        for day, file in enumerate(bench.days):
            taken = hall.take(*file)
            assert (taken == TakenIn()) is skips
            for each in late:
                if each <= day and pick.random() < 0.5:
                    assert hall.take(*bench.days[each]) == TakenIn()
        assert hall.take(*everything) == TakenIn()
        assert rows_of(hall.conn) == rows_of(bench.conn)
        assert hall.faults() == []
    finally:
        hall.conn.close()


def test_a_line_that_is_missing_changed_or_added_is_refused(bench: Bench, tmp_path: Path) -> None:
    """Even by whoever can sign for it: each record has its mark, each mark its place."""
    hall, pick = Hall(tmp_path / "r.sqlite", bench), random.Random(15)
    for manifest, lines in bench.days:
        before = rows_of(hall.conn)
        for _ in range(SPOILT):
            spoilt, at = list(lines), pick.randrange(len(lines))
            told = json.loads(spoilt.pop(at))
            how = pick.choice(("missing", "changed", "twice"))
            if how == "changed":
                _spoil(told, pick)
                spoilt.insert(at, json.dumps(told))
            elif how == "twice" and "mark" in told:
                told["mark"][1] = manifest.ends[told["mark"][0]][0] + 1
                spoilt += [lines[at], json.dumps(told)]
            with pytest.raises((PackRefused, sqlite3.IntegrityError)):
                hall.take(manifest, spoilt)
        assert rows_of(hall.conn) == before and hall.faults() == []
        hall.take(manifest, lines)
    hall.conn.close()


def _spoil(told: dict[str, Any], pick: random.Random) -> None:
    """Change one value of a mark, or one cell of a record that its digest has."""
    if "mark" in told:
        place = pick.randrange(1, len(told["mark"]))
        told["mark"][place] = _another(told["mark"][place])
        return
    but = marks.MARKED[told["kind"]].but
    rows = [row for rows in told["rows"].values() for row in rows]
    row = pick.choice(rows)
    name = pick.choice(sorted(row.keys() - set(but)))
    row[name] = _another(row[name])


def _another(value: Any) -> Any:
    if isinstance(value, int):
        return value + 1
    if isinstance(value, float):
        return value * 1.5 + 1
    return f"{value or ''}~" if not isinstance(value, dict) else {"base64": "AAAA"}


def test_what_begins_after_something_that_never_came_is_refused(
    bench: Bench, tmp_path: Path
) -> None:
    hall = Hall(tmp_path / "r.sqlite", bench)
    hall.take(*bench.days[0])
    with pytest.raises(PackRefused, match="Something is missing before"):
        hall.take(*bench.days[2])
    hall.conn.close()


def test_a_bench_that_was_put_back_from_a_backup_is_not_taken_for_the_same(
    bench: Bench, filled: Filled, tmp_path: Path
) -> None:
    """Its chains part from what came before: neither side says that all is well."""
    folder = tmp_path / "again"
    folder.mkdir()
    with closing(open_connection(folder / "old.sqlite")) as copy:
        bench.conn.backup(copy)
    again = Bench.__new__(Bench)
    again.conn = open_connection(folder / "old.sqlite")
    marks.watch(again.conn)
    again.site, again.units, again.days = bench.site, bench.units, []
    again.ends = [bench.ends[-1]]
    hall = Hall(tmp_path / "r.sqlite", bench)
    for each in bench.days:
        hall.take(*each)
    bench.work(DAYS)
    hall.take(*bench.carry_out())
    known = bench.ends.pop()
    bench.days.pop()
    again.work(DAYS + 1)
    with pytest.raises(OtherChain):
        hall.take(*again.carry_out())
    with pytest.raises(OtherChain):
        hall.take(*again.carry_out({}))
    with pytest.raises(OtherChain):
        again.carry_out(known)
    receipt = carrying.Receipt("site", "Hall", known, "now")
    with pytest.raises(OtherChain):
        carrying.keep_receipt(again.conn, receipt, "mara")
    assert hall.faults() == []
    again.conn.close()
    hall.conn.close()


def test_a_cell_that_is_changed_in_what_was_carried_in_is_found(
    bench: Bench, tmp_path: Path
) -> None:
    hall = Hall(tmp_path / "r.sqlite", bench)
    for each in bench.days:
        hall.take(*each)
    hall.conn.close()
    found = change_cells(
        tmp_path / "r.sqlite", 3, 15, lambda text: None, ("carried", "carried_mark")
    )
    assert found.missed == [] and found.tried["carried_mark"] and found.tried["carried"]
