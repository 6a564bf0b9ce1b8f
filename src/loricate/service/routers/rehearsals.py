"""Rehearsals: prepare, start, watch, answer, abort; take a reading over as a limit."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Header
from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.records import AnswerIn, QuestionOut
from loricate.api.rehearsals import NewRehearsal, RehearsalOut, TakenOut, Taking
from loricate.core.measuring.readings import Measurand
from loricate.core.sequences.rehearsing import highest_v, unjudged_steps
from loricate.core.sequences.released import step_as_done
from loricate.service.desk import Desk
from loricate.service.preparing import rehearsable
from loricate.service.rehearsing import RehearsalSeen
from loricate.service.routers.access import TheDesk, make_router, until_stop
from loricate.service.routers.showing import attempt_out, step_summary
from loricate.service.sign_in import Definer, Reader, Runner

router = make_router("/rehearsals", "sequences")


def _out(found: RehearsalSeen) -> RehearsalOut:
    return RehearsalOut(
        id=found.id,
        sequence=found.sequence.code,
        fixture=found.fixture,
        nest=found.nest,
        account=found.account,
        state=found.state,
        verdict=found.verdict,
        note=found.note,
        highest_v=highest_v(found.sequence),
        steps=[step_summary(step_as_done(step)) for step in found.sequence.steps],
        unjudged=list(unjudged_steps(found.sequence)),
        attempts=[attempt_out(each) for each in found.attempts],
        questions=[QuestionOut.model_validate(each) for each in found.questions],
    )


async def _show(rehearsal_id: str, desk: Desk) -> RehearsalOut:
    return _out(await desk.bench.look(lambda side: side.rehearsals.find(rehearsal_id).seen))


@router.post("", response_model=RehearsalOut, status_code=201)
async def prepare_rehearsal(body: NewRehearsal, person: Definer, desk: TheDesk) -> RehearsalOut:
    """Check steps and bench for a rehearsal on one nest. Nothing is energised; lasts 5 minutes."""
    sequence = await rehearsable(body.document, body.steps, desk)
    made = await desk.bench.do(
        lambda side: side.rehearsals.prepare(sequence, body.fixture, body.nest, person.name)
    )
    return await _show(made.id, desk)


@router.get("", response_model=list[RehearsalOut])
async def list_rehearsals(person: Reader, desk: TheDesk) -> list[RehearsalOut]:
    """The last few rehearsals, newest first."""
    found = await desk.bench.look(lambda side: [each.seen for each in side.rehearsals.all.values()])
    return [_out(each) for each in reversed(found)]


@router.get("/{rehearsal_id}", response_model=RehearsalOut)
async def show_rehearsal(rehearsal_id: str, person: Reader, desk: TheDesk) -> RehearsalOut:
    """How it stands, and what it measured so far."""
    return await _show(rehearsal_id, desk)


@router.post("/{rehearsal_id}/start", response_model=RehearsalOut)
async def start_rehearsal(rehearsal_id: str, person: Definer, desk: TheDesk) -> RehearsalOut:
    """Put the outputs on, with the guard closed. No unit record is kept."""
    await desk.bench.do(lambda side: side.rehearsals.start(rehearsal_id, person.name))
    return await _show(rehearsal_id, desk)


@router.post("/{rehearsal_id}/abort", response_model=RehearsalOut)
async def abort_rehearsal(rehearsal_id: str, person: Runner, desk: TheDesk) -> RehearsalOut:
    """Abort: outputs fall first."""
    await desk.bench.do(lambda side: side.rehearsals.abort(rehearsal_id, person.name))
    return await _show(rehearsal_id, desk)


@router.post("/{rehearsal_id}/answers", status_code=204)
async def answer_rehearsal(
    rehearsal_id: str, body: AnswerIn, person: Runner, desk: TheDesk
) -> None:
    """Answer what the nest is being asked."""
    answer = body.by(person.name)
    await desk.bench.do(
        lambda side: side.rehearsals.answer(rehearsal_id, body.nest, answer, body.question)
    )


@router.post("/{rehearsal_id}/take", response_model=list[TakenOut])
async def take_reading(
    rehearsal_id: str, body: Taking, person: Definer, desk: TheDesk
) -> list[TakenOut]:
    """Say what to write into the step for a reading to be its limit; stores nothing."""
    taken = await desk.bench.look(
        lambda side: side.rehearsals.take(
            rehearsal_id,
            body.step,
            Measurand(body.quantity, body.point),
            body.repetition,
            body.use,
            body.allowance,
        )
    )
    return [TakenOut(path=list(each.path), value=each.value) for each in taken]


async def _known(rehearsal_id: str, person: Reader, desk: TheDesk) -> str:
    """The rehearsal's id; raises NotFound while there is still an answer to say it in."""
    await desk.bench.look(lambda side: side.rehearsals.find(rehearsal_id))
    return rehearsal_id


@router.get("/{rehearsal_id}/events", response_class=EventSourceResponse)
async def follow_rehearsal(
    rehearsal_id: Annotated[str, Depends(_known)],
    desk: TheDesk,
    last_event_id: Annotated[int, Header(ge=0)] = 0,
) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events, the same as of a run, from the one after Last-Event-ID until its end."""
    log = await desk.bench.look(lambda side: side.rehearsals.find(rehearsal_id).engine.log)
    async for event in until_stop(log.follow(last_event_id), desk):
        yield ServerSentEvent(data=event.data, event=event.name, id=str(event.number))
