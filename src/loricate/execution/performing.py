"""Performing a step: for one unit, once for a load, or for units in parallel on one source."""

import asyncio
import contextlib
import datetime as dt
import logging
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

from loricate.bench.bench import Bench
from loricate.bench.care import Care
from loricate.bench.errors import BenchError, Charged, GuardOpen, Implausible
from loricate.bench.outputs import AT_LEVEL
from loricate.bench.plan import FixturePlan
from loricate.core.attempts import Attempt, Kept
from loricate.core.fixtures.zeroes import Zero, take_off
from loricate.core.measuring.actions import Answer, Ask, At, Enter, Form, Keep, KeepZero, Tell
from loricate.core.measuring.curves import Curve, Sample, thinned_together
from loricate.core.measuring.ganging import share
from loricate.core.measuring.grading import Cause, Measured, StepGrade, Verdict
from loricate.core.measuring.meters import meters_of
from loricate.core.measuring.plausibility import doubts_text
from loricate.core.measuring.readings import Doubt
from loricate.core.measuring.repetitions import (
    Repeat,
    decision,
    grade_repetitions,
    repetitions_text,
)
from loricate.core.measuring.roles import Role
from loricate.core.planning.scheduling import Across
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.core.sequences.released import step_as_done
from loricate.execution.driving import BenchDriver, Cables, no_temperature, nothing_recalled
from loricate.execution.events import EventLog, now
from loricate.execution.load import LoadedUnit, NestZeroes, Recorder
from loricate.execution.operator import Operator
from loricate.execution.points_again import at_points, with_the_others
from loricate.execution.questions import WHOLE_LOAD

SAMPLE_INTERVAL_S = 0.08
LONG_S, LONG_INTERVAL_S = 60.0, 1.0
logger = logging.getLogger("loricate.execution")


@dataclass(slots=True)
class Performed:
    """The attempt at a step by nest, and the error that must end the run, if one came."""

    of: dict[str, Attempt] = field(default_factory=dict)
    error: GuardOpen | Charged | None = None


class Holding(Protocol):
    """What a task holds of the bench; it is let go while somebody must answer."""

    using: Mapping[Role, str]

    def let_go(self) -> None:
        """Let other tasks have it."""

    async def take_up(self) -> None:
        """Return when it is held again."""


class Performer:
    """Performs the steps of one run on its bench."""

    def __init__(
        self,
        bench: Bench,
        fixture: FixturePlan,
        sequence: ReadySequence,
        zeroes: Mapping[str, NestZeroes],
        operator: Operator,
        log: EventLog,
        cables: Cables,
        recorder: Recorder,
    ) -> None:
        self.bench, self.fixture, self.decision = bench, fixture, sequence.decision
        self.may_be_hazardous = sequence.is_hazardous  # else nobody had to arm it
        self.zeroes = dict(zeroes)
        self.operator, self.log, self.cables = operator, log, cables
        self.recorder = recorder
        self._kept = {
            step.id: (index, step_as_done(step)) for index, step in enumerate(sequence.steps)
        }

    def undone(
        self,
        step: ReadyStep,
        unit: LoadedUnit,
        cause: Cause,
        note: str = "",
        started_at: str = "",
        doubts: tuple[Doubt, ...] = (),
    ) -> Attempt:
        """The attempt at a step that was not done, or not to its end."""
        grade = StepGrade(Verdict.NOT_RUN, cause, doubts=doubts)
        return self._attempt(step, unit, grade, note, started_at or now())

    def _attempt(
        self,
        step: ReadyStep,
        unit: LoadedUnit,
        grade: StepGrade,
        note: str,
        started_at: str,
        curves: tuple[Curve, ...] = (),
    ) -> Attempt:
        index, kept = self._kept[step.id]
        reason = unit.reasons.get(step.id, "")
        number = unit.next_number(step.id)
        return Attempt(kept, index, number, grade, note, reason, started_at, curves=curves)

    async def perform(
        self, step: ReadyStep, units: list[LoadedUnit], holding: Holding
    ) -> Performed:
        """Perform a step for its units and grade it; its paths are open when this returns."""
        if step.repeat is not None:
            return await self._repeated(step, step.repeat, units, holding)
        return await self._once(step, units, holding)

    async def _repeated(
        self, step: ReadyStep, repeat: Repeat, units: list[LoadedUnit], holding: Holding
    ) -> Performed:
        """Perform a step again and again, for each unit until its repetitions are decided."""
        found = Performed()
        came: dict[str, list[Attempt]] = {unit.nest: [] for unit in units}
        undecided = list(units)
        while undecided:
            once = await self._once(step, undecided, holding)
            found.error = once.error
            for unit in undecided:
                came[unit.nest].append(once.of[unit.nest])
                self.log.publish(
                    "repetition",
                    nest=unit.nest,
                    step=step.id,
                    number=len(came[unit.nest]),
                    times=repeat.times,
                    verdict=once.of[unit.nest].verdict,
                )
            undecided = [
                unit for unit in undecided if decision(repeat, _verdicts(came[unit.nest])) is None
            ]
        for nest, attempts in came.items():
            found.of[nest] = _joined(repeat, attempts)
        return found

    async def _once(self, step: ReadyStep, units: list[LoadedUnit], holding: Holding) -> Performed:
        found = Performed()
        await self._measure(step, units, found, holding)
        is_ganged = step.across is Across.TOGETHER and len(units) > 1
        verdict = found.of[units[0].nest].verdict
        if not is_ganged or verdict in (Verdict.PASS, Verdict.NOT_RUN):
            return found
        # The sum decides nothing about one unit that may be bad: each is measured by itself.
        note = f"The sum of nests {', '.join(unit.nest for unit in units)} decided nothing."
        for unit in units:
            if found.error is None:
                await self._measure(step, [unit], found, holding)
                own = found.of[unit.nest]
                found.of[unit.nest] = replace(own, note=f"{note} {own.note}".strip())
            else:
                found.of[unit.nest] = self._broken_off(unit, step, found.error, now())
        return found

    async def _measure(
        self, step: ReadyStep, units: list[LoadedUnit], found: Performed, holding: Holding
    ) -> None:
        """Measure one unit, or several as one, and leave the graded result for each nest."""
        started = now()
        names = list(holding.using.values())
        try:
            measured, grade = await self._measured(step, units, holding)
            note = " ".join(text for text in (measured.note, doubts_text(grade.doubts)) if text)
            # Dozens of waveforms take a while, and the loop that beats does nothing else.
            curves = await asyncio.to_thread(thinned_together, measured.curves)
            for unit in units:
                found.of[unit.nest] = self._attempt(step, unit, grade, note, started, curves)
        except (GuardOpen, Charged) as error:
            self.bench.stop_now()
            found.error = error
            for unit in units:
                found.of[unit.nest] = self._broken_off(unit, step, error, started)
            return
        except Exception as error:
            # What goes wrong in one nest's measurement, a defect included, must not end the others.
            self.bench.stop_now(names)
            if not isinstance(error, BenchError):
                logger.exception("step failed", extra={"step": step.id})
            for unit in units:
                found.of[unit.nest] = self._broken_off(unit, step, error, started)
        with contextlib.suppress(BenchError):  # a matrix that is gone fails the next connection
            await self.bench.disconnect(names)

    async def _measured(
        self, step: ReadyStep, units: list[LoadedUnit], holding: Holding
    ) -> tuple[Measured, StepGrade]:
        is_ganged = step.across is Across.TOGETHER and len(units) > 1
        measured_units = units if is_ganged else units[:1]
        nests = [unit.nest for unit in measured_units]
        place = WHOLE_LOAD if step.across is Across.ONCE or is_ganged else nests[0]

        async def ask(ask: Ask | Enter | Form) -> Answer:
            wanted = ask.position if isinstance(ask, Ask) else ""
            if isinstance(ask, Ask) and wanted and units[0].stands == wanted:
                return Answer(ask.passing)  # it was seen there, or put there, in this run
            # No instrument waits for a person: others may have it until there is an answer.
            await self.bench.disconnect(holding.using.values())
            holding.let_go()
            answer = await self.operator.ask_check(ask, step, units, place)
            await holding.take_up()
            if isinstance(ask, Ask) and wanted and answer.choice == ask.passing:
                units[0].stands = wanted
            return answer

        zeroes = self.zeroes.get(nests[0], NestZeroes())
        taken: list[KeepZero] = []

        async def hold_back(action: KeepZero) -> None:
            taken.append(action)

        show, waits_for = self._sampler(step, nests, holding.using)
        driver = BenchDriver(
            self.bench,
            holding.using,
            [self.fixture.nests[nest] for nest in nests],
            ask,
            show,
            zeroes.paths,
            step.lead_in_s,
            Care(
                step.discharge_within_s,
                step.earthed_s,
                self.may_be_hazardous,
                step.earthed_times,
            ),
            # Under an output nothing is let go for an answer.
            lambda ask: self.operator.ask_meanwhile(ask, step, units, place),
            lambda action: self._show_point(step, nests, action),
            units[0].recall if len(units) == 1 else nothing_recalled,
            lambda: self.operator.reaching(step, units, place),
            lambda action: self._tell(step, nests, action),
            self.cables,
            units[0].temperature if len(units) == 1 else no_temperature,
            lambda action, point: self._keep(step, measured_units, action, point),
            waits_for,
            zeroes.leads,
            hold_back,
        )
        names, before = units[0].again_at.get(step.id), units[0].latest(step.id)
        some = step if names is None else at_points(step, names)
        measured = await driver.measure(some.procedure())
        units[0].stands = measured.position or units[0].stands
        if is_ganged:
            measured = share(measured, step.kind.ganged, tuple(nests))
        else:
            measured = take_off(measured, some.leads, zeroes.leads)
        if names is not None and before is not None:
            measured = with_the_others(measured, step, before)
        grade = step.graded(measured, self.decision)
        if grade.verdict is Verdict.PASS:
            # Only a zero that a step has passed with counts for others: one that was taken at the
            # wrong place, or by a source that is not believed, would hide the next unit's fault.
            for action in taken:
                await self._zeroed(measured_units[0], action)
        return measured, grade

    async def _zeroed(self, unit: LoadedUnit, action: KeepZero) -> None:
        """Keep the zero of a lead, for later steps of this nest and for later runs."""
        await self.recorder.zeroed(unit, action.path, action.reading, action.account)
        own = self.zeroes.get(unit.nest, NestZeroes())
        zero = Zero(action.reading.value, action.reading.uncertainty, dt.datetime.now(dt.UTC))
        self.zeroes[unit.nest] = replace(own, leads={**own.leads, action.path: zero})

    def _tell(self, step: ReadyStep, nests: Sequence[str], action: Tell) -> None:
        for nest in nests:
            self.log.publish(
                "cue",
                nest=nest,
                step=step.id,
                moment="refused" if action.is_refusal else "told",
                text=action.text,
                picture="",
            )

    def _broken_off(
        self, unit: LoadedUnit, step: ReadyStep, error: Exception, started: str
    ) -> Attempt:
        cause = Cause.GUARD_OPEN if isinstance(error, GuardOpen) else Cause.INSTRUMENT
        doubts = (Doubt(error.instrument, error.reason),) if isinstance(error, Implausible) else ()
        return self.undone(step, unit, cause, str(error), started, doubts)

    def _show_point(self, step: ReadyStep, nests: list[str], action: At) -> None:
        """Publish how far a step has come among its points."""
        for nest in nests:
            self.log.publish(
                "point",
                nest=nest,
                step=step.id,
                point=action.point,
                number=action.number,
                of=action.of,
            )

    def _sampler(
        self, step: ReadyStep, nests: list[str], using: Mapping[Role, str]
    ) -> tuple[Callable[[Sample], None], Callable[[str], None]]:
        """Publish samples for nests, the first of each phase and then a dozen a second.

        Of an output that is on for minutes one a second is enough, but where breaks are counted.
        Beside it what is told what a hold waits for.
        """
        shown: dict[str, float] = {}
        waiting = ""
        dimensions = {
            name: dimension
            for instrument in using.values()
            for name, dimension in self.bench.instruments[instrument].profile.sampled.items()
        }

        def show(sample: Sample) -> None:
            moment = time.monotonic()
            is_long = sample.elapsed_s > LONG_S and "breaks" not in sample.values
            interval_s = LONG_INTERVAL_S if is_long else SAMPLE_INTERVAL_S
            if moment - shown.get(sample.phase, 0.0) < interval_s:
                return
            shown[sample.phase] = moment
            meters = meters_of(sample, step.kind.meters, dimensions)
            for nest in nests:
                self.log.publish(
                    "sample",
                    nest=nest,
                    step=step.id,
                    phase=sample.phase,
                    elapsed_s=sample.elapsed_s,
                    remaining_s=sample.remaining_s,
                    values=dict(sample.values),
                    meters=meters,
                    bounds={name: str(bound) for name, bound in sample.bounds.items()},
                    waiting=waiting if sample.phase == AT_LEVEL else "",
                )

        def waits_for(text: str) -> None:
            nonlocal waiting
            waiting = text

        return show, waits_for

    async def _keep(
        self, step: ReadyStep, units: Sequence[LoadedUnit], action: Keep, point: str
    ) -> None:
        """Keep readings of a step that goes on, and show them."""
        readings = tuple(each.at(each.point or point) for each in action.readings)
        for unit in units:
            kept = Kept(step.id, unit.next_number(step.id), action.at_s, readings)
            await self.recorder.kept(unit, kept)
            for reading in readings:
                self.log.publish(
                    "kept",
                    nest=unit.nest,
                    step=step.id,
                    point=reading.point,
                    at_s=action.at_s,
                    quantity=reading.quantity,
                    text=reading.text,
                )


def _verdicts(attempts: Sequence[Attempt]) -> list[Verdict]:
    return [attempt.verdict for attempt in attempts]


def _joined(repeat: Repeat, repetitions: Sequence[Attempt]) -> Attempt:
    """The repetitions of a step as one attempt; what they noted is said once."""
    notes = dict.fromkeys(each.note for each in repetitions if each.note)
    told = [repetitions_text(repeat, _verdicts(repetitions)), *notes]
    curves = tuple(
        replace(curve, repetition=number)
        for number, each in enumerate(repetitions, start=1)
        for curve in each.curves
    )
    return replace(
        repetitions[0],
        grade=grade_repetitions(repeat, [each.grade for each in repetitions]),
        note=" ".join(told),
        curves=thinned_together(curves),
    )
