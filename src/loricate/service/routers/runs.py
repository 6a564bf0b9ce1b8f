"""Runs: create, arm, start, watch, answer, abort."""

import sqlite3
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Depends, Header
from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.line import LineOut
from loricate.api.records import (
    AnswerIn,
    CurvesOut,
    NewRemark,
    NewRepeat,
    NewRun,
    QuestionOut,
    RunOut,
    RunSummary,
)
from loricate.core.errors import Finding
from loricate.records import curves, pictures, remarks, runs, sequences
from loricate.service.desk import Desk
from loricate.service.errors import NotReady
from loricate.service.issuing import why_not_issued
from loricate.service.routers.access import (
    APage,
    Before,
    NumberInPath,
    TheDesk,
    make_router,
    until_stop,
)
from loricate.service.routers.showing import curve_out, step_summary, unit_out
from loricate.service.running import ARMABLE
from loricate.service.sign_in import Reader, Runner

router = make_router("/runs", "runs")


def _refused(field: str, message: str) -> NotReady:
    return NotReady.because([Finding(field, message)])


def _is_hazardous(conn: sqlite3.Connection, code: str, revision: int) -> bool:
    record = sequences.get_sequence(conn, code, revision)
    return sequences.ready_sequence(conn, record).is_hazardous


async def _show(run_id: str, desk: Desk) -> RunOut:
    asked = await desk.bench.look(lambda side: side.runs.questions(run_id))

    def read(conn: sqlite3.Connection) -> RunOut:
        run = runs.get_run(conn, run_id)
        code, revision = run["sequence_code"], run["sequence_revision"]
        released = sequences.released_as(conn, code, revision)
        why = why_not_issued(conn, run)
        return RunOut(
            **{key: run[key] for key in RunSummary.model_fields},
            start_by=run["start_by"],
            line=LineOut.of(run["line"]),
            needs_arming=run["state"] in ARMABLE and _is_hazardous(conn, code, revision),
            documents="none"
            if run["state"] != "finished"
            else ("issued" if run["is_issued"] else "coming"),
            notices=[each["reason"] for each in run["bench"].get("upkeep", ()) if not each["met"]],
            steps=[step_summary(step) for step in released.steps],
            units=[
                unit_out(unit).model_copy(update={"not_certified": why.get(unit["nest"], [])})
                for unit in run["units"]
            ],
            questions=[QuestionOut.model_validate(each) for each in asked],
        )

    place, shown = await desk.places.first(read)
    return shown.model_copy(update={"from_bench": place.bench})


async def _summary(run_id: str, desk: Desk) -> RunSummary:
    """The run without its units: whoever arms, starts or aborts waits for no reading."""
    found = await desk.store.read_urgent(lambda conn: runs.get_summary(conn, run_id))
    return RunSummary(**found)


@router.post("", response_model=RunOut, status_code=201)
async def create_run(
    body: NewRun,
    person: Runner,
    desk: TheDesk,
    idempotency_key: Annotated[str | None, Header(max_length=128)] = None,
) -> RunOut:
    """Check the load, the bench and the disk, then make the run. Nothing is energised yet."""
    load = [(place.nest, place.serial) for place in body.load]
    run_id = await desk.bench.do(
        lambda side: side.runs.create(
            person.name,
            body.sequence,
            body.fixture,
            load,
            lot=body.lot,
            retest=body.retest,
            start_by=body.start_by,
            line=body.line,
            occasion=body.occasion,
            key=idempotency_key,
        )
    )
    return await _show(run_id, desk)


@router.get("", response_model=list[RunSummary])
async def list_runs(
    person: Reader, desk: TheDesk, page: APage, before: Before = ""
) -> list[RunSummary]:
    """The newest runs first."""
    found = await desk.store.read(lambda conn: runs.list_runs(conn, page.look_for, before))
    rows = page.cut(found, "before", lambda row: str(row["id"]))
    return [RunSummary(**row) for row in rows]


@router.get("/{run_id}", response_model=RunOut)
async def show_run(run_id: str, person: Reader, desk: TheDesk) -> RunOut:
    """A run with its units, attempts and readings so far."""
    return await _show(run_id, desk)


@router.post("/{run_id}/arm", response_model=RunSummary)
async def arm_run(run_id: str, person: Runner, desk: TheDesk) -> RunSummary:
    """Allow high voltage for this run. Takes a closed guard; lasts five minutes."""
    await desk.bench.do(lambda side: side.runs.arm(run_id, person.name))
    return await _summary(run_id, desk)


@router.post("/{run_id}/start", response_model=RunSummary)
async def start_run(run_id: str, person: Runner, desk: TheDesk) -> RunSummary:
    """Start an armed run, or one that puts nothing hazardous on."""
    await desk.bench.do(lambda side: side.runs.start(run_id, person.name))
    return await _summary(run_id, desk)


@router.post("/{run_id}/abort", response_model=RunSummary)
async def abort_run(run_id: str, person: Runner, desk: TheDesk) -> RunSummary:
    """Abort: outputs fall first."""
    await desk.bench.do(lambda side: side.runs.abort(run_id, person.name))
    return await _summary(run_id, desk)


@router.post("/{run_id}/answers", status_code=204)
async def answer_question(run_id: str, body: AnswerIn, person: Runner, desk: TheDesk) -> None:
    """Answer what a nest is being asked."""
    answer = body.by(person.name)
    await desk.bench.do(lambda side: side.runs.answer(run_id, body.nest, answer, body.question))


@router.post("/{run_id}/repeats", response_model=RunOut, status_code=201)
async def repeat_unit(run_id: str, body: NewRepeat, person: Runner, desk: TheDesk) -> RunOut:
    """Ask for a failed unit, or a failed step of it, to be done again; then arm and start."""
    await desk.bench.do(
        lambda side: side.runs.repeat(run_id, body.nest, body.step, body.reason, person.name)
    )
    return await _show(run_id, desk)


@router.post("/{run_id}/remarks", response_model=RunOut, status_code=201)
async def add_remark(run_id: str, body: NewRemark, person: Runner, desk: TheDesk) -> RunOut:
    """Remark on a unit or on one of its steps, with a picture that was sent before."""
    run = await _show(run_id, desk)
    if body.step and body.step not in [step.id for step in run.steps]:
        known = ", ".join(step.id for step in run.steps)
        raise _refused("step", f"there is no step '{body.step}'; there are {known}.")

    def keep(conn: sqlite3.Connection) -> None:
        if body.picture and not pictures.has_picture(conn, body.picture):
            raise _refused("picture", "is not kept here; send it to /api/v1/pictures first.")
        unit = runs.find_run_unit(conn, run_id, body.nest)
        remarks.add_remark(conn, unit, body.step, body.text, body.picture or None, person.name)

    await desk.store.write(keep)
    return await _show(run_id, desk)


@router.get("/{run_id}/curves/{nest}/{step}/{number}", response_model=CurvesOut)
async def show_curves(
    run_id: str, nest: str, step: str, number: NumberInPath, person: Reader, desk: TheDesk
) -> CurvesOut:
    """The curves of one attempt, with the step's limits on each quantity."""

    def read(conn: sqlite3.Connection) -> CurvesOut:
        kept = curves.curves_of(conn, run_id, nest, step, number)
        unit = runs.get_unit_in_run(conn, run_id, nest)
        attempt = next(
            each for each in unit["attempts"] if (each.step.id, each.number) == (step, number)
        )
        return CurvesOut(
            serial=unit["serial"],
            step_id=step,
            title=attempt.step.title,
            number=number,
            curves=[curve_out(curve, attempt.step) for curve in kept],
        )

    _, found = await desk.places.first(read)
    return found


async def _known(run_id: str, person: Reader, desk: TheDesk) -> str:
    """The run's id; raises NotFound while there is still an answer to say it in."""
    await desk.store.read(lambda conn: runs.get_run(conn, run_id))
    return run_id


@router.get("/{run_id}/events", response_class=EventSourceResponse)
async def follow_run(
    run_id: Annotated[str, Depends(_known)],
    desk: TheDesk,
    last_event_id: Annotated[int, Header(ge=0)] = 0,
) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events of a run from the one after Last-Event-ID until its end."""
    log = await desk.bench.do(lambda side: side.runs.log(run_id))
    # A number that this log has not reached is from a log before it.
    after = last_event_id if last_event_id <= log.last_number else 0
    async for event in until_stop(log.follow(after), desk):
        yield ServerSentEvent(data=event.data, event=event.name, id=str(event.number))
