"""Handing in an operator's answer to a run's or an upkeep's question."""

from dataclasses import replace

from loricate.core.errors import Finding, QuantityError
from loricate.core.measuring.actions import Answer, Photo
from loricate.core.quantities import parse
from loricate.execution.questions import Questions
from loricate.records import audit, pictures
from loricate.records.store import Store
from loricate.service.errors import NotReady, WrongState


async def answer_question(
    store: Store, questions: Questions, subject: str, nest: str, answer: Answer, number: int | None
) -> None:
    """Check an answer and hand it in; the audit notes it.

    Raises WrongState when the question is not open any more, NotReady for a wrong choice or a note
    that is missing.
    """
    found = questions.find(nest, number)
    if found is None:
        which = f"Question {number}" if number is not None else "Nothing"
        is_open = "is not open" if number is not None else "is being asked"
        raise WrongState(f"{which} {is_open} for nest {nest} any more; look at what is shown now.")
    question = questions.open[found]
    sent = {"picture": answer.picture}
    sent |= {f"beside.{name}.picture": each.picture for name, each in answer.beside.items()}
    kept = await store.read(
        lambda c: {place: not each or pictures.has_picture(c, each) for place, each in sent.items()}
    )
    if lacking := [place for place, is_kept in kept.items() if not is_kept]:
        message = "is not kept here", "send it to /api/v1/pictures first."
        raise NotReady.because([Finding(place, *message) for place in lacking])
    if question.photo is Photo.BESIDE and not answer.picture:
        message = "is missing", "a photo must come with the figure."
        raise NotReady.because([Finding("picture", *message)])
    if wrong := question.missing(answer):
        raise NotReady.because(wrong)
    if question.entries:
        answer = replace(answer, choice=question.told_entries(answer))
    elif question.quantity is not None:
        is_shown = question.photo is Photo.INSTEAD and answer.picture and not answer.choice
        try:
            if not is_shown:
                parse(answer.choice, question.quantity)
        except QuantityError as error:
            raise NotReady.because([Finding("choice", str(error))]) from error
    elif answer.choice not in question.choices:
        message = f"'{answer.choice}' is not a choice", f"answer {', '.join(question.choices)}."
        raise NotReady.because([Finding("choice", *message)])
    if answer.choice in question.note_for and not answer.note.strip():
        message = "is missing", f"say why with '{answer.choice}'."
        raise NotReady.because([Finding("note", *message)])
    detail = f"nest {nest}: {answer.choice} {answer.note}".strip()
    await store.write(lambda conn: audit.note(conn, answer.account, "answer", subject, detail))
    if not questions.answer(found, answer):
        raise WrongState(f"The question for nest {nest} was answered just now.")
