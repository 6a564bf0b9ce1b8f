"""Issuing: the gate, the number, the ledger entry and the paper for each unit of a finished run."""

import asyncio
import datetime as dt
import logging
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

from loricate import __version__
from loricate.certificates.content import (
    Document,
    Issue,
    certificate_number,
    make_document,
    series_of,
)
from loricate.certificates.ledger import GENESIS, entry_hash
from loricate.certificates.paper import make_pdf
from loricate.certificates.sealing import SealError, SiteKey, digest, seal
from loricate.certificates.verifying import verify
from loricate.core.gate import Coverage, Requirement, certificate_gate, is_open
from loricate.core.measuring.grading import Cause
from loricate.core.products.expected import Done
from loricate.core.sequences.released import ReleasedSequence
from loricate.records import audit, certificates, doubts, outbox, runs, sequences
from loricate.records.certificates import LedgerEntry
from loricate.records.errors import StorageFull
from loricate.records.kept_files import keep_file
from loricate.records.sequences import SequenceRecord
from loricate.records.stamps import now
from loricate.records.store import Store
from loricate.service.head_keeping import HeadKeeper
from loricate.service.problems import Busy
from loricate.service.sending import EXPORT, Sender
from loricate.service.workroom import Workroom

AGAIN_S = 5.0
logger = logging.getLogger("loricate.certificates")


def gate_of(
    run: dict[str, Any],
    unit: dict[str, Any],
    sequence: ReleasedSequence,
    status: str,
    doubted: Mapping[str, str],
) -> tuple[Requirement, ...]:
    """The gate of one unit from its records.

    ``doubted`` says, by instrument, what was not plausible up to the end of the run.
    """
    latest = {attempt.step.id: attempt for attempt in unit["attempts"]}
    # A step whose ``when`` was not met was not wanted of this unit.
    skipped = {name for name, attempt in latest.items() if attempt.cause is Cause.SKIPPED}
    verdicts = {name: each.verdict for name, each in latest.items() if name not in skipped}
    due: dict[str, dt.date] = {}
    for each in run["bench"]["instruments"]:
        ends = dt.date.fromisoformat(each["due"])
        due[each["id"]] = min(due.get(each["id"], ends), ends)
    tested = dt.date.fromisoformat((run["started_at"] or run["created_at"])[:10])
    steps = [step.id for step in sequence.steps if step.id not in skipped]
    upkeep = tuple(Requirement(**each) for each in run["bench"].get("upkeep", ()))
    done = {
        name: Done(attempt.step.kind, attempt.verdict, attempt.is_measured)
        for name, attempt in latest.items()
    }
    coverage = Coverage(sequence.product.not_tested, sequence.expected, done)
    return certificate_gate(
        run["state"], status, steps, verdicts, due, tested, coverage, doubted, upkeep
    )


def doubts_of(conn: sqlite3.Connection, run: Mapping[str, Any]) -> dict[str, str]:
    """What of a run's instruments was not plausible: since their daily check, until its end."""
    used = [each["id"] for each in run["bench"]["instruments"]]
    answered = run["bench"].get("answered", {})
    return doubts.standing_doubts(
        conn, {name: answered.get(name, 0) for name in used}, run["doubts_until"]
    )


def is_settled(unit: Mapping[str, Any]) -> bool:
    """Whether a unit's document, if it has one, tells of its latest attempt."""
    return unit["certificate"] is not None and unit["certified_after"] == len(unit["attempts"])


@dataclass(frozen=True, slots=True)
class Grounds:
    """What a run's gates are judged by."""

    sequence: ReleasedSequence
    record: SequenceRecord
    doubted: Mapping[str, str]

    @classmethod
    def of(cls, conn: sqlite3.Connection, run: Mapping[str, Any]) -> Self:
        """Those of a run."""
        record = sequences.get_sequence(conn, run["sequence_code"], run["sequence_revision"])
        return cls(
            sequences.released_as(conn, record.code, record.revision),
            record,
            doubts_of(conn, run),
        )

    def gate(self, run: dict[str, Any], unit: dict[str, Any]) -> tuple[Requirement, ...]:
        """The gate of one of the run's units."""
        status = self.record.status
        return gate_of(run, unit, self.sequence, status, self.doubted)


def why_not_issued(conn: sqlite3.Connection, run: dict[str, Any]) -> dict[str, list[str]]:
    """Why units of a finished run have no certificate that passed, or no document, by nest."""
    found = {
        unit["nest"]: [f"Set aside: {unit['set_aside']}"]
        for unit in run["units"]
        if unit["set_aside"]
    }
    passed = [
        unit for unit in run["units"] if unit["verdict"] == "pass" and unit["certificate"] is None
    ]
    if run["state"] != "finished" or not passed:
        return found
    grounds = Grounds.of(conn, run)
    for unit in passed:
        found[unit["nest"]] = found.get(unit["nest"], []) + [
            f"{each.name.capitalize()}: {each.reason}"
            for each in grounds.gate(run, unit)
            if not each.met
        ]
    return found


def draw_sealed(document: Document, key: SiteKey, page_size: str) -> tuple[str, str, bytes]:
    """A document's sealed text, digest and paper; in a worker.

    Raises SealError for what would not verify: nothing is issued that nobody could check.
    """
    sealed = seal(document, key)
    pdf = make_pdf(document, sealed, key, page_size)
    for each in (verify(sealed.encode(), key.public_jwk), verify(pdf, key.public_jwk)):
        if not each.genuine:
            raise SealError(f"It does not verify once it is sealed: {each.faults[0]}")
    return sealed, digest(document), pdf


def _told(error: Exception) -> str:
    return f"{type(error).__name__}: {error}"[:500]


class Issuer:
    """Issues documents one at a time, so that numbers and the chain have no gaps.

    What cannot be issued is set aside with its reason, by itself; everything else goes on.
    """

    def __init__(
        self,
        store: Store,
        key: SiteKey,
        base_url: str,
        page_size: str,
        sender: Sender,
        heads: HeadKeeper,
        drawing: Workroom,
    ) -> None:
        self.store, self.key, self.base_url, self.page_size = store, key, base_url, page_size
        self.sender, self.heads, self.drawing = sender, heads, drawing
        self._lock = asyncio.Lock()
        self._later: asyncio.Task[None] | None = None
        self._going: set[asyncio.Task[None]] = set()
        self._is_closed = False

    def catch_up(self) -> None:
        """Issue, in the background, what was left: by a service that died, or set aside."""
        if self._later is None or self._later.done():
            self._later = asyncio.create_task(self._catch_up())

    async def _catch_up(self) -> None:
        while True:
            try:
                for run_id in await self.store.read(runs.not_issued):
                    await self._issue_run(run_id)
                return
            except Exception:
                logger.exception("documents are still to be issued; tried again soon")
                await asyncio.sleep(AGAIN_S)

    async def close(self) -> None:
        """Leave what is under way to the next start."""
        self._is_closed = True
        going = self._going | ({self._later} if self._later is not None else set())
        for each in going:
            each.cancel()
        if going:
            await asyncio.wait(going)

    async def issue_for(self, run_id: str) -> None:
        """Issue a certificate to each passing unit, a nonconformance report to each failing one.

        Never raises: what must wait, for room on the disk for instance, is tried again.
        """
        if self._is_closed:
            return
        going = asyncio.create_task(self._issue_run(run_id))
        self._going.add(going)
        await asyncio.wait([going])
        self._going.discard(going)
        if not going.cancelled() and (error := going.exception()) is not None:
            logger.error("documents not issued yet", exc_info=error, extra={"run": run_id})
            self.catch_up()

    async def _issue_run(self, run_id: str) -> None:
        def look(conn: sqlite3.Connection) -> tuple[dict[str, Any], Grounds | str]:
            run = runs.get_run(conn, run_id)
            try:
                return run, Grounds.of(conn, run)
            except Exception as error:  # of a record that today's software cannot read
                return run, _told(error)

        run, grounds = await self.store.read(look)
        if run["state"] != "finished":
            return
        for unit in run["units"]:
            if is_settled(unit):
                continue
            try:
                if isinstance(grounds, str):
                    raise ValueError(grounds)
                await self._issue_unit(run, unit, grounds)
            except (Busy, StorageFull):
                raise
            except Exception as error:
                logger.exception("document set aside", extra={"run": run_id, "nest": unit["nest"]})
                await self._set_aside(unit["id"], _told(error))
        await self.store.write(lambda conn: runs.set_issued(conn, run_id))

    async def _set_aside(self, run_unit_id: str, reason: str) -> None:
        await self.store.write(lambda conn: certificates.set_aside(conn, run_unit_id, reason))

    async def _issue_unit(
        self, run: dict[str, Any], unit: dict[str, Any], grounds: Grounds
    ) -> None:
        gate = grounds.gate(run, unit)
        kind = ""
        if is_open(gate) and unit["verdict"] == "pass":
            kind = "certificate"
        elif unit["verdict"] == "fail":
            kind = "nonconformance"
        if kind:
            await self._issue(kind, run, unit, grounds.sequence, gate, grounds.record)

    async def _issue(
        self,
        kind: str,
        run: dict[str, Any],
        unit: dict[str, Any],
        sequence: ReleasedSequence,
        gate: tuple[Requirement, ...],
        record: SequenceRecord,
    ) -> None:
        async with self._lock:
            issued_at = now()
            day = dt.date.fromisoformat(issued_at[:10])
            last = await self.store.read(certificates.last_entry)
            letter = await self.store.read(lambda conn: certificates.letter_of(conn, kind))
            series = series_of(letter, day)
            number = certificate_number(series, await self.heads.last_number(series))
            position = 1 if last is None else last.position + 1
            previous = GENESIS if last is None else last.hash
            url = f"{self.base_url}/verify/{number}"
            issue = Issue(
                kind,
                number,
                issued_at,
                position,
                previous,
                url,
                __version__,
                record.product_revision,
                unit["certificate"] or "",
                tuple(record.release.get("left", ())),
            )
            document = make_document(issue, run, unit, sequence, gate)
            sealed, document_digest, pdf = await self.drawing.do(
                draw_sealed, document, self.key, self.page_size, field="document"
            )
            paper = await asyncio.to_thread(keep_file, self.store.papers, pdf)
            entry = LedgerEntry(
                position,
                number,
                kind,
                unit["id"],
                unit["serial"],
                issued_at,
                document_digest,
                previous,
                entry_hash(position, number, document_digest, previous),
                sealed,
                paper,
                unit["certificate"],
            )
            facts = {
                "serial": unit["serial"],
                "lot": run["lot"],
                "product": sequence.product.code,
                "sequence": sequence.code,
                "operator": run["started_by"] or "",
                "verdict": unit["verdict"],
                "date": issued_at[:10],
                "number": number,
            }

            def keep(conn: sqlite3.Connection) -> None:
                certificates.add_entry(conn, entry, len(unit["attempts"]))
                audit.note(conn, "service", f"issue {kind}", number, unit["serial"])
                if self.sender.exporter.plan is not None:
                    outbox.add_outgoing(conn, EXPORT, number, facts)

            await self.store.write(keep)
            await self.heads.keep()
        self.sender.look()
