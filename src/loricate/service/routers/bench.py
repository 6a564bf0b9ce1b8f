"""The bench: who answers, calibration, guard, fixtures with their zeroes, matings and checks."""

import asyncio
import datetime as dt
import sqlite3
import time
from collections.abc import AsyncIterator, Mapping

from fastapi import APIRouter
from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.bench import (
    BenchOut,
    ConditionOut,
    DailyCheckOut,
    DangerOut,
    Earthed,
    FixtureOut,
    ImpedanceZeroOut,
    InstrumentOut,
    Renewed,
    SoundsOut,
    ZeroOut,
)
from loricate.bench.errors import BenchError
from loricate.bench.plan import BenchPlan, FixturePlan
from loricate.core.gate import check_condition, zero_condition
from loricate.core.quantities import FREQUENCY, RESISTANCE, display
from loricate.core.zeroes import is_young
from loricate.records import audit, doubts, upkeep
from loricate.records.store import now
from loricate.service.desk import Desk
from loricate.service.problems import WrongState
from loricate.service.routers.access import TheDesk
from loricate.service.sign_in import Definer, Reader, Runner

router = APIRouter(tags=["bench"])
DANGER_LOOK_S, DANGER_EVERY_S = 0.1, 1.0


@router.get("/bench", response_model=BenchOut)
async def show_bench(person: Reader, desk: TheDesk) -> BenchOut:
    """Look at every instrument; while the bench is busy, what was last seen."""
    act = desk.upkeeps.running
    await desk.holders.look()
    try:
        guard_closed: bool | None = await desk.bench.guard_is_closed()
    except BenchError:
        guard_closed = None
    plan = desk.bench.plan
    moment, names = now(), [each.id for each in plan.instruments]
    doubted = await desk.store.read(
        lambda conn: doubts.standing_doubts(conn, names, moment, moment)
    )
    return BenchOut(
        code=plan.code,
        title=plan.title,
        site=plan.site,
        guard_closed=guard_closed,
        running=desk.runs.running,
        upkeep=act.id if act else "",
        rehearsal=desk.rehearsals.running.id if desk.rehearsals.running else "",
        busy_with=desk.holders.busy_with,
        has_inputs=plan.inputs is not None,
        sounds=SoundsOut(voice=plan.sounds.voice, pitch=plan.sounds.pitch),
        exports=f"{plan.exports.folder}/{plan.exports.name}" if plan.exports else "",
        rows={
            role: {terminal: list(rows) for terminal, rows in terminals.items()}
            for role, terminals in plan.matrix.rows.items()
        },
        instruments=_instruments(desk, doubted),
        danger=danger_out(desk),
        fixtures=await desk.store.read(
            lambda conn: [_fixture(conn, each, plan) for each in plan.fixtures]
        ),
    )


def _instruments(desk: Desk, doubted: Mapping[str, str]) -> list[InstrumentOut]:
    today = dt.datetime.now(dt.UTC).date()
    return [
        InstrumentOut(
            id=state.id, role=state.role, title=state.title, address=state.address,
            serial=state.serial, identity=state.identity, problem=state.problem,
            calibrated=state.calibrated, due=state.due,
            days_left=(state.due - today).days if state.due else None,
            certificate=state.certificate, doubt=doubted.get(state.id, ""),
            unseen=list(state.unseen),
        )
        for state in desk.bench.states()
    ]  # fmt: skip


def danger_out(desk: Desk) -> DangerOut:
    """Show how dangerous the fixture is."""
    danger = desk.bench.danger
    return DangerOut(
        state=danger.state.value,
        nests=list(danger.nests),
        volts=danger.volts,
        reasons=list(danger.reasons),
        must_earth=bool(desk.bench.charged),
    )


@router.get("/bench/danger", response_model=DangerOut)
async def show_danger(person: Reader, desk: TheDesk) -> DangerOut:
    """How dangerous the fixture is at this moment."""
    return danger_out(desk)


@router.get("/bench/danger/events", response_class=EventSourceResponse)
async def follow_danger(person: Reader, desk: TheDesk) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events: the danger at every change, and once a second; silence is unknown."""
    told, told_at = "", 0.0
    while True:
        shown = danger_out(desk).model_dump(mode="json")
        text, moment = repr(shown), time.monotonic()
        if text != told or moment - told_at >= DANGER_EVERY_S:
            told, told_at = text, moment
            yield ServerSentEvent(data=shown, event="danger")
        await asyncio.sleep(DANGER_LOOK_S)


@router.post("/bench/earthed", response_model=DangerOut)
async def confirm_earthed(body: Earthed, person: Runner, desk: TheDesk) -> DangerOut:
    """Say that the unit was earthed by hand, so that the fixture may be touched and used again."""
    if desk.holders.busy_with:
        raise WrongState(f"The bench is busy with {desk.holders.busy_with}; wait for its end.")
    if not desk.bench.charged:
        raise WrongState("Nothing is taken for charged; there is nothing to confirm.")
    await desk.store.write(
        lambda conn: audit.note(
            conn, person.name, "confirm earthed", desk.bench.plan.code, body.note
        )
    )
    if left := await desk.bench.confirm_earthed():
        raise WrongState(" ".join(left))
    return danger_out(desk)


def _fixture(conn: sqlite3.Connection, plan: FixturePlan, bench: BenchPlan) -> FixtureOut:
    at = dt.datetime.now(dt.UTC)
    zeroes = upkeep.latest_zeroes(conn, plan.code)
    check = upkeep.latest_daily_check(conn, plan.code)
    ended = None if check is None else dt.datetime.fromisoformat(check["ended_at"])
    lasts_s = bench.daily_check.lasts if bench.daily_check else 0.0
    passed = None if check is None else bool(check["passed"])
    conditions = (
        check_condition(bench.daily_check is not None, passed, ended, lasts_s, at),
        zero_condition({n: list(c) for n, c in plan.nests.items()}, zeroes, plan.zero_lasts, at),
    )
    return FixtureOut(
        code=plan.code,
        title=plan.title,
        nests=plan.nests,
        per_row=plan.per_row,
        conditions=[
            ConditionOut(name=each.name, met=each.met, reason=each.reason) for each in conditions
        ],
        zeroes=[
            ZeroOut(
                nest=nest,
                contact=contact,
                ohms=zero.ohms,
                uncertainty=zero.uncertainty,
                text=display(zero.ohms, RESISTANCE, 3),
                measured_at=zero.measured_at.isoformat(),
                is_young=is_young(zero.measured_at, plan.zero_lasts, at),
            )
            for nest in plan.nests
            for contact, zero in zeroes.get(nest, {}).items()
        ],
        impedance_zeroes=[
            ImpedanceZeroOut(
                nest=nest,
                high=path.high,
                low=path.low,
                frequency=display(path.frequency_hz, FREQUENCY),
                open=display(abs(zero.open_ohms), RESISTANCE),
                short=display(abs(zero.short_ohms), RESISTANCE),
                measured_at=zero.measured_at.isoformat(),
                is_young=is_young(zero.measured_at, plan.zero_lasts, at),
            )
            for nest, own in upkeep.latest_impedance_zeroes(conn, plan.code).items()
            for path, zero in own.items()
        ],
        zero_lasts_s=plan.zero_lasts,
        matings=dict.fromkeys(plan.nests, 0) | upkeep.matings(conn, plan.code),
        mating_limit=plan.mating_limit,
        renewed_at=upkeep.last_service(conn, plan.code),
        daily_check=None if check is None else check_out(check, lasts_s),
    )


def check_out(check: upkeep.Row, lasts_s: float) -> DailyCheckOut:
    """Show a daily check."""
    report = check["report"]
    until = dt.datetime.fromisoformat(check["ended_at"]) + dt.timedelta(seconds=lasts_s)
    return DailyCheckOut(
        passed=check["passed"],
        started_at=check["started_at"],
        ended_at=check["ended_at"],
        valid_until=until.isoformat() if check["passed"] else "",
        account=check["account"],
        nest=report["nest"],
        findings=report["findings"],
        good=report["good"],
        bad=report["bad"],
    )


@router.post("/fixtures/{code}/renewals", status_code=204)
async def renew_contacts(code: str, body: Renewed, person: Definer, desk: TheDesk) -> None:
    """Enter that a fixture's contacts were renewed: its matings are counted from now."""
    desk.upkeeps.fixture(code)
    await desk.store.write(lambda conn: upkeep.add_service(conn, code, body.note, person.name))


@router.get("/fixtures/{code}/daily-checks", response_model=list[DailyCheckOut])
async def list_daily_checks(code: str, person: Reader, desk: TheDesk) -> list[DailyCheckOut]:
    """The newest daily checks of a fixture, newest first."""
    desk.upkeeps.fixture(code)
    plan = desk.bench.plan.daily_check
    found = await desk.store.read(lambda conn: upkeep.list_daily_checks(conn, code, 50))
    return [check_out(each, plan.lasts if plan else 0.0) for each in found]
