"""The engine: performs a sequence's steps on the units of a load, records each, survives aborts."""

import asyncio
import contextlib
import datetime as dt
import logging
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Protocol

from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError, GuardOpen, StillCharged
from loricate.bench.plan import FixturePlan
from loricate.core.actions import Answer, Ask, Role, Sample
from loricate.core.grading import (
    Cause,
    Measured,
    StepGrade,
    Verdict,
    grade_step,
    grade_unit,
    worst,
)  # fmt: skip
from loricate.core.scheduling import Across, PlannedStep, Task, choose, waiting_tasks
from loricate.core.sequences import ReadySequence, ReadyStep
from loricate.execution.events import EventLog

SAMPLE_INTERVAL_S = 0.08
WHOLE_LOAD = "all"  # the nest that a question names when it is asked once for the load
logger = logging.getLogger("loricate.execution")


@dataclass(slots=True)
class LoadedUnit:
    """A unit in its nest, and what came of it so far."""

    run_unit_id: str
    nest: str
    serial: str
    verdicts: dict[str, Verdict] = field(default_factory=dict)
    cause: Cause = Cause.NONE
    halted: bool = False

    @property
    def verdict(self) -> Verdict:
        """The unit's verdict from its steps."""
        return grade_unit(self.verdicts.values())


class Recorder(Protocol):
    """Where the engine leaves its results; both return once the result is durable."""

    async def attempt(
        self,
        unit: LoadedUnit,
        index: int,
        step: ReadyStep,
        grade: StepGrade,
        note: str,
        started: str,
    ) -> None:
        """Keep one attempt."""

    async def ended(
        self, state: str, note: str, verdict: Verdict, units: Mapping[str, tuple[Verdict, str]]
    ) -> None:
        """Keep how the run ended."""


class Engine:
    """One run of one sequence on one load."""

    def __init__(
        self,
        run_id: str,
        sequence: ReadySequence,
        fixture: FixturePlan,
        units: list[LoadedUnit],
        bench: Bench,
        recorder: Recorder,
    ) -> None:
        self.run_id, self.sequence, self.fixture, self.units = run_id, sequence, fixture, units
        self.bench, self.recorder = bench, recorder
        self.log = EventLog()
        self.questions: dict[str, tuple[Ask, asyncio.Future[Answer]]] = {}
        self._task: asyncio.Task[None] | None = None
        self._abort_reason = ""
        self._halt_run = False

    @property
    def is_running(self) -> bool:
        """Whether the run was started and has not ended."""
        return self._task is not None and not self._task.done()

    def start(self) -> None:
        """Begin; returns at once."""
        self._task = asyncio.get_running_loop().create_task(self._run())

    async def wait(self) -> None:
        """Return when the run has ended and its end is recorded."""
        if self._task is not None:
            await asyncio.wait([self._task])

    def abort(self, reason: str) -> None:
        """Outputs fall first; everything else comes after."""
        self.bench.stop_now()
        if self.is_running and not self._abort_reason and self._task is not None:
            self._abort_reason = reason
            self._task.cancel()

    def answer(self, nest: str, answer: Answer) -> bool:
        """Hand in the operator's answer for a nest; False when nothing was asked there."""
        waiting = self.questions.pop(nest, None)
        if waiting is None or waiting[1].done():
            return False
        waiting[1].set_result(answer)
        return True

    async def _run(self) -> None:
        self.log.publish(
            "state",
            state="running",
            units=[
                {"nest": u.nest, "serial": u.serial, "done": len(u.verdicts)} for u in self.units
            ],
        )
        state, note = "aborted", ""
        try:
            await self._perform_steps()
            state = "finished"
        except asyncio.CancelledError:
            note = self._abort_reason or "The service is stopping."
        except (GuardOpen, StillCharged) as error:
            self.bench.stop_now()
            note = str(error)
        except Exception as error:
            # Nothing that goes wrong here may leave an output on or a run that looks finished.
            self.bench.stop_now()
            logger.exception("run aborted", extra={"run": self.run_id})
            note = f"The run could not go on: {error}"
        finally:
            # Shielded: a second cancel must not leave the bench connected to a unit.
            await asyncio.shield(self._end(state, note))

    async def _perform_steps(self) -> None:
        """Start whatever may start, wait for the first to end, and again, until nothing is left."""
        planned = [self._planned(step) for step in self.sequence.steps]
        next_step = {unit.nest: self._resume(unit) for unit in self.units}
        running: dict[asyncio.Task[None], Task] = {}
        try:
            while True:
                busy = [nest for task in running.values() for nest in task.nests]
                await self._skip_halted(next_step, busy)
                held = [name for task in running.values() for name in planned[task.step].resources]
                for task in choose(planned, waiting_tasks(planned, next_step, busy), held):
                    running[asyncio.create_task(self._perform_task(task))] = task
                if not running:
                    return
                done, _ = await asyncio.wait(running, return_when=asyncio.FIRST_COMPLETED)
                for work in done:
                    for nest in running.pop(work).nests:
                        next_step[nest] += 1
                    work.result()
        finally:
            for work in running:
                work.cancel()
            if running:
                await asyncio.wait(running)

    def _resume(self, unit: LoadedUnit) -> int:
        """The unit's first step without a verdict; what an earlier start finished is kept."""
        for index, step in enumerate(self.sequence.steps):
            if step.id not in unit.verdicts:
                return index
            self._take_in(unit, step, unit.verdicts[step.id])
        return len(self.sequence.steps)

    def _take_in(self, unit: LoadedUnit, step: ReadyStep, verdict: Verdict) -> None:
        """Halt the unit, or the run, when the step's verdict asks for it."""
        if verdict is not Verdict.PASS and (
            step.on_fail != "carry_on" or verdict is Verdict.NOT_RUN
        ):
            unit.halted = True
            self._halt_run = self._halt_run or step.on_fail == "halt_run"

    def _planned(self, step: ReadyStep) -> PlannedStep:
        return PlannedStep(self.bench.resources(_roles(step)), step.programmed_s, step.across)

    async def _skip_halted(self, next_step: dict[str, int], busy: Iterable[str]) -> None:
        """Record what a halted unit will not do, and take it out of the schedule."""
        for unit in self.units:
            index = next_step[unit.nest]
            if (unit.halted or self._halt_run) and unit.nest not in busy:
                for place in range(index, len(self.sequence.steps)):
                    step = self.sequence.steps[place]
                    grade = StepGrade(Verdict.NOT_RUN, Cause.UNIT_HALTED, ())
                    await self._keep(place, step, unit, grade, "", _now())
                next_step[unit.nest] = len(self.sequence.steps)

    async def _perform_task(self, task: Task) -> None:
        step = self.sequence.steps[task.step]
        units = [unit for unit in self.units if unit.nest in task.nests]
        started, note = _now(), ""
        for unit in units:
            self.log.publish(
                "step_started", nest=unit.nest, step=step.id, title=step.title, kind=step.kind.name
            )
        try:
            measured = await self._perform_procedure(step, units)
            note = measured.note
            grade = grade_step(measured, step.limits, self.sequence.decision)
        except (GuardOpen, StillCharged) as error:
            # Nobody may touch the fixture now, and no relay may switch: the run ends here.
            self.bench.stop_now()
            cause = Cause.GUARD_OPEN if isinstance(error, GuardOpen) else Cause.INSTRUMENT
            grade = StepGrade(Verdict.NOT_RUN, cause, ())
            for unit in units:
                await self._keep(task.step, step, unit, grade, str(error), started)
            raise
        except BenchError as error:
            self.bench.stop_now(_roles(step))
            grade, note = StepGrade(Verdict.NOT_RUN, Cause.INSTRUMENT, ()), str(error)
        with contextlib.suppress(BenchError):  # a matrix that is gone fails the next connection
            await self.bench.disconnect(_roles(step))
        for unit in units:
            await self._keep(task.step, step, unit, grade, note, started)
            self._take_in(unit, step, grade.verdict)

    async def _perform_procedure(self, step: ReadyStep, units: list[LoadedUnit]) -> Measured:
        """Drive a step's procedure for one unit, or for the whole load when it is done once."""
        unit = units[0]
        asked_at = unit.nest if step.across is Across.EACH else WHOLE_LOAD
        columns = self.fixture.nests[unit.nest]
        procedure = step.procedure()
        show = self._sampler(step, unit)
        try:
            action = next(procedure)
            while True:
                if isinstance(action, Ask):
                    action = procedure.send(await self._ask(action, asked_at))
                else:
                    action = procedure.send(await self.bench.perform(action, columns, show))
        except StopIteration as done:
            measured: Measured = done.value
            return measured

    def _sampler(self, step: ReadyStep, unit: LoadedUnit) -> Callable[[Sample], None]:
        """Publish samples of a nest, the first of each phase and then a dozen a second."""
        shown: dict[str, float] = {}

        def show(sample: Sample) -> None:
            moment = time.monotonic()
            if moment - shown.get(sample.phase, 0.0) < SAMPLE_INTERVAL_S:
                return
            shown[sample.phase] = moment
            self.log.publish(
                "sample",
                nest=unit.nest,
                step=step.id,
                phase=sample.phase,
                elapsed_s=sample.elapsed_s,
                remaining_s=sample.remaining_s,
                values=dict(sample.values),
                bounds={name: str(bound) for name, bound in sample.bounds.items()},
            )

        return show

    async def _ask(self, ask: Ask, nest: str) -> Answer:
        answered: asyncio.Future[Answer] = asyncio.get_running_loop().create_future()
        self.questions[nest] = (ask, answered)
        self.log.publish("question", nest=nest, question=ask.question, choices=list(ask.choices))
        try:
            answer = await answered
        finally:
            self.questions.pop(nest, None)
        self.log.publish("answered", nest=nest, choice=answer.choice, note=answer.note)
        return answer

    async def _keep(
        self,
        index: int,
        step: ReadyStep,
        unit: LoadedUnit,
        grade: StepGrade,
        note: str,
        started: str,
    ) -> None:
        await self.recorder.attempt(unit, index, step, grade, note, started)
        unit.verdicts[step.id] = grade.verdict
        if grade.verdict is not Verdict.PASS and unit.cause is Cause.NONE:
            unit.cause = grade.cause
        self.log.publish(
            "step_finished",
            nest=unit.nest,
            step=step.id,
            title=step.title,
            verdict=grade.verdict,
            cause=grade.cause,
            note=note,
            readings=[
                {
                    "name": each.reading.name,
                    "text": each.reading.text,
                    "limit": each.limit.text if each.limit else "",
                    "source": each.limit.source.text if each.limit else "",
                    "margin": each.grade.margin if each.grade else None,
                    "verdict": each.grade.verdict if each.grade else "",
                }
                for each in grade.readings
            ],
        )

    async def _end(self, state: str, note: str) -> None:
        await self.bench.make_safe()
        for unit in self.units:
            for step in self.sequence.steps:
                if step.id not in unit.verdicts:
                    unit.verdicts[step.id] = Verdict.NOT_RUN
                    unit.cause = unit.cause or Cause.ABORTED
        verdict = worst(unit.verdict for unit in self.units)
        results = {unit.run_unit_id: (unit.verdict, str(unit.cause)) for unit in self.units}
        try:
            await self.recorder.ended(state, note, verdict, results)
        except Exception as error:
            # The record still says `running`; the next start of the service makes it `interrupted`.
            logger.exception("end of run not recorded", extra={"run": self.run_id})
            state, verdict = "interrupted", Verdict.INCONCLUSIVE
            note = f"{note} The end of the run could not be recorded: {error}".strip()
        for unit in self.units:
            self.log.publish(
                "unit_finished",
                nest=unit.nest,
                serial=unit.serial,
                verdict=unit.verdict,
                cause=unit.cause,
            )
        self.log.publish("finished", state=state, verdict=verdict, note=note)
        self.log.close()


def _roles(step: ReadyStep) -> set[Role]:
    """The instruments that a step uses."""
    return {demand.role for demand in step.demands}


def _now() -> str:
    moment = dt.datetime.now(dt.UTC).isoformat(timespec="milliseconds")
    return moment.replace("+00:00", "Z")
