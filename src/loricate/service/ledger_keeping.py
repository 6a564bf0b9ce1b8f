"""Entering documents into the ledger: one after another, so that numbers and chain have no gaps."""

import asyncio
import datetime as dt
import sqlite3
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from loricate import __version__
from loricate.certificates.issue import KINDS, Document, Draft, Place, issued, numbered, series_of
from loricate.certificates.ledger import GENESIS, entry_hash
from loricate.certificates.sealing import SealError, SiteKey, seal
from loricate.certificates.verifying import verify
from loricate.core.errors import Finding
from loricate.records import audit, ledger, outbox
from loricate.records.ledger import LedgerEntry
from loricate.records.papers import PAPER
from loricate.records.stamps import now
from loricate.records.store import Store
from loricate.service.errors import NotReady
from loricate.service.head_keeping import HeadKeeper
from loricate.service.keyring import Keyring
from loricate.service.sending import Sender
from loricate.service.workroom import Workroom

Tell = Callable[[sqlite3.Connection, LedgerEntry], None]  # whoever is told of an entry


@dataclass(frozen=True, slots=True)
class Entering:
    """A draft on its way into the ledger: of which unit in a run, and what is kept with its entry.

    ``facts`` are what an export of its paper is named by; without any it is not exported.
    """

    draft: Draft
    run_unit_id: str | None = None
    facts: Mapping[str, str] = field(default_factory=dict)
    keep: Callable[[sqlite3.Connection, LedgerEntry], None] | None = None


@dataclass(frozen=True, slots=True)
class Sealed:
    """A document that is ready to be entered, or why it cannot be issued."""

    document: Document
    sealed: str = ""
    digest: str = ""
    problem: str = ""


def seal_drafts(
    drafts: Sequence[Draft], first: Place, series: Sequence[tuple[str, int]], key: SiteKey
) -> list[Sealed]:
    """Seal documents one after another from a place in the ledger; in a worker.

    ``series`` has, for each draft, its series and the last number of it that was given before.
    What would not verify is not issued: it takes no number, and says why.
    """
    made: list[Sealed] = []
    taken = dict(series)
    position, previous = first.position, first.previous
    for draft, (name, _) in zip(drafts, series, strict=True):
        number = numbered(name, taken[name])
        place = Place(
            number,
            first.issued_at,
            position,
            previous,
            first.site,
            first.zone,
            first.base_url,
            first.software,
        )
        document = issued(draft, place)
        try:
            sealed = seal(document, key)
            found = verify(sealed.encode(), key.public_jwk)
            if not found.genuine:
                raise SealError(f"It does not verify once it is sealed: {found.faults[0]}")
        except (SealError, ValueError) as error:
            made.append(Sealed(document, problem=f"{type(error).__name__}: {error}"[:500]))
            continue
        made.append(Sealed(document, sealed, found.digest))
        taken[name] += 1
        previous = entry_hash(position, number, found.digest, previous)
        position += 1
    return made


class LedgerKeeper:
    """The one way into the ledger."""

    def __init__(
        self,
        store: Store,
        keys: Keyring,
        heads: HeadKeeper,
        sender: Sender,
        room: Workroom,
        site: tuple[str, str],
        base_url: str,
        tell: Tell | None = None,
    ) -> None:
        self.store, self.keys, self.heads, self.sender, self.room = store, keys, heads, sender, room
        self.site, self.zone = site
        self.base_url, self.tell = base_url, tell
        self._lock = asyncio.Lock()

    async def enter(self, entering: Sequence[Entering]) -> list[Sealed]:
        """Issue documents: seal them, enter them, queue their papers; in one transaction.

        Gives what came of each; one that has a problem is not entered, and the others are. Their
        papers come later.
        """
        async with self._lock:
            issued_at = now()
            day = dt.date.fromisoformat(issued_at[:10])
            last = await self.store.read(ledger.last_entry)
            drafts = [each.draft for each in entering]
            series = [await self._series(draft.kind, day) for draft in drafts]
            first = Place(
                "",
                issued_at,
                1 if last is None else last.position + 1,
                GENESIS if last is None else last.hash,
                self.site,
                self.zone,
                self.base_url,
                __version__,
            )
            made = await self.room.do(
                seal_drafts, drafts, first, series, self.keys.documents, field="document"
            )

            def enter(conn: sqlite3.Connection) -> None:
                for each, sealed in zip(entering, made, strict=True):
                    if not sealed.problem:
                        entry = _add(conn, each, sealed)
                        if self.tell is not None:
                            self.tell(conn, entry)

            await self.store.write(enter)
            if any(not each.problem for each in made):
                await self.heads.keep()
        self.sender.look()
        return made

    async def enter_one(self, entering: Entering) -> str:
        """Issue one document; gives its number. Raises NotReady where it cannot be sealed."""
        (made,) = await self.enter([entering])
        if made.problem:
            raise NotReady.because([Finding("document", "cannot be sealed", made.problem)])
        return str(made.document["number"])

    async def _series(self, kind: str, day: dt.date) -> tuple[str, int]:
        letter = await self.store.read(lambda conn: ledger.letter_of(conn, kind))
        series = series_of(letter, day)
        return series, await self.heads.last_number(series)


def _add(conn: sqlite3.Connection, entering: Entering, made: Sealed) -> LedgerEntry:
    draft, document = entering.draft, made.document
    place, number = document["ledger"], document["number"]
    entry = LedgerEntry(
        place["position"],
        number,
        draft.kind,
        entering.run_unit_id,
        draft.serial,
        draft.lot,
        document["issued_at"],
        made.digest,
        place["previous"],
        entry_hash(place["position"], number, made.digest, place["previous"]),
        made.sealed,
        draft.supersedes or None,
        tuple(sorted(draft.about)),
    )
    ledger.add_entry(conn, entry)
    if entering.keep is not None:
        entering.keep(conn, entry)
    audit.note(conn, "service", f"issue {draft.kind}", number, draft.serial or draft.lot)
    if KINDS[draft.kind].has_paper:
        outbox.add_outgoing(conn, PAPER, number, entering.facts)
    # What this document changes the standing of is drawn again, and says so.
    for changed in (*([draft.supersedes] if draft.supersedes else []), *draft.about):
        outbox.add_outgoing(conn, PAPER, changed, {})
    return entry
