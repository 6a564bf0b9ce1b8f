"""Issuing: the gate, and the document of each unit of a run that has ended."""

import asyncio
import datetime as dt
import logging
import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Self

from loricate.certificates.content import Circumstances, certificate_body, is_on_paper
from loricate.certificates.issue import Draft
from loricate.core.gate import (
    Coverage,
    Requirement,
    after_letting_go,
    certificate_gate,
    is_open,
)
from loricate.core.measuring.grading import Cause
from loricate.core.products.expected import Done
from loricate.core.products.product import Product
from loricate.core.sequences.released import ReleasedSequence
from loricate.records import (
    accounts,
    curves,
    definitions,
    doubts,
    ledger,
    lots,
    outbox,
    runs,
    sequences,
)
from loricate.records.sequences import SequenceRecord
from loricate.records.store import Store
from loricate.service.ledger_keeping import Entering, LedgerKeeper

AGAIN_S = 5.0
Tell = Callable[[sqlite3.Connection, Mapping[str, Any]], None]  # whoever is told of a run
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
    gate = certificate_gate(
        run["state"], status, steps, verdicts, due, tested, coverage, doubted, upkeep
    )
    return gate if not unit["let_go_at"] else after_letting_go(gate, unit["let_go_at"][:10])


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


def _told(error: Exception) -> str:
    return f"{type(error).__name__}: {error}"[:500]


class Issuer:
    """Issues the documents of runs that have ended.

    What cannot be issued is set aside with its reason, by itself; everything else goes on.
    """

    def __init__(self, store: Store, keeper: LedgerKeeper, *tell: Tell) -> None:
        self.store, self.keeper, self.tell = store, keeper, tell
        self._later: asyncio.Task[None] | None = None
        self._going: set[asyncio.Task[None]] = set()
        self._one_at_a_time = asyncio.Lock()  # two who issue a run's documents would do it twice
        self._is_closed = False

    def catch_up(self) -> None:
        """Issue, in the background, what was left: by a service that died, or set aside."""
        if not self._is_closed and (self._later is None or self._later.done()):
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

    def issue_for(self, run_id: str) -> None:
        """Issue a certificate to each passing unit, a nonconformance report to each failing one.

        Nobody waits for it. What must wait itself, for room on the disk for instance, is tried
        again; what a service that dies has not issued, the next one issues.
        """
        if self._is_closed:
            return
        going = asyncio.create_task(self._issue_run(run_id))
        self._going.add(going)
        going.add_done_callback(self._is_done)

    def _is_done(self, going: asyncio.Task[None]) -> None:
        self._going.discard(going)
        if not going.cancelled() and (error := going.exception()) is not None:
            logger.error("documents not issued yet", exc_info=error)
            self.catch_up()

    async def _issue_run(self, run_id: str) -> None:
        async with self._one_at_a_time:
            await self._issue_waiting(run_id)

    async def _issue_waiting(self, run_id: str) -> None:
        def look(conn: sqlite3.Connection) -> tuple[dict[str, Any], Grounds | str]:
            run = runs.get_run(conn, run_id)
            try:
                return run, Grounds.of(conn, run)
            except Exception as error:  # of a record that today's software cannot read
                return run, _told(error)

        run, grounds = await self.store.read(look)
        if run["state"] != "finished":
            return
        waiting = [unit for unit in run["units"] if not is_settled(unit)]
        entering: list[tuple[str, Entering]] = []
        for unit in waiting:
            try:
                if isinstance(grounds, str):
                    raise ValueError(grounds)
                if (found := await self._entering(run, unit, grounds)) is not None:
                    entering.append((unit["id"], found))
            except Exception as error:
                logger.exception("document set aside", extra={"run": run_id, "nest": unit["nest"]})
                await self._set_aside(unit["id"], _told(error))
        if entering:
            made = await self.keeper.enter([each for _, each in entering])
            for (unit_id, _), sealed in zip(entering, made, strict=True):
                if sealed.problem:
                    logger.error("document set aside", extra={"reason": sealed.problem})
                    await self._set_aside(unit_id, sealed.problem)

        def done(conn: sqlite3.Connection) -> None:
            lot = lots.find_lot(conn, run["lot"])
            is_new = runs.set_issued(conn, run_id, run["ended_at"])
            if is_new or entering:  # also where a document that was set aside has come
                told = runs.get_run(conn, run_id)  # with the documents that it has by now
                for queue in self.tell:
                    queue(conn, told)
            if is_new and lot is not None and lot.state == "closed":
                outbox.add_outgoing(conn, lots.SUMMARY, lot.code, {})

        await self.store.write(done)
        self.keeper.sender.look()

    async def _set_aside(self, run_unit_id: str, reason: str) -> None:
        await self.store.write(lambda conn: ledger.set_aside(conn, run_unit_id, reason))

    async def _entering(
        self, run: dict[str, Any], unit: dict[str, Any], grounds: Grounds
    ) -> Entering | None:
        """The document that a unit gets; None where it gets none."""
        gate = grounds.gate(run, unit)
        kind = ""
        if is_open(gate) and unit["verdict"] == "pass":
            kind = "certificate"
        elif unit["verdict"] == "fail":
            kind = "nonconformance"
        if not kind:
            return None
        about = await self.store.read(lambda conn: circumstances(conn, run, unit, grounds.record))
        draft = Draft(
            kind,
            certificate_body(run, unit, grounds.sequence, gate, about),
            supersedes=unit["certificate"] or "",
            serial=unit["serial"],
            lot=run["lot"],
        )
        facts = {
            "serial": unit["serial"],
            "lot": run["lot"],
            "product": grounds.sequence.product.code,
            "sequence": grounds.sequence.code,
            "operator": run["started_by"] or "",
            "verdict": unit["verdict"],
            "sent": "yes" if run["line"].sends(unit["verdict"]) else "no",
            "printed": "yes" if run["line"].prints(unit["verdict"]) else "no",
        }
        attempts = len(unit["attempts"])
        return Entering(
            draft, unit["id"], facts, lambda conn, entry: ledger.settle(conn, entry, attempts)
        )


def circumstances(
    conn: sqlite3.Connection,
    run: Mapping[str, Any],
    unit: Mapping[str, Any],
    record: SequenceRecord,
) -> Circumstances:
    """What a certificate says beside the run."""
    people = {each.name: each.full_name for each in accounts.list_accounts(conn)}
    shown = [attempt for attempt in unit["attempts"] if attempt.curve_count]
    ambient = run["bench"].get("ambient")
    return Circumstances(
        record.product_revision,
        people,
        ambient and {**ambient, "name": people.get(ambient["account"], "")},
        tuple(record.release.get("left", ())),
        {
            (attempt.step.id, attempt.number): curves.curves_of(
                conn, run["id"], unit["nest"], attempt.step.id, attempt.number
            )
            for attempt in shown
            if is_on_paper(attempt)
        },
        cable_of(conn, record.product, record.product_revision),
    )


def cable_of(conn: sqlite3.Connection, code: str, revision: int) -> Product | None:
    """The product as it was pinned, where it is a cable; its wiring is drawn where it failed."""
    document, _ = definitions.get_document(conn, "product", code, revision)
    if not (document.get("cable") or {}).get("connectors"):  # it may be written as null
        return None
    return Product.model_validate(document)
