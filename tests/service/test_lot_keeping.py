"""Summaries of lots that are closed: one comes, whoever dies, and whatever is in the way."""

import asyncio
import json
import sqlite3
from collections.abc import AsyncIterator, Sequence
from pathlib import Path

import pytest

from loricate.core.measuring.grading import Verdict
from loricate.records import ledger, lots, outbox, runs
from loricate.records.errors import NotFound
from loricate.records.ledger import LedgerEntry
from loricate.records.lots import SUMMARY
from loricate.service.errors import WrongState
from loricate.service.issuing import Issuer
from loricate.service.ledger_keeping import Entering, LedgerKeeper, Sealed
from loricate.service.lot_keeping import LotKeeper
from tests.rig import PATIENCE_S
from tests.service.ledger_rig import LedgerRig

LOT = "L-1"


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


class Site(LedgerRig):
    """A lot in the records, and what keeps it."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, Trouble)
        self.lots = LotKeeper(self.store, self.keeper)
        self.sender.add(SUMMARY, self.lots.send)
        self.store.write_now(add_lot)

    def trouble(self, error: BaseException | None) -> None:
        """Have this be in the way from now on, or nothing."""
        assert isinstance(self.keeper, Trouble)
        self.keeper.error = error

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
        async with asyncio.timeout(PATIENCE_S):
            while self.waiting():
                self.store.write_now(outbox.try_all_now)
                self.sender.look()
                await asyncio.sleep(0.01)


@pytest.fixture
async def site(tmp_path: Path, conn: sqlite3.Connection) -> AsyncIterator[Site]:
    """A site over a database with the demo's definitions."""
    made = Site(tmp_path)
    yield made
    await made.close()


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
    site.trouble(error)
    if isinstance(error, OSError):
        assert (await site.lots.close(LOT, "mara")).state == "closed"
    else:
        with pytest.raises(asyncio.CancelledError):
            await site.lots.close(LOT, "mara")
    assert site.summaries() == [] and site.waiting() == [LOT]
    site.trouble(None)
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
    site.trouble(OSError("the disk is full"))
    await site.lots.close(LOT, "mara")
    site.trouble(None)
    (waiting,) = site.store.read_now(lambda conn: outbox.list_outgoing(conn, 50, waiting=True))
    await asyncio.gather(*[site.lots.send(waiting) for _ in range(3)])
    await site.lots.send(waiting)
    (summary,) = site.summaries()
    later = await site.lots.sum_up(LOT)
    assert [each.number for each in site.summaries()] == [summary.number, later]
    assert site.summaries()[1].supersedes == summary.number, "asked for again, it takes its place"


def run_of_lot(conn: sqlite3.Connection) -> str:
    """A run of the lot that is made, and not begun."""
    made = "DC40-FINAL", 1
    run_id = runs.add_run(conn, made, "DC-40", "FX-A", {"1": "A-1"}, {}, "0", "mara", lot=LOT)
    conn.commit()
    return run_id


def begin(conn: sqlite3.Connection, run_id: str) -> None:
    """Begin it."""
    runs.set_state(conn, run_id, "running", "mara")
    conn.commit()


def end(conn: sqlite3.Connection, run_id: str) -> None:
    """End it with a verdict that no document is issued for."""
    (unit,) = runs.get_run(conn, run_id)["units"]
    runs.set_verdicts(conn, run_id, Verdict.INCONCLUSIVE, {unit["id"]: (Verdict.INCONCLUSIVE, "")})
    runs.set_state(conn, run_id, "finished", "mara")
    conn.commit()


async def test_a_lot_is_not_closed_while_a_run_of_it_goes_on(
    site: Site, conn: sqlite3.Connection
) -> None:
    run_id = run_of_lot(conn)
    begin(conn, run_id)
    with pytest.raises(WrongState, match=f"Run {run_id} of lot {LOT} goes on"):
        await site.lots.close(LOT, "mara")
    assert site.waiting() == [] and site.summaries() == []
    assert site.store.read_now(lambda conn: lots.get_lot(conn, LOT)).state == "open"


async def test_a_summary_waits_for_the_documents_that_it_names(
    site: Site, conn: sqlite3.Connection
) -> None:
    run_id = run_of_lot(conn)
    begin(conn, run_id)
    end(conn, run_id)
    summing = asyncio.create_task(site.lots.sum_up(LOT))
    await asyncio.sleep(0.2)
    assert not summing.done() and site.summaries() == []
    runs.set_issued(conn, run_id, runs.get_run(conn, run_id)["ended_at"])
    conn.commit()
    async with asyncio.timeout(PATIENCE_S):
        number = await summing
    assert [each.number for each in site.summaries()] == [number]


async def test_what_still_comes_of_a_closed_lot_takes_one_more_summary(
    site: Site, conn: sqlite3.Connection
) -> None:
    """A run that was made before it was closed; however often its documents are asked for."""
    run_id = run_of_lot(conn)
    await site.lots.close(LOT, "mara")
    (first,) = site.summaries()
    assert json.loads(first.sealed)["document"]["lot"]["tested"] == 0
    begin(conn, run_id)
    end(conn, run_id)
    issuer = Issuer(site.store, site.keeper)
    for _ in range(3):
        issuer.issue_for(run_id)
    async with asyncio.timeout(PATIENCE_S):
        while not site.waiting():  # noqa: ASYNC110  # as a client asks
            await asyncio.sleep(0.01)
    await site.sent()
    issuer.issue_for(run_id)
    await asyncio.sleep(0.2)
    await issuer.close()
    assert site.waiting() == []
    _, later = site.summaries()
    assert later.supersedes == first.number
    assert json.loads(later.sealed)["document"]["lot"]["units"][0]["serial"] == "A-1"
