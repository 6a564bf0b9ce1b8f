"""Questions to the operator: open ones by number, each waiting for its answer."""

import asyncio
from collections.abc import Iterator
from dataclasses import dataclass, field

from loricate.core.errors import Finding, QuantityError
from loricate.core.measuring.actions import (
    BARE,
    Answer,
    Ask,
    Beside,
    Enter,
    Entry,
    Form,
    Photo,
)
from loricate.core.quantities import Dimension, parse
from loricate.execution.events import EventLog

WHOLE_LOAD = "all"  # the nest that a question names when it is asked once for the load


@dataclass(frozen=True, slots=True)
class Question:
    """What is asked: where, at which moment of which step, and what may be answered.

    ``moment`` is ``check`` for what a step itself asks, a cue's moment, or ``decision`` for what to
    do after a failure. The choices in ``note_for`` need a note with them. With ``quantity`` there
    are no choices: the answer is a figure with its unit, ``target`` is offered, and ``photo`` says
    what a picture is to it. With ``hands_in`` somebody reaches into the fixture for it. With
    ``entries`` the answer has a value for each. ``touch`` is the contact that the probe is to be
    held to. ``then`` is asked after it, with the same choices.
    """

    nest: str
    text: str
    choices: tuple[str, ...]
    step: str = ""
    moment: str = "check"
    picture: str = ""
    note_for: tuple[str, ...] = ()
    quantity: Dimension | None = None
    target: str = ""
    photo: Photo = Photo.NONE
    hands_in: bool = False
    entries: tuple[Entry, ...] = ()
    touch: str = ""
    then: tuple[str, ...] = ()

    def missing(self, answer: Answer) -> tuple[Finding, ...]:
        """What is wrong with an answer's entries, each with its place and remedy."""
        found: list[Finding] = []
        for entry in self.entries:
            given, path = answer.values.get(entry.name, ""), f"values.{entry.name}"
            beside = answer.beside.get(entry.name, BARE)
            found += _wrong_beside(entry, beside)
            if entry.photo is Photo.INSTEAD and beside.picture and not given:
                continue
            if entry.dimension is not None:
                try:
                    parse(given, entry.dimension)
                except QuantityError as error:
                    found.append(Finding(path, str(error)))
            elif given not in entry.choices:
                known = ", ".join(entry.choices)
                found.append(Finding(path, f"'{given}' is not a choice", f"answer {known}."))
        names = [entry.name for entry in self.entries]
        asked = ", ".join(names) or "none"
        for place, given_names in (("values", answer.values), ("beside", answer.beside)):
            for name in sorted(set(given_names) - set(names)):
                strange = Finding(f"{place}.{name}", "was not asked for", f"asked for: {asked}.")
                found.append(strange)
        return tuple(found)

    def told_entries(self, answer: Answer) -> str:
        """A form's entries in one line, as the record keeps them."""
        return ", ".join(
            _told(each, answer.values.get(each.name, ""), answer.beside.get(each.name, BARE))
            for each in self.entries
        )


def _wrong_beside(entry: Entry, beside: Beside) -> Iterator[Finding]:
    """What is wrong with what comes with an entry."""
    place = f"beside.{entry.name}"
    if entry.photo is Photo.BESIDE and not beside.picture:
        yield Finding(f"{place}.picture", "is missing", "a photo must come with it.")
    if not beside.target:
        return
    if not entry.may_retarget or entry.dimension is None:
        yield Finding(f"{place}.target", "cannot be changed here", "leave it out.")
        return
    try:
        parse(beside.target, entry.dimension)
    except QuantityError as error:
        yield Finding(f"{place}.target", str(error))
    if not beside.reason.strip():
        yield Finding(f"{place}.reason", "is missing", "say why the target is another.")


def _told(entry: Entry, given: str, beside: Beside) -> str:
    """An entry in words, with what came with it."""
    told = [given or "a photo"]
    told += [f"(photo {beside.picture[:12]})"] if beside.picture else []
    if beside.target:
        told.append(f"(target {beside.target} in place of {entry.target}: {beside.reason})")
    told += [f"({beside.note})"] if beside.note else []
    return f"{entry.title} {' '.join(told)}"


def question_of(ask: Ask | Enter | Form, nest: str, step_id: str) -> Question:
    """What a procedure asks, put at its place."""
    if isinstance(ask, Form):
        return Question(nest, ask.question, (), step_id, entries=ask.entries)
    if isinstance(ask, Enter):
        return Question(
            nest,
            ask.question,
            (),
            step_id,
            quantity=ask.dimension,
            target=ask.target,
            photo=ask.photo,
        )
    return Question(
        nest,
        ask.question,
        ask.choices,
        step_id,
        hands_in=ask.hands_in,
        touch=ask.touch,
        then=ask.then,
    )


@dataclass(slots=True)
class Questions:
    """The questions that are open now. An answer names its question, so that none goes astray."""

    log: EventLog
    open: dict[int, Question] = field(default_factory=dict)
    _waiting: dict[int, asyncio.Future[Answer]] = field(default_factory=dict)
    _asked: int = 0

    async def ask(self, question: Question, within_s: float | None = None) -> Answer | None:
        """Ask and wait for the answer; None when nobody answered ``within_s``."""
        self._asked += 1
        number = self._asked
        self.open[number] = question
        waiting = self._waiting[number] = asyncio.get_running_loop().create_future()
        self.log.publish("question", **self.told(number))
        answer = None
        try:
            # Not ``wait_for``, which loses an abort that comes in the moment of the answer.
            async with asyncio.timeout(within_s):
                answer = await waiting
        except TimeoutError:
            pass
        finally:
            self.open.pop(number, None)
            self._waiting.pop(number, None)
            self.log.publish(
                "answered",
                number=number,
                nest=question.nest,
                choice=answer.choice if answer else "",
                note=answer.note if answer else "",
            )
        return answer

    def told(self, number: int) -> dict[str, object]:
        """A question as events and the API tell it."""
        question = self.open[number]
        return {
            "number": number,
            "nest": question.nest,
            "step": question.step,
            "moment": question.moment,
            "question": question.text,
            "choices": list(question.choices),
            "note_for": list(question.note_for),
            "picture": question.picture,
            "quantity": question.quantity.name if question.quantity else "",
            "target": question.target,
            "photo": question.photo,
            "hands_in": question.hands_in,
            "touch": question.touch,
            "entries": [
                {
                    "name": each.name,
                    "title": each.title,
                    "quantity": each.dimension.name if each.dimension else "",
                    "choices": list(each.choices),
                    "target": each.target,
                    "step": each.step,
                    "photo": each.photo,
                    "settles_s": each.settles_s,
                    "may_retarget": each.may_retarget,
                }
                for each in question.entries
            ],
        }

    def find(self, nest: str, number: int | None = None) -> int | None:
        """The number of the open question for a nest, the first by default; None when none is."""
        return next(
            (
                each
                for each, question in self.open.items()
                if question.nest == nest and number in (None, each)
            ),
            None,
        )

    def answer(self, number: int, answer: Answer) -> bool:
        """Hand in an answer; False when the question is not open any more."""
        waiting = self._waiting.get(number)
        if waiting is None or waiting.done():
            return False
        waiting.set_result(answer)
        return True
