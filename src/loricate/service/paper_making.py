"""Making papers: what the outbox says is to be drawn is drawn in a worker, in nobody's way.

A paper that is kept replaces none: the newest counts. A service that dies in between makes it at
its next start, once: the entry of the outbox ends in the transaction that keeps the paper.
"""

import asyncio
import sqlite3
from dataclasses import dataclass
from functools import partial

from loricate.certificates.making import make_paper
from loricate.certificates.paper_key import PaperKey
from loricate.certificates.sealing import SealError
from loricate.certificates.standing_file import SealedStanding
from loricate.certificates.verifying import verify
from loricate.papers.look import Look
from loricate.papers.typesetting import TemplateFault
from loricate.records import ledger, outbox, papers, site_keys
from loricate.records.kept_files import keep_file, read_file
from loricate.records.outbox import Outgoing
from loricate.records.store import Store
from loricate.service.keyring import Keyring
from loricate.service.standing import standing_of
from loricate.service.workroom import Workroom

EXPORT = "export"
PRINT = "print"


@dataclass(frozen=True, slots=True)
class Order:
    """What a paper is made of, as the records have it at one moment."""

    sealed: str
    standing: SealedStanding
    is_made: bool
    keys: dict[str, object]


def order_of(conn: sqlite3.Connection, number: str) -> Order:
    """What the paper of a document is made of now; raises NotFound."""
    entry = ledger.get_numbered(conn, number)
    standing = standing_of(conn, number)
    return Order(
        entry.sealed,
        standing,
        papers.was_made(conn, number, standing.mark),
        site_keys.key_set(conn),
    )


def draw_and_check(order: Order, key: PaperKey, look: Look) -> bytes:
    """A paper that verifies; in a worker. Raises SealError for one that does not.

    Where the site's own templates do not go with this document, those that ship draw it.
    """
    try:
        pdf = make_paper(order.sealed, key, look, order.standing)
    except TemplateFault:
        if not look.templates:
            raise
        pdf = make_paper(order.sealed, key, look.with_shipped_templates, order.standing)
    found = verify(pdf, order.keys, redraws=False)  # it was drawn from this data just now
    if not found.genuine:
        raise SealError(f"It does not verify once it is made: {found.faults[0]}")
    return pdf


class PaperMaker:
    """Makes the papers that the outbox asks for, several at once."""

    def __init__(
        self, store: Store, keys: Keyring, look: Look, room: Workroom, exports: bool
    ) -> None:
        self.store, self.keys, self.look, self.room = store, keys, look, room
        self.exports = exports

    async def send(self, outgoing: Outgoing) -> None:
        """Make one paper, unless the newest says all already, and keep it."""
        number = outgoing.subject
        order = await self.store.read(partial(_order_of, number))
        digest = ""
        if not order.is_made or "again" in outgoing.facts:
            pdf = await self.room.do(
                draw_and_check, order, self.keys.papers, self.look, field="paper"
            )
            digest = await asyncio.to_thread(keep_file, self.store.papers, pdf)

        def keep(conn: sqlite3.Connection) -> None:
            mark = order.standing.mark
            # What came after it meanwhile has an entry of its own, whose paper says so.
            is_current = standing_of(conn, number).mark == mark
            # Made at the same time for another reason, it is enough once.
            is_wanted = "again" in outgoing.facts or not papers.was_made(conn, number, mark)
            if digest and is_current and is_wanted:
                papers.add_paper(conn, number, digest, mark)
            outbox.set_sent(conn, outgoing.id)
            is_issue = "serial" in outgoing.facts
            if self.exports and is_issue and outgoing.facts.get("sent") != "no":  # by its line
                entry = ledger.get_numbered(conn, number)
                facts = {**outgoing.facts, "date": entry.issued_at[:10], "number": number}
                outbox.add_outgoing(conn, EXPORT, number, facts)
            if is_issue and outgoing.facts.get("printed") == "yes":
                outbox.add_outgoing(conn, PRINT, number, {})

        await self.store.write(keep)


async def paper_as_it_stands(store: Store, number: str) -> tuple[str, bytes]:
    """The sealed file of a document and its paper, both saying how it stands now.

    Raises FileNotFoundError while that paper is still to be made, and where it is gone.
    """
    sealed, digest = await store.read(partial(_as_it_stands, number))
    pdf = await asyncio.to_thread(read_file, store.papers, digest)
    if pdf is None:
        raise FileNotFoundError(f"The paper of {number} is gone or was changed.")
    return sealed, pdf


def _as_it_stands(number: str, conn: sqlite3.Connection) -> tuple[str, str]:
    """The sealed file of a document, and the digest of a paper that says how it stands."""
    standing = standing_of(conn, number)
    if not papers.was_made(conn, number, standing.mark):
        raise FileNotFoundError(f"The paper of {number} is being made: its standing has changed.")
    sealed = standing.beside(ledger.get_numbered(conn, number).sealed)
    return sealed, papers.newest_paper(conn, number)


def _order_of(number: str, conn: sqlite3.Connection) -> Order:
    return order_of(conn, number)
