"""Papers while their documents' standing changes: the newest one says how it stands, in the end."""

import asyncio
import json
import sqlite3
from collections.abc import AsyncIterator, Callable
from functools import partial
from itertools import permutations
from pathlib import Path
from typing import Any

import pytest

from loricate.certificates.issue import Draft
from loricate.papers.look import Look
from loricate.records import outbox, papers
from loricate.records.kept_files import read_file
from loricate.records.outbox import Outgoing
from loricate.records.papers import PAPER
from loricate.service.acting import Acts
from loricate.service.ledger_keeping import Entering
from loricate.service.paper_making import EXPORT, PaperMaker
from loricate.service.site_file import ApprovalsPlan
from loricate.service.standing import standing_of
from loricate.service.workroom import Workroom
from tests.certificates.made import INES, body
from tests.rig import PATIENCE_S
from tests.service.ledger_rig import LedgerRig

SERIAL = "DC40-26-0117"


class HeldRoom(Workroom):
    """Draws nothing, and gives what was asked for when it is let go."""

    def __init__(self) -> None:
        self.asked: list[asyncio.Future[None]] = []

    async def do(self, work: Callable[..., Any], *given: Any, field: str = "body") -> Any:
        """Give the standing that the paper would say, once the test lets it."""
        held = asyncio.get_running_loop().create_future()
        self.asked.append(held)
        await held
        order = given[0]
        return json.dumps(["paper", order.standing.mark]).encode()


class Site(LedgerRig):
    """One issued certificate, and whoever makes its papers."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder)
        self.room = HeldRoom()
        self.maker = PaperMaker(self.store, self.keys, Look(), self.room, exports=True)
        self.acts = Acts(self.store, self.keeper, None, ApprovalsPlan())
        self.number = ""

    async def issue(self) -> None:
        """Issue the certificate."""
        draft = Draft("certificate", body(), serial=SERIAL)
        self.number = await self.keeper.enter_one(Entering(draft, facts={"serial": SERIAL}))

    def waiting(self, target: str = PAPER) -> list[Outgoing]:
        """What is to be sent, the oldest first."""
        return self.store.read_now(lambda conn: outbox.due_outgoing(conn, target))

    async def begin(self) -> "asyncio.Task[None]":
        """Begin the paper that was queued last; it is held back in the room."""
        before = len(self.room.asked)
        going = asyncio.create_task(self.maker.send(self.waiting()[-1]))
        async with asyncio.timeout(PATIENCE_S):
            while len(self.room.asked) == before:  # noqa: ASYNC110  # a worker's room says nothing
                await asyncio.sleep(0.001)
        return going

    def newest(self) -> tuple[bytes, str]:
        """The newest paper, and how its document stands."""

        def look(conn: sqlite3.Connection) -> tuple[str, str]:
            return papers.newest_paper(conn, self.number), standing_of(conn, self.number).mark

        digest, mark = self.store.read_now(look)
        return read_file(self.store.papers, digest) or b"", mark


@pytest.fixture
async def site(tmp_path: Path) -> AsyncIterator[Site]:
    made = Site(tmp_path)
    await made.issue()
    yield made
    await made.close()


@pytest.mark.parametrize("order", list(permutations(range(3))))
async def test_whichever_paper_is_done_last_the_newest_says_how_its_document_stands(
    site: Site, order: tuple[int, ...]
) -> None:
    """Drawn before an approval, before a revocation and after it: done in any order."""
    going = [await site.begin()]
    await site.acts.approve([site.number], "", "", INES)
    going.append(await site.begin())
    await site.acts.revoke(site.number, "bond source was out", INES)
    going.append(await site.begin())
    for index in order:
        site.room.asked[index].set_result(None)
        await going[index]
    said, mark = site.newest()
    assert "X-" in mark and json.loads(said) == ["paper", mark]
    assert site.waiting() == []
    assert [each.facts["serial"] for each in site.waiting(EXPORT)] == [SERIAL]


async def test_a_paper_that_was_put_off_is_exported_though_another_came_first(site: Site) -> None:
    first = await site.begin()
    site.room.asked[0].set_exception(OSError("no room on the disk"))
    with pytest.raises(OSError, match="no room"):
        await first
    await site.acts.approve([site.number], "", "", INES)
    second = await site.begin()
    site.room.asked[1].set_result(None)
    await second
    assert site.waiting(EXPORT) == [], "the document's own entry still waits"
    (put_off,) = site.waiting()
    await site.maker.send(put_off)
    assert [each.facts["number"] for each in site.waiting(EXPORT)] == [site.number]
    assert len(site.room.asked) == 2, "what was made is not made again"


async def test_a_paper_asked_for_again_is_made_once_more_and_exported_once(site: Site) -> None:
    first = await site.begin()
    site.room.asked[0].set_result(None)
    await first
    await site.acts.draw_again(site.number, "ines")
    again = await site.begin()
    site.room.asked[1].set_result(None)
    await again
    made = site.store.read_now(partial(_papers, site.number))
    assert len(made) == 2 and len(site.waiting(EXPORT)) == 1


def _papers(number: str, conn: sqlite3.Connection) -> list[str]:
    return papers.papers_of(conn, number)
