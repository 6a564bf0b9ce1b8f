"""Giving papers away: a copy says how its document stands at that moment, or none is given."""

import asyncio
import sqlite3
from dataclasses import dataclass
from functools import partial

from loricate.certificates.issue import KINDS
from loricate.records import ledger, outbox, papers
from loricate.records.errors import NotFound
from loricate.records.papers import PAPER, PaperState
from loricate.service.desk import Desk
from loricate.service.errors import WrongState
from loricate.service.places import Place
from loricate.service.standing import standing_of

WITHIN_S, LOOK_EACH_S = 10.0, 0.05


@dataclass(frozen=True, slots=True)
class Given:
    """A paper to be given: where it lies, of which number, under which digest."""

    place: Place
    number: str
    digest: str


@dataclass(frozen=True, slots=True)
class _Newest:
    """The newest paper of a document, and whether it says how the document stands."""

    number: str
    digest: str
    says_all: bool
    state: PaperState


def _newest(name: str, conn: sqlite3.Connection) -> _Newest:
    entry = ledger.get_entry(conn, name)
    if not KINDS[entry.kind].has_paper:
        raise NotFound("paper of", entry.number)
    says_all = papers.was_made(conn, entry.number, standing_of(conn, entry.number).mark)
    digest = papers.newest_paper(conn, entry.number)
    return _Newest(entry.number, digest, says_all, papers.paper_state(conn, entry.number))


def _ask_for(number: str, conn: sqlite3.Connection) -> None:
    if papers.paper_state(conn, number).state in ("made", "none"):
        outbox.add_outgoing(conn, PAPER, number, {})


async def given_paper(name: str, desk: Desk, of: str = "") -> Given:
    """The number and newest paper of a document, by number or serial; waits while it is made.

    One that does not say how the document stands is not given: it would be a clean copy of what
    was revoked. Raises NotFound, and WrongState where it takes too long or is held up.
    """
    place, found = await desk.places.first(partial(_newest, name), of)
    if place is not desk.places.own:
        if not found.says_all:
            raise WrongState(
                f"The paper of {found.number} was not made at {place.bench} when its records were "
                "carried in; carry them in again, or take the sealed JSON."
            )
        return Given(place, found.number, found.digest)
    loop = asyncio.get_running_loop()
    until = loop.time() + WITHIN_S
    while True:
        found = await desk.store.read(partial(_newest, name))
        is_late = loop.time() > until
        if found.says_all and (found.state.state == "made" or is_late):
            return Given(place, found.number, found.digest)
        if found.state.state in ("made", "none"):  # by a release before this one, or by none
            await desk.store.write(partial(_ask_for, found.number))
            desk.sender.look()
        elif found.state.state == "held_up" and not found.says_all:
            reason = found.state.problem
            raise WrongState(f"The paper of {found.number} cannot be made yet: {reason}")
        elif is_late:
            raise WrongState(
                f"The paper of {found.number} is still being made; ask again in a moment."
            )
        await asyncio.sleep(LOOK_EACH_S)
