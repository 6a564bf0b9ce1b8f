"""Acts of upkeep: zeroing a fixture's leads, its daily check."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Header
from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.bench import NewUpkeep, UpkeepOut
from loricate.api.records import AnswerIn, QuestionOut
from loricate.core.errors import Finding
from loricate.execution.upkeep import Upkeep
from loricate.service.desk import Desk
from loricate.service.errors import NotReady
from loricate.service.routers.access import TheDesk, make_router, until_stop
from loricate.service.sign_in import Reader, Runner

router = make_router("/upkeep", "bench")


def _out(act: Upkeep) -> UpkeepOut:
    asked = [act.questions.told(number) for number in act.questions.open]
    return UpkeepOut(
        id=act.id,
        kind=act.kind,
        fixture=act.fixture.code,
        state=act.state,
        findings=list(act.findings),
        questions=[QuestionOut.model_validate(each) for each in asked],
        touched=list(act.touched),
        made=act.made,
    )


async def show_act(act_id: str, desk: Desk) -> UpkeepOut:
    """How an act stands; raises NotFound."""
    return await desk.bench.look(lambda side: _out(side.upkeeps.find(act_id)))


@router.post("", response_model=UpkeepOut, status_code=201)
async def begin_upkeep(body: NewUpkeep, person: Runner, desk: TheDesk) -> UpkeepOut:
    """Begin; the act then asks for what must be done by hand, and goes on when it is answered."""
    if body.kind == "zero":
        act = await desk.bench.do(
            lambda side: side.upkeeps.begin_zero(body.fixture, body.nests, person.name)
        )
        return await show_act(act.id, desk)
    if len(body.nests) > 1:
        message = "takes one nest", "name it alone."
        raise NotReady.because([Finding("nests", *message)])
    nest = body.nests[0] if body.nests else ""
    if body.kind == "map":
        act = await desk.bench.do(
            lambda side: side.upkeeps.begin_map(body.fixture, nest, body.product, person.name)
        )
        return await show_act(act.id, desk)
    if body.kind == "touch":
        act = await desk.bench.do(
            lambda side: side.upkeeps.begin_touch(
                body.fixture, nest, body.product, body.contacts, body.order == "any", person.name
            )
        )
        return await show_act(act.id, desk)
    act = await desk.bench.do(
        lambda side: side.upkeeps.begin_check(body.fixture, nest, person.name)
    )
    return await show_act(act.id, desk)


@router.get("/{act_id}", response_model=UpkeepOut)
async def show_upkeep(act_id: str, person: Reader, desk: TheDesk) -> UpkeepOut:
    """How it stands and what it asks."""
    return await show_act(act_id, desk)


@router.post("/{act_id}/answers", status_code=204)
async def answer_upkeep(act_id: str, body: AnswerIn, person: Runner, desk: TheDesk) -> None:
    """Say that what was asked for is done, or stop."""
    answer = body.by(person.name)
    await desk.bench.do(lambda side: side.upkeeps.answer(act_id, body.nest, answer, body.question))


@router.post("/{act_id}/abort", response_model=UpkeepOut)
async def abort_upkeep(act_id: str, person: Runner, desk: TheDesk) -> UpkeepOut:
    """Abort: outputs fall first; nothing more is kept of it."""
    await desk.bench.do(lambda side: side.upkeeps.abort(act_id, person.name))
    return await show_act(act_id, desk)


async def _known(act_id: str, person: Reader, desk: TheDesk) -> str:
    """The act's id; raises NotFound while there is still an answer to say it in."""
    await desk.bench.look(lambda side: side.upkeeps.find(act_id))
    return act_id


@router.get("/{act_id}/events", response_class=EventSourceResponse)
async def follow_upkeep(
    act_id: Annotated[str, Depends(_known)],
    desk: TheDesk,
    last_event_id: Annotated[int, Header(ge=0)] = 0,
) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events from the one after Last-Event-ID until its end."""
    log = await desk.bench.look(lambda side: side.upkeeps.find(act_id).log)
    async for event in until_stop(log.follow(last_event_id), desk):
        yield ServerSentEvent(data=event.data, event=event.name, id=str(event.number))
