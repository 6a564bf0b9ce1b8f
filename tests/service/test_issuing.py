"""Each unit of a run that has ended gets one document, however often it is asked for."""

import asyncio
import sqlite3
from collections.abc import AsyncIterator
from pathlib import Path

import pytest

from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.sequences.ready import ReadySequence
from loricate.records import definitions, ledger, runs
from loricate.records.ledger import IssuedAlready, LedgerEntry
from loricate.service.issuing import Issuer, cable_of
from tests.records.test_runs import add_attempt, add_run
from tests.service.ledger_rig import LedgerRig

BENCH = {
    "code": "BENCH-2",
    "instruments": [
        {"id": "HV1", "title": "Source", "identity": "", "serial": "1", "calibrated": "2026-01-01",
         "due": "2099-01-01", "certificate": "K-1"},
    ],
}  # fmt: skip


@pytest.fixture
async def issuer(tmp_path: Path, conn: sqlite3.Connection) -> AsyncIterator[Issuer]:
    """An issuer over a database with the demo's definitions; no paper is made."""
    rig = LedgerRig(tmp_path)
    made = Issuer(rig.store, rig.keeper)
    yield made
    await made.close()
    await rig.close()


def failed_run(conn: sqlite3.Connection, sequence: ReadySequence) -> str:
    """A run of two units, the first of which failed and the second of which was not tested."""
    run_id = add_run(conn, n1="A", n2="B")
    runs.set_state(conn, run_id, "running", "mara")
    runs.set_bench(conn, run_id, BENCH)
    add_attempt(conn, run_id, sequence)
    end(conn, run_id)
    return run_id


def end(conn: sqlite3.Connection, run_id: str) -> None:
    units = runs.get_run(conn, run_id)["units"]
    verdicts = [(Verdict.FAIL, Cause.UNDER_LIMIT), (Verdict.NOT_RUN, "")]
    told = {unit["id"]: each for unit, each in zip(units, verdicts, strict=True)}
    runs.set_verdicts(conn, run_id, Verdict.FAIL, told)
    runs.set_state(conn, run_id, "finished", "mara")
    conn.commit()


async def issued(issuer: Issuer) -> list[LedgerEntry]:
    """What the ledger has once nothing waits any more."""
    while await issuer.store.read(runs.not_issued):  # noqa: ASYNC110  # as a client asks
        await asyncio.sleep(0.01)
    return await issuer.store.read(lambda conn: list(ledger.whole_ledger(conn)))


async def test_whoever_asks_and_how_often_each_unit_gets_one_document(
    issuer: Issuer, conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    run_id = failed_run(conn, sequence)
    for _ in range(3):
        issuer.issue_for(run_id)
        issuer.catch_up()
    (entry,) = await issued(issuer)
    assert (entry.serial, entry.kind, entry.supersedes) == ("A", "nonconformance", None)
    issuer.issue_for(run_id)
    await asyncio.sleep(0.05)
    assert len(await issued(issuer)) == 1
    add_attempt(conn, run_id, sequence, 2)
    end(conn, run_id)
    issuer.issue_for(run_id)
    issuer.issue_for(run_id)
    _, later = await issued(issuer)
    assert later.supersedes == entry.number


async def test_the_records_take_no_second_document_of_the_same_attempts(
    issuer: Issuer, conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    run_id = failed_run(conn, sequence)
    issuer.issue_for(run_id)
    (entry,) = await issued(issuer)
    for attempts in (0, 1):
        with pytest.raises(IssuedAlready, match="A has a document"):
            ledger.settle(conn, entry, attempts)


def test_a_product_that_says_it_is_no_cable_is_issued_like_one_that_says_nothing(
    conn: sqlite3.Connection,
) -> None:
    """A form may write `null` where a file leaves a section out; neither holds a document up."""
    document, revision = definitions.get_document(conn, "product", "DC-40")
    assert cable_of(conn, "DC-40", revision) is None
    changed = {**document, "cable": None, "title": "Another title"}
    revision = definitions.add_document(conn, "product", "DC-40", changed, "mara")
    assert cable_of(conn, "DC-40", revision) is None
