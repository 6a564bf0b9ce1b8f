"""The engine: performs a sequence's steps on the units of a load, records each, survives aborts."""

import asyncio
import logging
import time
from collections.abc import Awaitable, Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace

from loricate.bench.bench import Bench
from loricate.bench.errors import Charged, GuardOpen, InstrumentFault
from loricate.bench.plan import FixturePlan
from loricate.core.attempts import Attempt, told_fault, told_reading
from loricate.core.measuring.actions import Answer
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import Cause, Verdict, worst
from loricate.core.measuring.roles import Role
from loricate.core.planning.line import NOTHING_SAID, LineOptions
from loricate.core.planning.scheduling import (
    Across,
    Alternative,
    PlannedStep,
    Task,
    choose,
    resources_of,
    tails_s,
    waiting_tasks,
)
from loricate.core.sequences.branching import is_wanted
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.execution.background import Background
from loricate.execution.driving import Cables
from loricate.execution.events import EventLog, now
from loricate.execution.load import LoadedUnit, NestZeroes, Recorder
from loricate.execution.operator import AGAIN, Decision, Operator
from loricate.execution.performing import Performer
from loricate.execution.questions import WHOLE_LOAD, Questions

GUARD_LOOK_S = 0.1
logger = logging.getLogger("loricate.execution")


@dataclass(frozen=True, slots=True)
class Stage:
    """A step, or what must be answered before it: asked first, so that it holds no instrument.

    ``among`` are the steps of which the operator chooses which comes next.
    """

    index: int
    is_cue: bool = False
    among: tuple[int, ...] = ()

    @property
    def is_asked(self) -> bool:
        """Whether nothing is done in it but asking."""
        return self.is_cue or bool(self.among)


@dataclass(slots=True)
class Work:
    """A task under way: its nests, the instrument of each role, and what it holds at present.

    While somebody must answer it holds none; ``wanted`` is what it waits for to go on after that.
    """

    nests: set[str]
    resources: frozenset[str]
    changed: asyncio.Event
    using: Mapping[Role, str] = field(default_factory=dict)
    wanted: frozenset[str] | None = None
    _let_go: frozenset[str] = frozenset()
    _given: asyncio.Event = field(default_factory=asyncio.Event)

    def let_go(self) -> None:
        """Let other tasks have what this one holds."""
        self._let_go, self.resources = self.resources, frozenset()
        self._given.clear()
        self.changed.set()

    async def take_up(self) -> None:
        """Return when this task holds again what it let go."""
        self.wanted = self._let_go
        self.changed.set()
        await self._given.wait()

    def give(self, resources: frozenset[str]) -> None:
        """Hold what was wanted, and go on."""
        self.resources, self.wanted = resources, None
        self._given.set()


class Engine(Background):
    """One run of one sequence on one load; instruments that are ``unfit`` are left alone.

    ``cables`` are others that a unit may be by mistake. ``doubt`` is asked once everything is
    done: the run has come to its end only if it finds no reason why what was measured may not be
    the units'. Of ``line`` the delay after the start and the stop after so many fails are done
    here.
    """

    def __init__(
        self,
        run_id: str,
        sequence: ReadySequence,
        fixture: FixturePlan,
        units: list[LoadedUnit],
        bench: Bench,
        recorder: Recorder,
        zeroes: Mapping[str, NestZeroes] | None = None,
        unfit: Collection[str] = (),
        cables: Cables = (),
        doubt: Callable[[], Awaitable[str]] | None = None,
        line: LineOptions = NOTHING_SAID,
    ) -> None:
        super().__init__(bench, sequence.is_hazardous)
        self._unfit, self._doubt, self._line = frozenset(unfit), doubt, line
        self.run_id, self.sequence, self.units = run_id, sequence, units
        self.recorder = recorder
        self.log = EventLog()
        self.questions = Questions(self.log)
        self._operator = Operator(self.questions, recorder, bench, sequence.is_hazardous)
        self._performer = Performer(
            bench, fixture, sequence, zeroes or {}, self._operator, self.log, cables, recorder
        )
        self._stages = _stages(sequence)
        self._next: dict[str, int] = {}
        self._todo: dict[str, set[str]] = {}  # what each nest has not done to its end
        self._works: dict[asyncio.Task[None], Work] = {}
        self._changed = asyncio.Event()
        self._halt_run = False
        self._failed: set[str] = set()  # nests

    def answer(self, nest: str, answer: Answer, number: int | None = None) -> bool:
        """Hand in the operator's answer for a nest; False when nothing was asked there."""
        found = self.questions.find(nest, number)
        return found is not None and self.questions.answer(found, answer)

    async def _run(self) -> None:
        told = [
            {"nest": unit.nest, "serial": unit.serial, "done": len(unit.attempts)}
            for unit in self.units
        ]
        self.log.publish("state", state="running", units=told)
        state, note = "aborted", ""
        try:
            await self._delay()
            await self._perform_steps()
            note = "" if self._doubt is None else await self._doubt()
            if not note:
                state, note = "finished", self._why_stopped
        except asyncio.CancelledError:
            note = self.abort_reason or "The service is stopping."
        except (GuardOpen, Charged) as error:
            self.bench.stop_now()
            note = str(error)
        except Exception as error:
            # Nothing that goes wrong here may leave an output on or a run that looks finished.
            self.bench.stop_now()
            logger.exception("run aborted", extra={"run": self.run_id})
            note = f"The run could not go on: {error}"
        finally:
            # Whole: a second cancel must not leave the bench connected to a unit.
            await self._to_its_end(self._end(state, note))

    async def _delay(self) -> None:
        """Wait as long after the start as the line wants; a guard that opens ends the run."""
        if not self._line.delay_s:
            return
        until = time.monotonic() + self._line.delay_s
        self.log.publish("delayed", for_s=self._line.delay_s)
        while (left_s := until - time.monotonic()) > 0:
            await asyncio.sleep(min(left_s, GUARD_LOOK_S))
            if self.sequence.is_hazardous and not await self.bench.guard_is_closed():
                raise GuardOpen

    async def _perform_steps(self) -> None:
        """Start whatever may start, wait for a change, and again, until nothing is left."""
        planned = [self._planned(stage) for stage in self._stages]
        for stage, plan in zip(self._stages, planned, strict=True):
            if not all(plan.needs):  # it would wait for ever, and the run look finished
                step = self.sequence.steps[stage.index]
                raise InstrumentFault("bench", f"has no instrument that can do step '{step.id}'")
        tails = tails_s(planned)
        for unit in self.units:
            self._take_up(unit)
        try:
            while True:
                self._changed.clear()
                busy = {nest for work in self._works.values() for nest in work.nests}
                await self._skip_halted(busy)
                await self._skip_unwanted(busy)
                held = self._give_back()
                waiting = waiting_tasks(planned, self._next, busy)
                for task, taken in choose(planned, waiting, held, tails):
                    self._launch(task, taken)
                if not self._works:
                    return
                await self._changed.wait()
                for work in [work for work in self._works if work.done()]:
                    del self._works[work]
                    work.result()
        finally:
            works = list(self._works)
            for work in works:
                work.cancel()
            if works:
                await asyncio.wait(works)
            self._works.clear()
            await self._operator.close()

    def _give_back(self) -> set[str]:
        """Give what is free to tasks that go on after an answer; gives all that is held then."""
        held = {name for work in self._works.values() for name in work.resources}
        for work in self._works.values():
            if work.wanted is not None and not work.wanted & held:
                held |= work.wanted
                work.give(work.wanted)
        return held

    def _launch(self, task: Task, taken: Sequence[Alternative]) -> None:
        roles = sorted(self.sequence.steps[self._stages[task.step].index].roles)
        using = dict(zip(roles, (each.instrument for each in taken), strict=False))
        work = Work(set(task.nests), resources_of(taken), self._changed, using)
        stage = self._stages[task.step]
        performing = self._perform_step
        if stage.is_asked:
            performing = self._ask_before if stage.is_cue else self._ask_what_next
        started = asyncio.create_task(performing(stage, task, work))
        started.add_done_callback(lambda _: self._changed.set())
        self._works[started] = work

    def _planned(self, stage: Stage) -> PlannedStep:
        step = self.sequence.steps[stage.index]
        if stage.is_asked:
            return PlannedStep((), 0.0, step.across)
        return PlannedStep(
            self.bench.needs_of(step.demands, self._unfit), step.programmed_s, step.across
        )

    def _take_up(self, unit: LoadedUnit) -> None:
        """Find what is to be done; what an earlier start of the run finished is kept."""
        if unit.todo is None:
            ids = [step.id for step in self.sequence.steps]
            unit.todo = frozenset(each for each in ids if unit.latest(each) is None)
            for step in self.sequence.steps:
                made = unit.latest(step.id)
                if made is not None and made.cause is not Cause.SKIPPED:
                    self._take_in(unit, step, made.verdict)
        self._todo[unit.nest] = set(unit.todo)
        self._go_on(unit)

    @property
    def _why_stopped(self) -> str:
        """What is to be said of a load that stopped early, by its line; empty of any other."""
        most = self._line.fails_in_a_load
        if not 0 < most <= len(self._failed):
            return ""
        told = "a failed unit" if most == 1 else f"{most} failed units"
        return f"Nothing more was begun after {told}, as the line has it."

    def _take_in(self, unit: LoadedUnit, step: ReadyStep, verdict: Verdict) -> None:
        """Halt the unit, or the run, when the step's verdict or the line asks for it."""
        if verdict is Verdict.FAIL:
            self._failed.add(unit.nest)
            if 0 < self._line.fails_in_a_load <= len(self._failed):
                self._halt_run = True
        if verdict is not Verdict.PASS and (
            step.on_fail != "carry_on" or verdict is Verdict.NOT_RUN
        ):
            unit.halted = True
            self._halt_run = self._halt_run or step.on_fail == "halt_run"

    def _go_on(self, unit: LoadedUnit) -> None:
        """Send a unit to the first stage of what it has still to do; one left is not chosen."""
        found = (
            at
            for at, stage in enumerate(self._stages)
            if len(self._left_at(stage, unit)) > bool(stage.among)
        )
        self._next[unit.nest] = next(found, len(self._stages))

    def _left_at(self, stage: Stage, unit: LoadedUnit) -> list[ReadyStep]:
        """The steps of a stage that a unit has still to do."""
        steps = [self.sequence.steps[index] for index in stage.among or (stage.index,)]
        return [step for step in steps if step.id in self._todo[unit.nest]]

    async def _skip_halted(self, busy: set[str]) -> None:
        """Record what a halted unit will not do, and take it out of the schedule."""
        for unit in self.units:
            if not (unit.halted or self._halt_run) or unit.nest in busy:
                continue
            left, self._todo[unit.nest] = self._todo[unit.nest], set()
            self._next[unit.nest] = len(self._stages)
            for step in self.sequence.steps:
                if step.id in left:
                    await self._keep(unit, self._performer.undone(step, unit, Cause.UNIT_HALTED))

    async def _skip_unwanted(self, busy: set[str]) -> None:
        """Record the steps whose ``when`` is not met as a unit comes to them, and go past."""
        for unit in self.units:
            if unit.nest in busy or unit.halted or self._halt_run:
                continue
            while self._next[unit.nest] < len(self._stages):
                left = self._left_at(self._stages[self._next[unit.nest]], unit)
                unwanted = [step for step in left if not is_wanted(step.when, unit.outcomes)]
                if not unwanted:
                    break
                for step in unwanted:
                    cause = Cause.CONDITION_NOT_MET if step.is_required else Cause.SKIPPED
                    note = f"Done only when {step.when.text}." if step.when is not None else ""
                    await self._keep(unit, self._performer.undone(step, unit, cause, note))
                    self._todo[unit.nest].discard(step.id)
                self._go_on(unit)

    def _units_in(self, task: Task) -> list[LoadedUnit]:
        return [unit for unit in self.units if unit.nest in task.nests]

    async def _ask_before(self, stage: Stage, task: Task, work: Work) -> None:
        """Put a step's cues that demand an answer, before anything is held for it."""
        step = self.sequence.steps[stage.index]
        units = self._units_in(task)
        groups = [units] if step.across is Across.ONCE else [[unit] for unit in units]

        async def ask(group: list[LoadedUnit]) -> None:
            await self._operator.ask_before(step, group, _place(step, group))
            self._release(group, work, task.step + 1)

        await asyncio.gather(*(ask(group) for group in groups))

    async def _ask_what_next(self, stage: Stage, task: Task, work: Work) -> None:
        """Have the operator choose among the steps of a group that a unit has still to do."""
        for unit in self._units_in(task):
            left = self._left_at(stage, unit)
            chosen = await self._operator.choose(left, unit.nest, len(stage.among))
            self._release([unit], work, self._first_stage_of(chosen))

    def _release(self, units: Sequence[LoadedUnit], work: Work, stage: int) -> None:
        """Let units go on to a stage, whatever the others of their task still wait for."""
        for unit in units:
            self._next[unit.nest] = stage
            work.nests.discard(unit.nest)
        self._changed.set()

    def _pass_on(self, units: Sequence[LoadedUnit], work: Work, step: ReadyStep) -> None:
        """Let units go on to what they have still to do after a step."""
        for unit in units:
            self._todo[unit.nest].discard(step.id)
            self._go_on(unit)
            work.nests.discard(unit.nest)
        self._changed.set()

    async def _perform_step(self, stage: Stage, task: Task, work: Work) -> None:
        step = self.sequence.steps[stage.index]
        units = self._units_in(task)
        self._operator.tell_before(step, units)
        for unit in units:
            self.log.publish(
                "step_started", nest=unit.nest, step=step.id, title=step.title, kind=step.kind.name
            )
        during = self._operator.ask_during(step, units, _place(step, units))
        try:
            performed = await self._performer.perform(step, units, work)
            for unit in units:
                await self._keep(unit, performed.of[unit.nest])
                if step.on_fail != "ask" and not _is_retried(step, unit):
                    # Before anything is let go: a run that is to halt must not start another step.
                    self._take_in(unit, step, performed.of[unit.nest].verdict)
            if performed.error is not None:
                # Nobody may touch the fixture now, and no relay may switch: the run ends here.
                raise performed.error
            work.resources = frozenset()
            self._changed.set()
            await during
        finally:
            during.cancel()
        groups = [units] if step.across is Across.ONCE else [[unit] for unit in units]
        await asyncio.gather(*(self._follow_up(group, step, work) for group in groups))

    async def _follow_up(self, units: list[LoadedUnit], step: ReadyStep, work: Work) -> None:
        """What comes after a step, with no instrument held: cues, and what a failure leads to."""
        attempt = units[0].latest(step.id) or self._performer.undone(step, units[0], Cause.NONE)
        place = _place(step, units)
        await self._operator.ask_after(step, units, place, attempt)
        if any(_is_retried(step, unit) for unit in units):
            for unit in units:
                unit.reasons[step.id] = "retried by itself"
            self._release(units, work, self._first_stage_of(step))
            return
        if attempt.verdict is Verdict.PASS or step.on_fail != "ask":
            self._pass_on(units, work, step)
            return
        decision = await self._operator.decide(step, units, place, attempt)
        if decision in AGAIN:
            self._release(units, work, self._first_stage_of(step))
            return
        for unit in units:
            unit.halted = unit.halted or decision is Decision.HALT_UNIT
        self._pass_on(units, work, step)

    def _first_stage_of(self, step: ReadyStep) -> int:
        return next(
            at
            for at, each in enumerate(self._stages)
            if self.sequence.steps[each.index] is step and not each.among
        )

    async def _keep(self, unit: LoadedUnit, performed: Attempt) -> None:
        attempt = replace(performed, ended_at=now())
        await self.recorder.attempt(unit, attempt)
        step = attempt.step
        unit.reasons.pop(step.id, None)
        unit.again_at.pop(step.id, None)
        unit.take(attempt)
        self.log.publish(
            "step_finished",
            nest=unit.nest,
            step=step.id,
            title=step.title,
            number=attempt.number,
            verdict=attempt.verdict,
            cause=attempt.cause,
            note=attempt.note,
            readings=[told_reading(graded) for graded in attempt.grade.readings],
            faults=[told_fault(fault) for fault in attempt.grade.faults],
        )

    def _show_residual(self, sample: Sample) -> None:
        self.log.publish("discharging", voltage=sample.values["voltage"])

    def _came_out(self, unit: LoadedUnit, state: str) -> tuple[Verdict, Cause]:
        """A unit's verdict and cause; none passes where nobody saw whether it was in to the end."""
        is_unsure = self._doubt is not None and state != "finished"
        if is_unsure and unit.verdict is Verdict.PASS:
            return Verdict.INCONCLUSIVE, Cause.ABORTED
        return unit.verdict, unit.cause

    async def _end(self, state: str, note: str) -> None:
        dangers = await self.bench.make_safe(self._show_residual)
        self._let_go()
        note = " ".join([note, *(each for each in dangers if each != note)]).strip()
        for unit in self.units:
            for step in self.sequence.steps:
                if unit.latest(step.id) is None:
                    unit.take(self._performer.undone(step, unit, Cause.ABORTED))
        came_out = [(unit, *self._came_out(unit, state)) for unit in self.units]
        verdict = worst(each for _, each, _ in came_out)
        results = {unit.run_unit_id: (each, str(cause)) for unit, each, cause in came_out}
        try:
            await self.recorder.ended(state, note, verdict, results)
        except Exception as error:
            # The record still says `running`; the next start of the service makes it `interrupted`.
            logger.exception("end of run not recorded", extra={"run": self.run_id})
            state, verdict = "interrupted", Verdict.INCONCLUSIVE
            note = f"{note} The end of the run could not be recorded: {error}".strip()
        for unit, unit_verdict, cause in came_out:
            self.log.publish(
                "unit_finished",
                nest=unit.nest,
                serial=unit.serial,
                verdict=unit_verdict,
                cause=cause,
            )
        self.log.publish("finished", state=state, verdict=verdict, note=note)
        self.log.close()


def _stages(sequence: ReadySequence) -> tuple[Stage, ...]:
    """Each step, with a stage of its own for what must be answered before it, or chosen."""
    groups = {group[0]: group for group in sequence.groups}
    stages = []
    for index, step in enumerate(sequence.steps):
        if index in groups:
            stages.append(Stage(index, among=groups[index]))
        if Operator.must_ask_before(step):
            stages.append(Stage(index, is_cue=True))
        stages.append(Stage(index))
    return tuple(stages)


def _is_retried(step: ReadyStep, unit: LoadedUnit) -> bool:
    """Whether a step that did not pass is done again by itself; what was never measured is not."""
    made = unit.latest(step.id)
    if made is None or made.verdict not in (Verdict.FAIL, Verdict.INCONCLUSIVE):
        return False
    tried = unit.tries(step.id)
    return tried <= step.retry and tried < step.attempts


def _place(step: ReadyStep, units: Sequence[LoadedUnit]) -> str:
    """The nest that a question of a step names."""
    return WHOLE_LOAD if step.across is Across.ONCE or len(units) > 1 else units[0].nest
