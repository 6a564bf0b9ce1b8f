"""Upkeep of a fixture on the bench: zeroing its leads, and its daily check."""

import asyncio
import logging
from abc import abstractmethod
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError, GuardOpen, Implausible
from loricate.bench.plan import FixturePlan
from loricate.bench.switching import Nest
from loricate.core.errors import CoreError
from loricate.core.fixtures.daily_check import BoxStep, check_findings
from loricate.core.fixtures.scanner_check import PathFault, Wiring, check_scanner
from loricate.core.fixtures.zeroes import Zero, take_off
from loricate.core.fixtures.zeroing import (
    ZeroMeasured,
    measure_path,
    path_problem,
    zero_by_wiring,
    zero_nest,
)
from loricate.core.measuring.actions import (
    Answer,
    Ask,
    Asking,
    Energise,
    Enter,
    Form,
    Off,
    Output,
    Scan,
    Scanned,
)
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import StepGrade
from loricate.core.measuring.impedance import ImpedancePath
from loricate.core.measuring.readings import Doubt
from loricate.core.measuring.roles import BOND, IMPEDANCE, WIRING, WITHSTAND, Role
from loricate.core.sequences.capability import can_do
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.execution.background import Background
from loricate.execution.driving import BenchDriver
from loricate.execution.events import EventLog, now
from loricate.execution.load import NestZeroes
from loricate.execution.questions import WHOLE_LOAD, Question, Questions, question_of

logger = logging.getLogger("loricate.execution")
DONE, STOP = "done", "stop"
ANSWER_WITHIN_S = 1800.0
R = TypeVar("R")


async def _forget(doubt: Doubt) -> None:
    """Nobody keeps doubts of this act."""


def unshown(sample: Sample) -> None:
    """Samples of upkeep are not shown."""


async def nobody_asked(action: Ask | Enter | Form) -> Answer:
    raise TypeError("Upkeep puts its questions itself.")


class UpkeepDriver(BenchDriver):
    """A bench's driver for acts of upkeep: what is doubted ends the act."""

    async def energise(self, action: Energise) -> Output:
        output = await super().energise(action)
        self._refuse_doubtful(output)
        return output

    async def off(self, action: Off) -> Output:
        output = await super().off(action)
        self._refuse_doubtful(output)
        return output

    async def scan(self, action: Scan) -> Scanned:
        scanned = await super().scan(action)
        self._refuse_doubtful(scanned.output)
        return scanned

    @staticmethod
    def _refuse_doubtful(output: Output) -> None:
        if output.doubts:
            raise Implausible(output.instrument, output.doubts[0].text)


class Stopped(Exception):
    """The operator stopped, or nobody answered."""


class Upkeep(Background):
    """One act of upkeep under way: asks the operator, measures, and leaves its result."""

    kind = ""

    def __init__(self, upkeep_id: str, fixture: FixturePlan, bench: Bench, account: str) -> None:
        super().__init__(bench)
        self.id, self.fixture, self.account = upkeep_id, fixture, account
        self.doubt: Callable[[Doubt], Awaitable[None]] = _forget
        self.started_at = now()
        self.log = EventLog()
        self.questions = Questions(self.log)
        self.state, self.findings = "running", tuple[str, ...]()
        self.touched: list[str] = []  # of an act that names what is touched
        self.made = ""  # the id of what it has left in the records, where that has one

    @abstractmethod
    async def perform(self) -> tuple[str, ...]:
        """Do the work and keep its result; gives what was found wrong."""

    async def _run(self) -> None:
        self.log.publish("state", state="running", kind=self.kind, fixture=self.fixture.code)
        state = "aborted"
        try:
            self.findings = await self.perform()
            state = "failed" if self.findings else "passed"
        except asyncio.CancelledError:
            self.findings = (self.abort_reason or "The service is stopping.",)
        except (BenchError, CoreError, Stopped) as error:
            self.bench.stop_now()
            self.findings = (str(error),)
            if isinstance(error, Implausible):
                await self.doubt(Doubt(error.instrument, error.reason))
        except Exception as error:
            self.bench.stop_now()
            logger.exception("upkeep aborted", extra={"upkeep": self.id})
            self.findings = (f"It could not go on: {error}",)
        finally:
            await self._to_its_end(self._end(state))

    async def _end(self, state: str) -> None:
        self.findings += await self.bench.make_safe()
        self._let_go()
        self.state = state
        self.log.publish("finished", state=state, findings=list(self.findings), made=self.made)
        self.log.close()

    async def _have_done(self, moment: str, text: str) -> None:
        """Ask the operator to do something by hand and wait until it is done."""
        question = Question(WHOLE_LOAD, text, (DONE, STOP), moment=moment, hands_in=True)
        async with self.bench.reach.hands(self.fixture.code):
            answer = await self.questions.ask(question, ANSWER_WITHIN_S)
        if answer is None or answer.choice == STOP:
            raise Stopped("Stopped by the operator." if answer else "Nobody answered.")

    async def _measure(
        self, procedure: Asking[R], nests: Sequence[Nest], leads: Mapping[str, Zero] = {}
    ) -> R:
        """Drive a procedure that asks nothing and hands back something of its own."""
        driver = UpkeepDriver(
            self.bench, self._using(), nests, nobody_asked, unshown, {}, leads=leads
        )
        return await driver.drive(procedure)

    def _using(self) -> dict[Role, str]:
        """The instrument of each role that upkeep is done with: the first that answers."""
        return {role: each[0] for role, each in self._answering().items() if each}

    def _answering(self) -> dict[Role, list[str]]:
        """The instruments of each role that answer, in their order."""
        found: dict[Role, list[str]] = {}
        for plan in self.bench.plan.instruments:
            own = found.setdefault(plan.role, [])
            if plan.id not in self.bench.problems:
                own.append(plan.id)
        return found


KeepZero = Callable[[dict[str, ZeroMeasured]], Awaitable[None]]
KeepPath = Callable[[str, ImpedancePath, complex, complex], Awaitable[None]]


class Zeroing(Upkeep):
    """Measures the leads of nests with their contacts shorted, and impedance paths open as well."""

    kind = "zero"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nests: Sequence[str],
        keep: KeepZero,
        paths: Sequence[ImpedancePath] = (),
        keep_path: KeepPath | None = None,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nests, self.keep = nests, keep
        self.paths, self.keep_path = paths, keep_path

    async def perform(self) -> tuple[str, ...]:
        named = ", ".join(self.nests)
        text = (
            f"Put a shorting plug into nest {named} of {self.fixture.code}, or clip all leads of "
            "each nest together."
        )
        await self._have_done("short", text)
        problems: list[str] = []
        good: dict[str, ZeroMeasured] = {}
        try:
            problems += await self._zero_nests(good)
        finally:
            # One record, whatever ended it: nests that were measured by then are zeroed.
            if good:
                await self.keep(good)
        return (*problems, *await self._zero_paths(list(good)))

    async def _zero_nests(self, good: dict[str, ZeroMeasured]) -> list[str]:
        """Measure nest after nest into ``good``; gives what was wrong with the others."""
        problems = []
        for nest in self.nests:
            columns = self.fixture.nests[nest]
            self.log.publish("progress", text=f"Zeroing nest {nest}")
            by_wiring = self.fixture.zeroed_by == WIRING
            procedure = zero_by_wiring if by_wiring else zero_nest
            measured = await self._measure(procedure(tuple(columns)), [columns])
            await self.bench.disconnect([self._using()[WIRING if by_wiring else BOND]])
            if measured.problem:
                problems.append(f"Nest {nest}: {measured.problem} Its last zero is kept.")
            else:
                good[nest] = measured
        return problems

    async def _zero_paths(self, nests: Sequence[str]) -> list[str]:
        """Impedance paths of nests that are shorted, as they are now, and then open."""
        wanted = [
            (nest, path)
            for nest in nests
            for path in self.paths
            if {path.high, path.low} <= set(self.fixture.nests[nest])
        ]
        if not wanted or self.keep_path is None:
            return []
        named = ", ".join(nests)
        shorted = await self._measure_paths(wanted)
        await self._have_done(
            "open", f"Take the shorting plug out of nest {named}; leave each nest empty."
        )
        opened = await self._measure_paths(wanted)
        problems = []
        for (nest, path), short_ohms, open_ohms in zip(wanted, shorted, opened, strict=True):
            if problem := path_problem(path, open_ohms, short_ohms):
                problems.append(f"Nest {nest}: {problem} Its last zero is kept.")
            else:
                await self.keep_path(nest, path, open_ohms, short_ohms)
        return problems

    async def _measure_paths(self, wanted: Sequence[tuple[str, ImpedancePath]]) -> list[complex]:
        found = []
        for nest, path in wanted:
            self.log.publish(
                "progress", text=f"Impedance of nest {nest}, {path.high} to {path.low}"
            )
            found.append(await self._measure(measure_path(path), [self.fixture.nests[nest]]))
            await self.bench.disconnect([self._using()[IMPEDANCE]])
        return found


@dataclass(frozen=True, slots=True)
class CheckReport:
    """All that a daily check found."""

    faults: tuple[PathFault, ...]
    good: tuple[BoxStep, ...]
    bad: tuple[BoxStep, ...]
    findings: tuple[str, ...]


KeepCheck = Callable[[CheckReport], Awaitable[None]]


class DailyCheck(Upkeep):
    """The scanner with the fixture empty, then both reference boxes in one nest."""

    kind = "daily_check"

    def __init__(
        self,
        upkeep_id: str,
        fixture: FixturePlan,
        bench: Bench,
        account: str,
        nest: str,
        sequence: ReadySequence,
        boxes: tuple[str, str],
        zeroes: NestZeroes,
        keep: KeepCheck,
    ) -> None:
        super().__init__(upkeep_id, fixture, bench, account)
        self.nest, self.sequence, self.boxes = nest, sequence, boxes
        self.zeroes, self.keep = zeroes, keep

    async def perform(self) -> tuple[str, ...]:
        code = self.fixture.code
        await self._have_done("empty", f"Empty every nest of {code} and close the guard.")
        if not await self.bench.guard_is_closed():
            raise GuardOpen
        self.log.publish("progress", text="Checking every relay and wire of the scanner")
        faults = await self._measure(check_scanner(self._wiring()), [])
        await self.bench.disconnect([None])
        good: tuple[BoxStep, ...] = ()
        bad: tuple[BoxStep, ...] = ()
        if not faults:
            good = await self._measure_box("good_box", "known-good", self.boxes[0])
            bad = await self._measure_box("bad_box", "known-bad", self.boxes[1])
        findings = check_findings(faults, good, bad)
        await self.keep(CheckReport(faults, good, bad, findings))
        return findings

    def _wiring(self) -> Wiring:
        rows = {
            row: f"{name} {terminal}"
            for name, terminals in self.bench.plan.rows.items()
            for terminal, numbers in terminals.items()
            for row in numbers
        }
        columns = {
            column: f"nest {nest} {contact}"
            for nest, contacts in self.fixture.nests.items()
            for contact, column in contacts.items()
        }
        probe = self.bench.plan.rows[self._using()[WITHSTAND]]
        return Wiring(rows, columns, probe["high"][0], probe["low"][0])

    async def _measure_box(self, moment: str, which: str, serial: str) -> tuple[BoxStep, ...]:
        text = (
            f"Put the {which} box {serial} into nest {self.nest} of {self.fixture.code} and close "
            "the guard."
        )
        await self._have_done(moment, text)
        found = []
        for step in self.sequence.steps:
            for using in self._each_once(step):
                title = step.title
                if any(len(self._answering()[role]) > 1 for role in using):
                    title = f"{title}, {' and '.join(using.values())}"
                self.log.publish("progress", text=f"{title}, {which} box")
                grade, note = await self._box_step(step, using)
                found.append(BoxStep(step.id, title, grade, note))
        return tuple(found)

    def _each_once(self, step: ReadyStep) -> list[dict[Role, str]]:
        """The instruments to do a step with, so that each that could be taken is tried."""
        able = {
            role: [
                name
                for name in self._answering()[role]
                if can_do(self.bench.instruments[name].capability, role, step.demands)
            ]
            for role in step.roles
        }
        times = max((len(names) for names in able.values()), default=1)
        return [
            {role: names[turn % len(names)] for role, names in able.items()}
            for turn in range(times)
        ]

    async def _box_step(self, step: ReadyStep, using: Mapping[Role, str]) -> tuple[StepGrade, str]:
        async def ask(ask: Ask | Enter | Form) -> Answer:
            question = question_of(ask, self.nest, step.id)
            answer = await self.questions.ask(question, ANSWER_WITHIN_S)
            if answer is None:
                raise Stopped("Nobody answered.")
            return answer

        columns = self.fixture.nests[self.nest]
        driver = BenchDriver(
            self.bench,
            using,
            [columns],
            ask,
            unshown,
            self.zeroes.paths,
            leads=self.zeroes.leads,
        )
        measured = await driver.measure(step.procedure())
        await self.bench.disconnect(using.values())
        measured = take_off(measured, step.leads, self.zeroes.leads)
        return step.graded(measured, self.sequence.decision), measured.note
