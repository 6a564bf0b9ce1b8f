"""What the engine leaves, kept in the records."""

import sqlite3
from collections.abc import Mapping
from typing import Any

from loricate.core.grading import Cause, Verdict
from loricate.core.sequences import ReadyStep
from loricate.execution.load import Answered, LoadedUnit, Performed, StepOutcome
from loricate.records import attempts, runs
from loricate.records.store import Store
from loricate.service.issuing import Issuer


class RunRecorder:
    """Keeps one run's attempts, answers and end."""

    def __init__(self, store: Store, issuer: Issuer, run_id: str) -> None:
        self.store, self.issuer, self.run_id = store, issuer, run_id

    async def attempt(
        self, unit: LoadedUnit, index: int, step: ReadyStep, performed: Performed
    ) -> None:
        """Keep one attempt with its readings and trace."""
        place = (index, step.id, step.kind.name, step.title)
        await self.store.write(
            lambda conn: attempts.add_attempt(
                conn,
                unit.run_unit_id,
                place,
                performed.grade,
                performed.note,
                performed.started_at,
                performed.reason,
                performed.trace,
            )
        )

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
            )
        )

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep how the run ended, and issue its documents."""

        def keep(conn: sqlite3.Connection) -> None:
            runs.set_verdicts(conn, self.run_id, verdict, units)
            runs.set_state(conn, self.run_id, state, "engine", note)
            attempts.withdraw_repeats(conn, self.run_id)

        await self.store.write(keep)
        await self.issuer.issue_for(self.run_id)


def loaded(unit: Mapping[str, Any], todo: frozenset[str] | None) -> LoadedUnit:
    """A unit in its nest as recorded, with its attempts so far."""
    found = LoadedUnit(unit["id"], unit["nest"], unit["serial"], todo=todo)
    for attempt in unit["attempts"]:
        outcome = StepOutcome(Verdict(attempt["verdict"]), Cause(attempt["cause"]))
        found.take(attempt["step_id"], outcome)
    return found
