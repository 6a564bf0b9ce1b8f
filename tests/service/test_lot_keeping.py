"""Summaries of lots that are closed: one comes, whoever dies, and whatever is in the way."""

import asyncio
import sqlite3
from collections.abc import AsyncIterator, Sequence
from pathlib import Path

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.records import ledger, lots, outbox, runs
from loricate.records.errors import NotFound
from loricate.records.ledger import LedgerEntry
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.exporting import Exporter
from loricate.service.head_keeping import HeadKeeper
from loricate.service.keyring import KeyFiles, Keyring
from loricate.service.ledger_keeping import Entering, LedgerKeeper, Sealed
from loricate.service.lot_keeping import SUMMARY, LotKeeper
from loricate.service.problems import WrongState
from loricate.service.sending import Sender
from loricate.service.workroom import Workroom

LOT = "L-1"


async def nothing(outgoing: Outgoing) -> None:
    """Papers are another test's."""


class Trouble(LedgerKeeper):
    """The way into the ledger, which the test can bar, or have die just before it is gone."""

    error: BaseException | None = None

    async def enter(self, entering: Sequence[Entering]) -> list[Sealed]:
        """Enter, unless something is in the way."""
        if self.error is not None:
            raise self.error
        return await super().enter(entering)


def add_lot(conn: sqlite3.Connection) -> None:
    """Open the lot."""
    lots.add_lot(conn, LOT, "DC-40", 3, "A-1..A-3", "", "mara")


class Site:
    """A lot in the records, and what keeps it."""

    def __init__(self, folder: Path) -> None:
        self.store = Store(folder / "r.sqlite")
        keys = Keyring(self.store, KeyFiles(folder), "Quillmere")
        heads = HeadKeeper(self.store, keys, "Quillmere", "BENCH-2", [folder])
        self.sealing = Workroom("sealing")
        self.sender = Sender(self.store, Exporter(None, folder), nothing, 1)
        self.keeper = Trouble(
            self.store, keys, heads, self.sender, self.sealing, ("Quillmere", "UTC"),
            "http://127.0.0.1",
        )  # fmt: skip
        self.lots = LotKeeper(self.store, self.keeper)
        self.sender.add(SUMMARY, self.lots.send)
        self.store.write_now(
            lambda conn: lots.add_lot(conn, LOT, "DC-40", 3, "A-1..A-3", "", "mara")
        )

    def summaries(self) -> list[LedgerEntry]:
        """What the ledger has."""
        return self.store.read_now(lambda conn: list(ledger.whole_ledger(conn)))

    def waiting(self) -> list[str]:
        """The lots whose summary is still to be issued."""
        found = self.store.read_now(lambda conn: outbox.list_outgoing(conn, 50, waiting=True))
        return [each.subject for each in found if each.target == SUMMARY]

    async def sent(self) -> None:
        """Let the outbox be sent until no summary waits."""
        self.sender.open()
        async with asyncio.timeout(20):
            while self.waiting():
                self.store.write_now(outbox.try_all_now)
                self.sender.look()
                await asyncio.sleep(0.01)


@pytest.fixture
async def site(tmp_path: Path, conn: sqlite3.Connection) -> AsyncIterator[Site]:
    """A site over a database with the demo's definitions."""
    made = Site(tmp_path)
    yield made
    await made.sender.close()
    made.sealing.close()
    made.store.close()


async def test_a_lot_that_is_closed_has_one_summary(site: Site) -> None:
    closed = await site.lots.close(LOT, "mara")
    assert closed.state == "closed"
    (summary,) = site.summaries()
    assert (summary.kind, summary.lot) == ("lot", LOT)
    assert '"state": "closed"' in summary.sealed
    assert site.waiting() == []
    with pytest.raises(WrongState, match="closed already"):
        await site.lots.close(LOT, "mara")
    with pytest.raises(NotFound):
        await site.lots.close("L-2", "mara")


@pytest.mark.parametrize("error", [OSError("the disk is full"), asyncio.CancelledError()])
async def test_whatever_is_in_the_way_when_it_is_closed_its_summary_comes(
    site: Site, error: BaseException
) -> None:
    """An error, or the end of the service: the lot is closed, and its summary comes later."""
    site.keeper.error = error
    if isinstance(error, OSError):
        assert (await site.lots.close(LOT, "mara")).state == "closed"
    else:
        with pytest.raises(asyncio.CancelledError):
            await site.lots.close(LOT, "mara")
    assert site.summaries() == [] and site.waiting() == [LOT]
    site.keeper.error = None
    await site.sent()
    assert len(site.summaries()) == 1 and site.waiting() == []


async def test_the_outbox_and_whoever_closes_issue_one_summary_between_them(site: Site) -> None:
    site.sender.open()
    closing = asyncio.create_task(site.lots.close(LOT, "mara"))
    while not closing.done():
        site.sender.look()
        await asyncio.sleep(0)
    await closing
    assert len(site.summaries()) == 1


async def test_a_summary_that_is_sent_twice_is_issued_once(site: Site) -> None:
    site.keeper.error = OSError("the disk is full")
    await site.lots.close(LOT, "mara")
    site.keeper.error = None
    (waiting,) = site.store.read_now(lambda conn: outbox.list_outgoing(conn, 50, waiting=True))
    await asyncio.gather(*[site.lots.send(waiting) for _ in range(3)])
    await site.lots.send(waiting)
    (summary,) = site.summaries()
    later = await site.lots.sum_up(LOT)
    assert [each.number for each in site.summaries()] == [summary.number, later]
    assert site.summaries()[1].supersedes == summary.number, "asked for again, it takes its place"


def run_of_lot(conn: sqlite3.Connection) -> str:
    """A run of the lot that goes on."""
    run_id = runs.add_run(
        conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": "A-1"}, {}, "0", "mara", lot=LOT
    )
    runs.set_state(conn, run_id, "running", "mara")
    conn.commit()
    return run_id


async def test_a_lot_is_not_closed_while_a_run_of_it_goes_on(
    site: Site, conn: sqlite3.Connection
) -> None:
    run_id = run_of_lot(conn)
    with pytest.raises(WrongState, match=f"Run {run_id} of lot {LOT} goes on"):
        await site.lots.close(LOT, "mara")
    assert site.waiting() == [] and site.summaries() == []
    assert site.store.read_now(lambda conn: lots.get_lot(conn, LOT)).state == "open"


async def test_a_summary_waits_for_the_documents_that_it_names(
    site: Site, conn: sqlite3.Connection
) -> None:
    run_id = run_of_lot(conn)
    (unit,) = runs.get_run(conn, run_id)["units"]
    runs.set_verdicts(conn, run_id, Verdict.INCONCLUSIVE, {unit["id"]: (Verdict.INCONCLUSIVE, "")})
    runs.set_state(conn, run_id, "finished", "mara")
    conn.commit()
    summing = asyncio.create_task(site.lots.sum_up(LOT))
    await asyncio.sleep(0.2)
    assert not summing.done() and site.summaries() == []
    runs.set_issued(conn, run_id, runs.get_run(conn, run_id)["ended_at"])
    conn.commit()
    async with asyncio.timeout(10):
        number = await summing
    assert [each.number for each in site.summaries()] == [number]
