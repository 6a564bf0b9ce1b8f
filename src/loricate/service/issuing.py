"""Issuing: the gate, the number, the ledger entry and the paper for each unit of a finished run."""

import asyncio
import datetime as dt
import sqlite3
from collections.abc import Mapping
from typing import Any

from loricate import __version__
from loricate.certificates.documents import Issue, certificate_number, make_document
from loricate.certificates.ledger import GENESIS, entry_hash
from loricate.certificates.paper import make_pdf
from loricate.certificates.sealing import SiteKey, digest, seal
from loricate.core.expected import Done, asked_by_sets, expected_tests
from loricate.core.gate import Condition, Coverage, certificate_gate, is_open
from loricate.core.grading import Cause, Verdict
from loricate.core.limit_sets import LimitSets
from loricate.core.sequences import ReadySequence
from loricate.records import audit, certificates, doubts, runs, sequences
from loricate.records.certificates import LedgerEntry
from loricate.records.sequences import SequenceRecord
from loricate.records.store import Store, now
from loricate.service.exporting import Exporter


def gate_of(
    run: dict[str, Any],
    unit: dict[str, Any],
    sequence: ReadySequence,
    limit_sets: LimitSets,
    status: str,
    doubted: Mapping[str, str],
) -> tuple[Condition, ...]:
    """The gate of one unit from its records.

    ``doubted`` says, by instrument, what was not plausible up to the end of the run.
    """
    attempts = {each["step_id"]: each for each in unit["attempts"]}
    # A step whose condition was not met was not wanted of this unit.
    skipped = {name for name, each in attempts.items() if each["cause"] == Cause.SKIPPED}
    latest = {
        name: Verdict(each["verdict"]) for name, each in attempts.items() if name not in skipped
    }
    due: dict[str, dt.date] = {}
    for each in run["bench"]["instruments"]:
        ends = dt.date.fromisoformat(each["due"])
        due[each["id"]] = min(due.get(each["id"], ends), ends)
    tested = dt.date.fromisoformat((run["started_at"] or run["created_at"])[:10])
    steps = [step.id for step in sequence.steps if step.id not in skipped]
    upkeep = tuple(Condition(**each) for each in run["bench"].get("upkeep", ()))
    return certificate_gate(
        run["state"],
        status,
        steps,
        latest,
        due,
        tested,
        _coverage(attempts, sequence, limit_sets),
        doubted,
        upkeep,
    )


def _coverage(
    attempts: Mapping[str, Mapping[str, Any]], sequence: ReadySequence, limit_sets: LimitSets
) -> Coverage:
    """What was expected of the unit, and what came of the latest attempt at each of its steps."""
    cited = [limit.source.limit_set for step in sequence.steps for limit in step.limits.values()]
    product = sequence.product
    done = {
        name: Done(
            each["kind"],
            Verdict(each["verdict"]),
            any(row["instrument"] and row["verdict"] == "pass" for row in each["readings"]),
        )
        for name, each in attempts.items()
    }
    expected = [*expected_tests(product), *asked_by_sets(product, cited, limit_sets)]
    return Coverage(product, expected, done)


def doubts_of(conn: sqlite3.Connection, run: Mapping[str, Any]) -> dict[str, str]:
    """What of a run's instruments was not plausible: since their daily check, until its end."""
    used = [each["id"] for each in run["bench"]["instruments"]]
    begun, ended = run["started_at"] or run["created_at"], run["ended_at"] or now()
    return doubts.standing_doubts(conn, used, begun, ended)


def is_settled(unit: dict[str, Any]) -> bool:
    """Whether a unit's document, if it has one, tells of its latest attempt."""
    started = max((each["started_at"] for each in unit["attempts"]), default="")
    return unit["certificate"] is not None and unit["certified_at"] >= started


class Issuer:
    """Issues documents one at a time, so that numbers and the chain have no gaps."""

    def __init__(
        self, store: Store, key: SiteKey, base_url: str, page_size: str, exporter: Exporter
    ) -> None:
        self.store, self.key, self.base_url, self.page_size = store, key, base_url, page_size
        self.exporter = exporter
        self._lock = asyncio.Lock()

    async def issue_missing(self) -> None:
        """Issue for finished runs what a service that died just then left unissued."""
        for run in await self.store.read(lambda conn: runs.list_runs(conn, 50)):
            if run["state"] == "finished":
                await self.issue_for(run["id"])

    async def issue_for(self, run_id: str) -> None:
        """Issue a certificate to each passing unit, a nonconformance report to each failing one."""
        run = await self.store.read(lambda conn: runs.get_run(conn, run_id))
        if run["state"] != "finished":
            return
        sequence, limit_sets, record, doubted = await self._grounds(run)
        for unit in run["units"]:
            if is_settled(unit):
                continue
            gate = gate_of(run, unit, sequence, limit_sets, record.status, doubted)
            kind = ""
            if is_open(gate) and unit["verdict"] == "pass":
                kind = "certificate"
            elif unit["verdict"] == "fail":
                kind = "nonconformance"
            if kind:
                await self._issue(kind, run, unit, sequence, gate, record)

    async def why_not(self, run: dict[str, Any]) -> dict[str, list[str]]:
        """Why units of a finished run that passed have no certificate, by nest."""
        passed = [
            unit
            for unit in run["units"]
            if unit["verdict"] == "pass" and unit["certificate"] is None
        ]
        if run["state"] != "finished" or not passed:
            return {}
        sequence, limit_sets, record, doubted = await self._grounds(run)
        return {
            unit["nest"]: [
                f"{each.name.capitalize()}: {each.reason}"
                for each in gate_of(run, unit, sequence, limit_sets, record.status, doubted)
                if not each.met
            ]
            for unit in passed
        }

    async def _grounds(
        self, run: dict[str, Any]
    ) -> tuple[ReadySequence, LimitSets, SequenceRecord, dict[str, str]]:
        """What a run's gates are judged by: its sequence, limits, record, and doubts."""
        code, revision = run["sequence_code"], run["sequence_revision"]

        def look(
            conn: sqlite3.Connection,
        ) -> tuple[ReadySequence, LimitSets, SequenceRecord, dict[str, str]]:
            record = sequences.get_sequence(conn, code, revision)
            sequence = sequences.ready_sequence(conn, record)
            limit_sets = sequences.pinned_limit_sets(conn, record)
            return sequence, limit_sets, record, doubts_of(conn, run)

        return await self.store.read(look)

    async def _issue(
        self,
        kind: str,
        run: dict[str, Any],
        unit: dict[str, Any],
        sequence: ReadySequence,
        gate: tuple[Condition, ...],
        record: SequenceRecord,
    ) -> None:
        async with self._lock:
            issued_at = now()
            day = dt.date.fromisoformat(issued_at[:10])
            last = await self.store.read(certificates.last_entry)
            count = await self.store.read(lambda c: certificates.count_issued(c, kind, day.year))
            number = certificate_number(kind, day, count)
            position = 1 if last is None else last.position + 1
            previous = GENESIS if last is None else last.hash
            url = f"{self.base_url}/verify/{number}"
            issue = Issue(
                kind, number, issued_at, position, previous, url, __version__,
                record.product_revision, unit["certificate"] or "",
                tuple(record.release.get("left", ())),
            )  # fmt: skip
            document = make_document(issue, run, unit, sequence, gate)
            sealed = seal(document, self.key)
            pdf = await asyncio.to_thread(make_pdf, document, sealed, self.key, self.page_size)
            document_digest = digest(document)
            entry = LedgerEntry(
                position, number, kind, unit["id"], unit["serial"], issued_at, document_digest,
                previous, entry_hash(position, number, document_digest, previous), sealed, pdf,
                unit["certificate"],
            )  # fmt: skip

            def keep(conn: sqlite3.Connection) -> None:
                certificates.add_entry(conn, entry)
                audit.note(conn, "service", f"issue {kind}", number, unit["serial"])

            await self.store.write(keep)
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
            contents = {"pdf": pdf, "json": sealed.encode()}
            await asyncio.to_thread(self.exporter.write, facts, contents)
