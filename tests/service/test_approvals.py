"""Whose signatures a document needs, and of how many people: none counts twice."""

import asyncio
import sqlite3
from collections.abc import AsyncIterator
from itertools import permutations
from pathlib import Path

import pytest
from pydantic import ValidationError

from loricate.certificates.acts import Signer
from loricate.certificates.issue import Draft
from loricate.records import ledger, runs
from loricate.records.ledger import Wanted
from loricate.records.store import atomic
from loricate.service.acting import Acts
from loricate.service.errors import NotAllowed, NotReady, WrongState
from loricate.service.ledger_keeping import Entering
from loricate.service.site_file import ApprovalsPlan
from tests.certificates.made import body
from tests.service.ledger_rig import LedgerRig

INES, ADA, QUIN = (Signer(name, name.title(), "quality") for name in ("ines", "ada", "quin"))
TWO = ApprovalsPlan(needed=2)


class Site(LedgerRig):
    """One certificate of a run that ines started, and quality with a plan of its own."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.number = ""

    async def issue(self, run_unit_id: str | None, lot: str = "") -> None:
        draft = Draft("certificate", body(), serial="DC40-26-0117", lot=lot)
        self.number = await self.keeper.enter_one(Entering(draft, run_unit_id))

    def by(self, plan: ApprovalsPlan) -> Acts:
        return Acts(self.store, self.keeper, None, plan)

    def standing(self, name: str, needed: int) -> list[str]:
        found = self.store.read_now(
            lambda conn: ledger.list_entries(conn, Wanted(standing=name), 50, needed=needed)
        )
        return [each.number for each in found if each.kind == "certificate"]


@pytest.fixture
async def site(conn: sqlite3.Connection, tmp_path: Path) -> AsyncIterator[Site]:
    with atomic(conn):
        bench = {"instruments": [], "code": "BENCH-2"}
        load = {"1": "DC40-26-0117"}
        run_id = runs.add_run(conn, ("DC40-FINAL", 1), "DC-40", "FX-A", load, bench, "0", "ines")
        (unit,) = runs.get_run(conn, run_id)["units"]
    made = Site(tmp_path)
    await made.issue(unit["id"], "L-1")
    yield made
    await made.close()


async def test_a_document_is_approved_once_as_many_have_signed_as_it_needs(site: Site) -> None:
    acts = site.by(TWO)
    await acts.approve([site.number], "", "", INES)
    assert site.standing("approved", 2) == [] and site.standing("unapproved", 2) == [site.number]
    with pytest.raises(NotReady, match="approved by you already"):
        await acts.approve([site.number], "", "", INES)
    with pytest.raises(WrongState, match="waits for an approval of yours"):
        await acts.approve([], "L-1", "", INES)
    await acts.approve([], "L-1", "", ADA)
    assert site.standing("approved", 2) == [site.number] and site.standing("unapproved", 2) == []
    with pytest.raises(NotReady, match=r"approved already \(A-.*, A-.*\)"):
        await acts.approve([site.number], "", "", QUIN)


@pytest.mark.parametrize("order", list(permutations((INES, ADA, QUIN, INES), 4))[::5])
async def test_at_once_no_more_sign_than_are_needed_and_nobody_twice(
    site: Site, order: tuple[Signer, ...]
) -> None:
    acts = site.by(TWO)
    done = await asyncio.gather(
        *(acts.approve([site.number], "", "", each) for each in order), return_exceptions=True
    )
    given = [each for each in done if isinstance(each, str)]
    assert len(given) == 2, done
    assert all(isinstance(each, NotReady) for each in done if not isinstance(each, str))
    assert site.standing("approved", 2) == [site.number]


async def test_only_who_is_named_approves(site: Site) -> None:
    acts = site.by(ApprovalsPlan(by=("ada",)))
    with pytest.raises(NotAllowed, match="ada approve documents"):
        await acts.approve([site.number], "", "", INES)
    await acts.approve([site.number], "", "", ADA)
    assert site.standing("approved", 1) == [site.number]


async def test_who_tested_does_not_approve_where_the_site_wants_it_so(site: Site) -> None:
    acts = site.by(ApprovalsPlan(by_tester=False))
    with pytest.raises(NotReady, match="of a run that you started"):
        await acts.approve([site.number], "", "", INES)
    await acts.approve([site.number], "", "", ADA)


def test_more_cannot_be_needed_than_may_approve() -> None:
    with pytest.raises(ValidationError, match="names 1 people in 'by', and 2 are needed"):
        ApprovalsPlan(needed=2, by=("ada", "ada"))
