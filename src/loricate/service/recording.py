"""What the engine leaves, kept in the records."""

import asyncio
import contextlib
import sqlite3
from collections.abc import Callable, Mapping
from typing import Any

from loricate.core.attempts import Attempt, Kept
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Reading
from loricate.execution.load import Answered, LoadedUnit
from loricate.records import attempts, on_the_way, runs, upkeep
from loricate.records.store import Store

Issue = Callable[[str], None]  # have the documents of a run that has ended issued; nobody waits
AGAIN_S = 2.0


class LateEnds:
    """Ends of runs that could not be kept, for want of room most likely: tried until they are.

    Until then such a run is in the records as running, and here it is known to be over.
    """

    def __init__(self, store: Store, issue: Issue) -> None:
        self.store, self.issue = store, issue
        self.waiting: dict[str, Callable[[sqlite3.Connection], None]] = {}
        self._trying: asyncio.Task[None] | None = None

    def add(self, run_id: str, keep: Callable[[sqlite3.Connection], None]) -> None:
        """Try again until this end is kept."""
        self.waiting[run_id] = keep
        if self._trying is None or self._trying.done():
            self._trying = asyncio.create_task(self._try())

    async def _try(self) -> None:
        while self.waiting:
            await asyncio.sleep(AGAIN_S)
            for run_id, keep in list(self.waiting.items()):
                with contextlib.suppress(Exception):
                    await self.store.write(keep)
                    del self.waiting[run_id]
                    self.issue(run_id)

    def close(self) -> None:
        """Give up; the next start of the service finds the run interrupted."""
        if self._trying is not None:
            self._trying.cancel()


class RunRecorder:
    """Keeps one run's attempts, answers, zeroes and end."""

    def __init__(
        self, store: Store, issue: Issue, late: LateEnds, run_id: str, fixture: str
    ) -> None:
        self.store, self.issue, self.late = store, issue, late
        self.run_id, self.fixture = run_id, fixture

    async def attempt(self, unit: LoadedUnit, attempt: Attempt) -> None:
        """Keep one attempt with its readings, faults and curves."""
        await self.store.write(lambda conn: attempts.add_attempt(conn, unit.run_unit_id, attempt))

    async def kept(self, unit: LoadedUnit, kept: Kept) -> None:
        """Keep readings of a step that goes on."""
        await self.store.write(lambda conn: on_the_way.add_kept(conn, unit.run_unit_id, kept))

    async def answered(self, unit: LoadedUnit, answered: Answered) -> None:
        """Keep what the operator answered."""
        given = answered.answer
        await self.store.write(
            lambda conn: attempts.add_answer(
                conn,
                unit.run_unit_id,
                (answered.step_id, answered.attempt),
                answered.moment,
                answered.question,
                (given.choice, given.note, given.account),
                given.picture or None,
                {name: each.picture for name, each in given.beside.items() if each.picture},
            )
        )

    async def zeroed(self, unit: LoadedUnit, path: str, reading: Reading, account: str) -> None:
        """Keep the zero of a lead of the unit's nest."""
        zero = {unit.nest: {path: (reading.value, reading.uncertainty)}}
        await self.store.write(
            lambda conn: upkeep.add_zeroing(conn, self.fixture, zero, reading.instrument, account)
        )

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep how the run ended; its documents are issued after that, in nobody's way."""

        def keep(conn: sqlite3.Connection) -> None:
            runs.set_verdicts(conn, self.run_id, verdict, units)
            runs.set_state(conn, self.run_id, state, "engine", note)
            attempts.withdraw_repeats(conn, self.run_id)

        try:
            await self.store.write(keep)
        except Exception:
            self.late.add(self.run_id, keep)
            raise
        self.issue(self.run_id)


def loaded(unit: Mapping[str, Any], todo: frozenset[str] | None) -> LoadedUnit:
    """A unit in its nest as recorded, with its attempts so far."""
    found = LoadedUnit(unit["id"], unit["nest"], unit["serial"], todo=todo)
    for attempt in unit["attempts"]:
        found.take(attempt)
    return found
