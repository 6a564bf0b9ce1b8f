"""Rehearsals: prepared, started within minutes, watched, aborted; nothing of them is kept."""

import datetime as dt
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

from loricate.bench.bench import Bench
from loricate.core.attempts import Attempt
from loricate.core.errors import Finding, QuantityError
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Doubt, Measurand
from loricate.core.quantities import RATIO, exact_text, parse
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.rehearsing import STANDS_OFF, Taken, Use, take, unjudged_steps
from loricate.execution.engine import Engine
from loricate.execution.load import LoadedUnit
from loricate.execution.preflight import check_bench, check_load, unfit_instruments
from loricate.execution.rehearsal import SERIAL, Blackboard
from loricate.records import audit, doubts
from loricate.records.errors import NotFound
from loricate.records.stamps import new_id
from loricate.records.store import Store
from loricate.service.answering import answer_question
from loricate.service.errors import NotReady, WrongState
from loricate.service.holding import BenchHolders
from loricate.service.upkeep import Upkeeps

READY_LASTS_S = 300.0
KEPT = 10


@dataclass(frozen=True, slots=True)
class RehearsalSeen:
    """A rehearsal as it stood at one moment."""

    id: str
    sequence: ReadySequence
    fixture: str
    nest: str
    account: str
    state: str
    verdict: Verdict
    note: str
    attempts: tuple[Attempt, ...]
    questions: tuple[dict[str, object], ...]


@dataclass(slots=True)
class Rehearsal:
    """One rehearsal: its engine, and what it has found so far."""

    engine: Engine
    board: Blackboard
    fixture: str
    nest: str
    account: str
    ready_until: float
    is_dropped: bool = False

    @property
    def id(self) -> str:
        """Its identifier."""
        return self.engine.run_id

    @property
    def sequence(self) -> ReadySequence:
        """The steps that are tried."""
        return self.engine.sequence

    @property
    def state(self) -> str:
        """Where it stands: ready, running, finished or aborted."""
        if self.engine.is_running:
            return "running"
        if self.board.state:
            return self.board.state
        return "aborted" if self.is_dropped or time.monotonic() > self.ready_until else "ready"

    @property
    def verdict(self) -> Verdict:
        """The verdict of what was judged; without a limit for every step it is no pass."""
        is_open = bool(unjudged_steps(self.sequence))
        if self.board.verdict is Verdict.PASS and is_open:
            return Verdict.INCONCLUSIVE
        return self.board.verdict

    @property
    def seen(self) -> RehearsalSeen:
        """How it stands at this moment."""
        questions = self.engine.questions
        return RehearsalSeen(
            self.id,
            self.sequence,
            self.fixture,
            self.nest,
            self.account,
            self.state,
            self.verdict,
            self.board.note,
            tuple(self.board.attempts),
            tuple(questions.told(each) for each in questions.open),
        )


class Rehearsals:
    """The rehearsals of one service, the last few of them."""

    def __init__(self, store: Store, bench: Bench, upkeeps: Upkeeps, holders: BenchHolders) -> None:
        self.store, self.bench, self.upkeeps, self.holders = store, bench, upkeeps, holders
        self.all: dict[str, Rehearsal] = {}
        holders.add(self._holding)

    @property
    def running(self) -> Rehearsal | None:
        """The rehearsal that has the bench, or None."""
        return next((each for each in self.all.values() if each.engine.has_bench), None)

    @property
    def engines(self) -> list[Engine]:
        """Those of all rehearsals."""
        return [each.engine for each in self.all.values()]

    def _holding(self) -> str:
        found = self.running
        return "" if found is None else f"a rehearsal of {found.sequence.code} by {found.account}"

    async def close(self) -> None:
        """Abort what runs."""
        for each in self.all.values():
            if each.engine.is_running:
                each.engine.abort("The service is stopping.")
                await each.engine.wait()

    def find(self, rehearsal_id: str) -> Rehearsal:
        """The rehearsal of this id; raises NotFound."""
        found = self.all.get(rehearsal_id)
        if found is None:
            raise NotFound("rehearsal", rehearsal_id)
        return found

    async def prepare(
        self, sequence: ReadySequence, fixture_code: str, nest: str, account: str
    ) -> Rehearsal:
        """Check everything that can be known before anything is energised, as for a run."""
        found = list(check_load(self.bench.plan, fixture_code, [(nest, SERIAL)], sequence))
        await self.holders.look()
        today = dt.datetime.now(dt.UTC).date()
        found += check_bench(self.bench.states(), self.bench.capabilities(), sequence, today)
        if found:
            raise NotReady.because(_as_asked(found))
        fixture = self.upkeeps.fixture(fixture_code)
        board = Blackboard(keep_doubts=partial(self._keep_doubts, sequence.code))
        unit = LoadedUnit(new_id(), nest, SERIAL)
        zeroes = await self.upkeeps.zeroes(fixture_code)
        unfit = unfit_instruments(self.bench.states(), today)
        engine = Engine(new_id(), sequence, fixture, [unit], self.bench, board, zeroes, unfit)
        until = time.monotonic() + READY_LASTS_S
        made = Rehearsal(engine, board, fixture_code, nest, account, until)
        idle = [key for key, each in self.all.items() if not each.engine.is_running]
        for key in idle[: max(0, len(self.all) - KEPT + 1)]:
            del self.all[key]
        self.all[made.id] = made
        return made

    async def _keep_doubts(self, code: str, found: Sequence[Doubt]) -> None:
        place = f"rehearsal of {code}"
        await self.store.write(lambda conn: doubts.add_doubts(conn, found, place))

    async def start(self, rehearsal_id: str, account: str) -> None:
        """Start it; raises WrongState when it is not ready, the guard open or the bench busy."""
        found = self.find(rehearsal_id)
        code = found.sequence.code
        steps = ", ".join(step.id for step in found.sequence.steps)
        detail = f"nest {found.nest} of {found.fixture}: {steps}"
        async with self.holders.starting:
            if found.state != "ready":
                raise WrongState(f"The rehearsal is {found.state}; prepare another.")
            self.holders.refuse_if_busy()
            if not await self.bench.guard_is_closed():
                raise WrongState("The guard is open; close it, then start again.")
            await self.store.write(lambda conn: audit.note(conn, account, "rehearse", code, detail))
            found.engine.start()

    async def abort(self, rehearsal_id: str, account: str) -> None:
        """Outputs fall first; one that has not been started is dropped."""
        found = self.find(rehearsal_id)
        if found.engine.is_running:
            found.engine.abort(f"Aborted by {account}.")
            await found.engine.wait()
        elif found.state == "ready":
            found.is_dropped = True
            found.engine.log.close()
        else:
            raise WrongState(f"The rehearsal is {found.state}; there is nothing to abort.")

    async def answer(
        self, rehearsal_id: str, nest: str, answer: Answer, number: int | None
    ) -> None:
        """Hand in an answer; raises WrongState when nothing was asked there."""
        found = self.find(rehearsal_id)
        questions = found.engine.questions
        await answer_question(self.store, questions, rehearsal_id, nest, answer, number)

    def take(
        self,
        rehearsal_id: str,
        step_id: str,
        measurand: Measurand,
        repetition: int,
        use: str,
        allowance: str,
    ) -> tuple[Taken, ...]:
        """What to write into a step for readings to be its limits; raises NotReady."""
        found = self.find(rehearsal_id)
        try:
            part = parse(allowance, RATIO) if allowance else None
        except QuantityError as error:
            raise NotReady.because([Finding("allowance", str(error))]) from error
        if part is not None and not 0 <= part < 10:
            message = f"{allowance} is out of range", "give 0 % to 900 %."
            raise NotReady.because([Finding("allowance", *message)])
        try:
            readings, wrong = found.board.readings(step_id, measurand, repetition)
        except LookupError as error:
            raise NotReady.because([Finding("reading", str(error.args[0]))]) from error
        day = dt.datetime.now(dt.UTC).date()
        allowed = exact_text(STANDS_OFF if part is None else part, RATIO)
        step = found.sequence.step(step_id)
        taken: list[Taken] = []
        try:
            if use == Use.NOMINAL and wrong:
                raise ValueError(f"{wrong} A nominal value is taken from a good part.")
            for graded in readings:
                ground = (
                    f"{graded.reading.text} in a rehearsal of {day} by {found.account}, "
                    f"{allowed} allowed"
                )
                taken += take(step, graded.reading, Use(use), part, ground)
        except ValueError as error:
            raise NotReady.because([Finding("reading", str(error))]) from error
        return tuple(taken)


def _as_asked(findings: list[Finding]) -> list[Finding]:
    """A load of one nest is named as the request names it."""
    return [replace(each, path=each.path.replace("load[0].nest", "nest")) for each in findings]
