"""Runs: create, arm, start, watch, answer, abort."""

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Header, Query
from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.definitions import StepSummary
from loricate.api.records import AnswerIn, NewRun, QuestionOut, RunOut, RunSummary
from loricate.core.actions import Answer
from loricate.records import definitions, runs
from loricate.service.routers.access import TheDesk
from loricate.service.routers.showing import unit_out
from loricate.service.sign_in import Reader, Runner

router = APIRouter(prefix="/runs", tags=["runs"])


async def _show(run_id: str, desk: TheDesk) -> RunOut:
    run = await desk.store.read(lambda conn: runs.get_run(conn, run_id))
    code, revision = run["sequence_code"], run["sequence_revision"]
    ready = await desk.store.read(
        lambda conn: definitions.ready_sequence(
            conn, definitions.get_sequence(conn, code, revision)
        )
    )
    return RunOut(
        **{key: run[key] for key in RunSummary.model_fields},
        note=run["note"],
        steps=[
            StepSummary(
                id=step.id, kind=step.kind.name, title=step.title,
                limits={name: limit.text for name, limit in step.limits.items()},
                programmed_s=step.programmed_s,
            )
            for step in ready.steps
        ],
        units=[unit_out(unit) for unit in run["units"]],
        questions=[QuestionOut(**each) for each in desk.questions(run_id)],
    )  # fmt: skip


@router.post("", response_model=RunOut, status_code=201)
async def create_run(
    body: NewRun,
    person: Runner,
    desk: TheDesk,
    idempotency_key: Annotated[str | None, Header(max_length=128)] = None,
) -> RunOut:
    """Check the load, the bench and the disk, then make the run. Nothing is energised yet."""
    load = [(place.nest, place.serial) for place in body.load]
    run_id = await desk.create_run(
        person.name, body.sequence, body.fixture, load, body.lot, body.retest, idempotency_key
    )
    return await _show(run_id, desk)


@router.get("", response_model=list[RunSummary])
async def list_runs(
    person: Reader, desk: TheDesk, count: Annotated[int, Query(ge=1, le=200)] = 20
) -> list[RunSummary]:
    """The newest runs first."""
    found = await desk.store.read(lambda conn: runs.list_runs(conn, count))
    return [RunSummary(**row) for row in found]


@router.get("/{run_id}", response_model=RunOut)
async def show_run(run_id: str, person: Reader, desk: TheDesk) -> RunOut:
    """A run with its units, attempts and readings so far."""
    return await _show(run_id, desk)


@router.post("/{run_id}/arm", response_model=RunOut)
async def arm_run(run_id: str, person: Runner, desk: TheDesk) -> RunOut:
    """Allow high voltage for this run. Takes a closed guard; lasts five minutes."""
    await desk.arm(run_id, person.name)
    return await _show(run_id, desk)


@router.post("/{run_id}/start", response_model=RunOut)
async def start_run(run_id: str, person: Runner, desk: TheDesk) -> RunOut:
    """Start an armed run."""
    await desk.start(run_id, person.name)
    return await _show(run_id, desk)


@router.post("/{run_id}/abort", response_model=RunOut)
async def abort_run(run_id: str, person: Runner, desk: TheDesk) -> RunOut:
    """Abort: outputs fall first."""
    await desk.abort(run_id, person.name)
    return await _show(run_id, desk)


@router.post("/{run_id}/answers", status_code=204)
async def answer_question(run_id: str, body: AnswerIn, person: Runner, desk: TheDesk) -> None:
    """Answer what a nest is being asked."""
    await desk.answer(run_id, body.nest, Answer(body.choice, body.note), person.name)


@router.get("/{run_id}/events", response_class=EventSourceResponse)
async def follow_run(
    run_id: str,
    person: Reader,
    desk: TheDesk,
    last_event_id: Annotated[int, Header(ge=0)] = 0,
) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events of a run from the one after Last-Event-ID until its end."""
    async for event in desk.events(run_id, last_event_id):
        yield ServerSentEvent(data=event.data, event=event.name, id=str(event.number))
