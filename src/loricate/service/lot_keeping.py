"""Lots as they stand, and their summaries: issued when one is closed, whoever dies meanwhile.

What still comes of a closed lot, a run that was made before or a unit that is put right, takes one
more summary, in place of the one before.
"""

import asyncio
import logging
import sqlite3
from collections.abc import Sequence

from loricate.api.lots import LotOut, LotSummary, LotUnitOut
from loricate.certificates.issue import Draft
from loricate.core.errors import Finding
from loricate.core.planning.lots import (
    Appearance,
    LotFacts,
    Progress,
    check_lot,
    progress,
    read_serials,
)
from loricate.records import ledger, lots, outbox
from loricate.records.ledger import LedgerEntry
from loricate.records.lots import SUMMARY, LotRecord
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.errors import WrongState
from loricate.service.ledger_keeping import Entering, LedgerKeeper

WITHIN_S, LOOK_EACH_S = 10.0, 0.05
logger = logging.getLogger("loricate.certificates")


def in_short(record: LotRecord, found: Progress) -> LotOut:
    """A lot with its progress, as a list has it."""
    own = LotOut.model_fields.keys() & LotRecord.__dataclass_fields__.keys()
    return LotOut(
        **{name: getattr(record, name) for name in own},
        expected=found.expected,
        tested=found.tested,
        passed=found.passed,
        failed=found.failed,
        first_pass_yield=found.first_pass_yield,
        final_yield=found.final_yield,
        waiting_count=found.waiting_count,
    )


def lot_findings(
    conn: sqlite3.Connection,
    code: str,
    product: str,
    load: Sequence[tuple[str, str]],
    is_retest: bool = False,
) -> tuple[Finding, ...]:
    """What keeps a load of (nest, serial) pairs out of a lot; empty when it belongs."""
    record = lots.find_lot(conn, code)
    own = None
    if record is not None:
        serials = read_serials(record.serials, record.quantity)
        own = LotFacts(record.product, record.state, serials, lots.serials_taken(conn, code))
    before = lots.tested_before(conn, product, [serial for _, serial in load])
    return check_lot(code, own, product, load, {} if is_retest else before)


def progress_of(record: LotRecord, appearances: Sequence[Appearance]) -> Progress:
    """How far a lot has come."""
    return progress(read_serials(record.serials, record.quantity), appearances)


def summary_of(conn: sqlite3.Connection, code: str) -> LotSummary:
    """A lot as it stands, with its units; raises NotFound."""
    record = lots.get_lot(conn, code)
    found = progress_of(record, lots.appearances(conn, [record.code])[record.code])
    return LotSummary(
        **in_short(record, found).model_dump(),
        waiting=list(found.waiting),
        units=[
            LotUnitOut(**{name: row[name] for name in LotUnitOut.model_fields})
            for row in lots.latest_units(conn, record.code)
        ],
    )


class LotKeeper:
    """Closes lots, and issues their summaries one after another."""

    def __init__(self, store: Store, keeper: LedgerKeeper) -> None:
        self.store, self.keeper = store, keeper
        self._one_at_a_time = asyncio.Lock()  # two would both take the place of the same one

    async def close(self, code: str, by: str) -> LotSummary:
        """Close a lot and issue its summary; if that cannot be now, it is as soon as it can.

        Raises NotFound, and WrongState where it is closed already or a run of it goes on.
        """

        def close(conn: sqlite3.Connection) -> LotSummary:
            if lots.get_lot(conn, code).state == "closed":
                raise WrongState(f"Lot {code} is closed already.")
            if going := lots.under_way(conn, code):
                raise WrongState(
                    f"Run {going[0]} of lot {code} goes on; close it when that has ended."
                )
            lots.close_lot(conn, code, by)
            outbox.add_outgoing(conn, SUMMARY, code, {})
            return summary_of(conn, code)

        closed = await self.store.write(close)
        try:
            await self._sum_up_closed(code)
        except Exception:
            logger.exception("summary not issued yet", extra={"lot": code})
            self.keeper.sender.look()
        return closed

    async def sum_up(self, code: str) -> str:
        """Issue the summary of a lot as it stands, in place of the one before; gives its number.

        Raises NotFound, and WrongState while documents of its runs are still being issued.
        """
        async with self._one_at_a_time:
            return await self._sum_up(code)

    async def send(self, outgoing: Outgoing) -> None:
        """Issue what the outbox says is still to be issued."""
        await self._sum_up_closed(outgoing.subject)

    async def _sum_up_closed(self, code: str) -> None:
        async with self._one_at_a_time:  # whoever closes it and the outbox issue one between them
            if await self.store.read(lambda conn: outbox.is_waiting(conn, SUMMARY, code)):
                await self._sum_up(code)

    async def _sum_up(self, code: str) -> str:
        await self._has_documents(code)

        def look(conn: sqlite3.Connection) -> tuple[LotSummary, str]:
            return summary_of(conn, code), ledger.summary_of_lot(conn, code)

        def settle(conn: sqlite3.Connection, entry: LedgerEntry) -> None:
            outbox.set_all_sent(conn, SUMMARY, code)

        lot, previous = await self.store.read(look)
        draft = Draft("lot", {"lot": lot.model_dump()}, supersedes=previous, lot=code)
        facts = {"serial": code, "lot": code, "product": lot.product}
        return await self.keeper.enter_one(Entering(draft, facts=facts, keep=settle))

    async def _has_documents(self, code: str) -> None:
        """Wait until every run of a lot that has ended has its documents: a summary names them."""
        loop = asyncio.get_running_loop()
        until = loop.time() + WITHIN_S
        while not await self.store.read(lambda conn: lots.has_documents(conn, code)):
            if loop.time() > until:
                raise WrongState(
                    f"Documents of lot {code} are still being issued; ask again in a moment."
                )
            await asyncio.sleep(LOOK_EACH_S)
