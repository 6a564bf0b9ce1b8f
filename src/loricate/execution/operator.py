"""The operator's part in a run: cues shown and answered, and what to do after a failure."""

import asyncio
from collections.abc import AsyncIterator, Sequence
from contextlib import AbstractAsyncContextManager, asynccontextmanager, suppress
from dataclasses import replace
from enum import StrEnum

from loricate.bench.bench import Bench
from loricate.bench.errors import BenchError
from loricate.core.attempts import Attempt
from loricate.core.measuring.actions import Answer, Ask, Enter, Form
from loricate.core.measuring.grading import Verdict
from loricate.core.sequences.cues import Cue, Moment, cues_after, cues_at
from loricate.core.sequences.ready import ReadyStep
from loricate.execution.load import Answered, LoadedUnit, Recorder
from loricate.execution.points_again import points_to_repeat
from loricate.execution.questions import WHOLE_LOAD, Question, Questions, question_of

HANDS_OUT = "hands are out"
HANDS_OUT_TEXT = "Take your hands out and close the guard, then say so."


class Decision(StrEnum):
    """What may be done after a step that asks when it fails."""

    REPEAT = "repeat"
    REPEAT_POINTS = "repeat what failed"
    CARRY_ON = "carry on"
    HALT_UNIT = "halt unit"


MOST_NAMED = 3  # of the places where a step failed
AGAIN = (Decision.REPEAT_POINTS, Decision.REPEAT)


def _named(place: str) -> str:
    return "the load" if place == WHOLE_LOAD else f"nest {place}"


def _a_few(places: Sequence[str]) -> str:
    """Places in words, the first of many."""
    if len(places) <= MOST_NAMED:
        return "; ".join(places)
    return f"{'; '.join(places[:MOST_NAMED])}; and {len(places) - MOST_NAMED} more"


class Operator:
    """Puts questions to the operator and keeps each answer with the attempt that it belongs to.

    ``is_hazardous`` says whether any step of the run puts a hazardous output on.
    """

    def __init__(
        self, questions: Questions, recorder: Recorder, bench: Bench, is_hazardous: bool
    ) -> None:
        self.questions, self.recorder, self.bench = questions, recorder, bench
        self.is_hazardous = is_hazardous
        self._leaving: set[asyncio.Task[None]] = set()

    async def _ask(
        self,
        question: Question,
        units: Sequence[LoadedUnit],
        is_after: bool = False,
        within_s: float | None = None,
    ) -> Answer | None:
        if not question.hands_in:
            return await self._one_by_one(question, units, is_after, within_s)
        async with self.bench.reach.hands(_named(question.nest)):
            answer = await self._one_by_one(question, units, is_after, within_s)
            await self._see_hands_out(question, units, is_after)
        return answer

    async def _one_by_one(
        self,
        question: Question,
        units: Sequence[LoadedUnit],
        is_after: bool,
        within_s: float | None,
    ) -> Answer | None:
        """Put a question, and what is to be done after it; gives the last answer."""
        answer = await self._put_to(question, units, is_after, within_s)
        for text in question.then:
            if answer is not None:
                answer = await self._put_to(replace(question, text=text), units, is_after, within_s)
        return answer

    async def _see_hands_out(
        self, question: Question, units: Sequence[LoadedUnit], is_after: bool
    ) -> None:
        """Ask until somebody says that all hands are out, with the guard closed."""
        text = HANDS_OUT_TEXT
        while True:
            out = Question(
                question.nest, text, (HANDS_OUT,), question.step, "hands_out", hands_in=True
            )
            await self._put_to(out, units, is_after, None)
            if await self.bench.guard_is_closed():
                return
            text = f"The guard is open. {HANDS_OUT_TEXT}"

    async def _put_to(
        self,
        question: Question,
        units: Sequence[LoadedUnit],
        is_after: bool = False,
        within_s: float | None = None,
    ) -> Answer | None:
        answer = await self.questions.ask(question, within_s)
        if answer is not None:
            for unit in units:
                number = unit.next_number(question.step) - (1 if is_after else 0)
                kept = Answered(question.step, number, question.moment, question.text, answer)
                await self.recorder.answered(unit, kept)
        return answer

    async def ask_check(
        self, ask: Ask | Enter | Form, step: ReadyStep, units: Sequence[LoadedUnit], place: str
    ) -> Answer:
        """Put what a procedure asks; waits as long as it takes."""
        answer = await self._ask(question_of(ask, place, step.id), units)
        if answer is None:
            raise asyncio.CancelledError
        return answer

    async def ask_meanwhile(
        self, ask: Ask | Enter | Form, step: ReadyStep, units: Sequence[LoadedUnit], place: str
    ) -> Answer:
        """The same while an output stays on; who must touch the unit does so by ``reaching``."""
        answer = await self._put_to(question_of(ask, place, step.id), units)
        if answer is None:
            raise asyncio.CancelledError
        return answer

    @asynccontextmanager
    async def reaching(
        self, step: ReadyStep, units: Sequence[LoadedUnit], place: str
    ) -> AsyncIterator[None]:
        """Hands may be in while this is entered, and until somebody says that they are out.

        That is asked for beside what goes on: no hazardous output starts before the answer.
        """
        hands = self.bench.reach.hands(_named(place))
        await hands.__aenter__()
        try:
            yield
        except asyncio.CancelledError:
            await hands.__aexit__(None, None, None)
            raise
        except BaseException:
            await self._leave_later(hands, step, units, place)
            raise
        await self._leave_later(hands, step, units, place)

    async def _leave_later(
        self,
        hands: AbstractAsyncContextManager[None],
        step: ReadyStep,
        units: Sequence[LoadedUnit],
        place: str,
    ) -> None:
        async def leave() -> None:
            try:
                if self.is_hazardous:  # else nothing of this run puts high voltage on
                    question = Question(place, "", (HANDS_OUT,), step.id)
                    # Of a guard that does not answer: somebody has said that hands are out, and
                    # whatever puts an output on reads the guard again.
                    with suppress(BenchError):
                        await self._see_hands_out(question, units, is_after=False)
            finally:
                await hands.__aexit__(None, None, None)

        leaving = asyncio.create_task(leave())
        self._leaving.add(leaving)
        leaving.add_done_callback(self._leaving.discard)
        # It has begun before anybody can cancel it: else hands would be inside for ever.
        await asyncio.sleep(0)

    async def close(self) -> None:
        """Ask nobody any more whether their hands are out: nothing follows that they could meet."""
        leaving = list(self._leaving)
        for task in leaving:
            task.cancel()
        await asyncio.gather(*leaving, return_exceptions=True)

    @staticmethod
    def must_ask_before(step: ReadyStep) -> bool:
        """Whether something must be answered before the step may begin."""
        return any(cue.demands_answer for cue in cues_at(step.cues, Moment.BEFORE))

    async def ask_before(self, step: ReadyStep, units: Sequence[LoadedUnit], place: str) -> None:
        """Put the cues that must be answered before a step."""
        cues = [cue for cue in cues_at(step.cues, Moment.BEFORE) if cue.demands_answer]
        await self._put(cues, step, units, place)

    def tell_before(self, step: ReadyStep, units: Sequence[LoadedUnit]) -> None:
        """Show the cues in passing that belong to the beginning of a step, or to its course."""
        for cue in cues_at(step.cues, Moment.BEFORE, Moment.DURING):
            if not cue.demands_answer:
                self._tell(cue, step, units)

    def ask_during(
        self, step: ReadyStep, units: Sequence[LoadedUnit], place: str
    ) -> asyncio.Task[None]:
        """Put the cues to be answered while a step runs; the task ends with the last answer."""
        cues = [cue for cue in cues_at(step.cues, Moment.DURING) if cue.demands_answer]
        return asyncio.create_task(self._put(cues, step, units, place))

    async def ask_after(
        self, step: ReadyStep, units: Sequence[LoadedUnit], place: str, attempt: Attempt
    ) -> None:
        """Show and put the cues that belong to the end of a step."""
        cues = cues_after(step.cues, attempt.verdict is Verdict.PASS)
        await self._put(cues, step, units, place, is_after=True)

    async def _put(
        self,
        cues: Sequence[Cue],
        step: ReadyStep,
        units: Sequence[LoadedUnit],
        place: str,
        is_after: bool = False,
    ) -> None:
        for cue in cues:
            if cue.demands_answer:
                question = Question(
                    place,
                    cue.text,
                    cue.choices,
                    step.id,
                    cue.at,
                    cue.picture,
                    hands_in=cue.hands_in,
                )
                await self._ask(question, units, is_after)
            else:
                self._tell(cue, step, units)

    def _tell(self, cue: Cue, step: ReadyStep, units: Sequence[LoadedUnit]) -> None:
        for unit in units:
            self.questions.log.publish(
                "cue",
                nest=unit.nest,
                step=step.id,
                moment=cue.at,
                text=cue.text,
                picture=cue.picture,
            )

    async def choose(self, left: Sequence[ReadyStep], nest: str, count: int) -> ReadyStep:
        """Ask which step of a group of ``count`` comes next at a nest; waits as long as it takes.

        It is kept nowhere: when each was done says the order.
        """
        titles = [step.title for step in left]
        names = [
            step.title if titles.count(step.title) == 1 else f"{step.title} ({step.id})"
            for step in left
        ]
        text = f"What next? {len(left)} of {count} left."
        question = Question(nest, text, tuple(names), moment="next")
        answer = await self.questions.ask(question)
        if answer is None:
            raise asyncio.CancelledError
        return left[names.index(answer.choice)]

    async def decide(
        self, step: ReadyStep, units: Sequence[LoadedUnit], place: str, attempt: Attempt
    ) -> Decision:
        """Ask what to do after a failure; nobody answering halts the unit, which is the safe side.

        A repeat takes its reason from the answer's note, and is offered only while attempts are
        left: of the whole step, or of the points alone that did not pass.
        """
        tried = max(unit.tries(step.id) for unit in units)
        choices = [Decision.CARRY_ON, Decision.HALT_UNIT]
        word = str(attempt.cause or attempt.verdict).replace("_", " ")
        text = f"{step.title}: {word}. What now?"
        if tried < step.attempts:
            choices.insert(0, Decision.REPEAT)
            if points := points_to_repeat(step, attempt):
                choices.insert(0, Decision.REPEAT_POINTS)
                places = [point.name for point in step.points if point.name in points]
                text = f"{step.title}: {word} at {_a_few(places)}. What now?"
        else:
            text = f"{step.title}: {word}, and all {step.attempts} attempts are used. What now?"
        question = Question(
            place,
            text,
            tuple(choices),
            step.id,
            "decision",
            note_for=tuple(each for each in choices if each in AGAIN),
        )
        answer = await self._ask(question, units, is_after=True, within_s=step.answer_within_s)
        if answer is None:
            note = f"Nobody answered within {step.answer_within_s:g} s."
            silent = Answer(Decision.HALT_UNIT, note, "service")
            for unit in units:
                number = unit.next_number(step.id) - 1
                kept = Answered(step.id, number, "decision", text, silent)
                await self.recorder.answered(unit, kept)
            return Decision.HALT_UNIT
        decision = Decision(answer.choice)
        if decision in AGAIN:
            for unit in units:
                unit.reasons[step.id] = answer.note
        if decision is Decision.REPEAT_POINTS:
            units[0].again_at[step.id] = points_to_repeat(step, attempt)
        return decision
