"""Exports: two never collide, the same is not written twice, and what cannot be written waits."""

import asyncio
import datetime as dt
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from loricate.records import ledger, outbox, papers
from loricate.records.kept_files import keep_file
from loricate.records.ledger import LedgerEntry
from loricate.records.store import Store
from loricate.service.exporting import Exporter
from loricate.service.paper_making import EXPORT
from loricate.service.sending import Sender
from loricate.service.site_file import ExportsPlan

FACTS = {"serial": "A-1", "verdict": "pass", "date": "2026-11-25", "number": "C-1"}


def test_another_document_gets_another_name_and_the_same_one_none(tmp_path: Path) -> None:
    store = Store(tmp_path / "r.sqlite")
    plan = ExportsPlan(folder="out", name="{serial}", forms=("pdf",))
    exporter = Exporter(plan, tmp_path, store)
    (first,) = exporter.write(FACTS, {"pdf": b"one"})
    (again,) = exporter.write(FACTS, {"pdf": b"one"})
    (second,) = exporter.write(FACTS, {"pdf": b"two"})
    assert first == again == tmp_path / "out" / "A-1.pdf"
    assert (second.name, second.read_bytes(), first.read_bytes()) == ("A-1-2.pdf", b"two", b"one")


class Line:
    """Records with one document, and what sends it to a folder that the test can block."""

    def __init__(self, folder: Path) -> None:
        self.store = Store(folder / "data" / "records.sqlite")
        plan = ExportsPlan(folder="out", name="{serial}", forms=("pdf", "json"))
        self.exporter, self.out = Exporter(plan, folder, self.store), folder / "out"
        paper = keep_file(self.store.papers, b"paper")
        entry = LedgerEntry(
            1, "C-2026-000001", "certificate", None, "A-1", "", "2026-11-25T08:00:00Z", "d", "p",
            "h", "sealed",
        )  # fmt: skip

        def issue(conn: sqlite3.Connection) -> None:
            ledger.add_entry(conn, entry)
            papers.add_paper(conn, entry.number, paper, "")
            outbox.add_outgoing(conn, EXPORT, entry.number, FACTS)

        self.store.write_now(issue)

    async def sent_within(self, seconds: float, done: Callable[[outbox.Outgoing], bool]) -> None:
        """Send until the entry is as wanted."""
        sender = Sender(self.store)
        sender.add(EXPORT, self.exporter.send)
        sender.open()
        try:
            async with asyncio.timeout(seconds):
                while not done(self.entry()):
                    self.store.write_now(outbox.try_all_now)
                    sender.look()
                    await asyncio.sleep(0)
        finally:
            await sender.close()

    def entry(self) -> outbox.Outgoing:
        (found,) = self.store.read_now(lambda conn: outbox.list_outgoing(conn, 10))
        return found


@pytest.fixture
def line(tmp_path: Path) -> Iterator[Line]:
    line = Line(tmp_path)
    yield line
    line.store.close()


async def test_what_cannot_be_written_waits_and_is_sent_when_it_can(line: Line) -> None:
    line.out.write_text("a file where the folder should be", encoding="utf-8")
    await line.sent_within(20, lambda entry: entry.tries > 1)
    waiting = line.entry()
    assert waiting.sent_at is None and "out" in waiting.problem
    assert line.store.read_now(outbox.count_waiting) == 1
    line.out.unlink()
    await line.sent_within(20, lambda entry: entry.sent_at is not None)
    assert sorted(each.name for each in line.out.iterdir()) == ["A-1.json", "A-1.pdf"]
    assert line.entry().problem == "" and line.store.read_now(outbox.count_waiting) == 0


async def test_a_service_that_died_before_it_said_so_writes_nothing_twice(line: Line) -> None:
    line.exporter.write(FACTS, {"pdf": b"paper", "json": b"sealed"})
    await line.sent_within(20, lambda entry: entry.sent_at is not None)
    assert sorted(each.name for each in line.out.iterdir()) == ["A-1.json", "A-1.pdf"]


async def test_a_paper_that_was_changed_is_not_exported(line: Line) -> None:
    (kept,) = (path for path in line.store.papers.rglob("*") if path.is_file())
    kept.write_bytes(b"another")
    await line.sent_within(20, lambda entry: entry.problem != "")
    assert "gone or was changed" in line.entry().problem and not line.out.exists()


async def test_a_site_that_exports_no_more_says_what_waits(line: Line, tmp_path: Path) -> None:
    line.exporter = Exporter(None, tmp_path, line.store)
    await line.sent_within(20, lambda entry: entry.problem != "")
    assert "names no folder for exports" in line.entry().problem


def fail(conn: sqlite3.Connection) -> None:
    outbox.set_problem(conn, outbox.list_outgoing(conn, 1)[0], "the disk is full")


def test_what_is_put_off_is_tried_less_and_less_often(line: Line) -> None:
    waits = []
    for _ in range(12):
        line.store.write_now(
            lambda conn: outbox.set_problem(conn, outbox.list_outgoing(conn, 1)[0], "full")
        )
        entry = line.entry()
        waits.append(dt.datetime.fromisoformat(entry.next_try_at) - dt.datetime.now(dt.UTC))
    assert waits == sorted(waits) or waits[-1] <= dt.timedelta(seconds=outbox.LONGEST_WAIT_S)
    assert waits[0] < dt.timedelta(seconds=5) < waits[4]


def test_a_faulty_name_is_refused_in_the_site_file() -> None:
    with pytest.raises(ValueError, match=r"placeholder \{colour\}"):
        ExportsPlan(folder="out", name="{colour}-{serial}")
