"""The bench: who answers, calibration, guard, fixtures with their zeroes, matings and checks."""

import datetime as dt
import sqlite3

from fastapi import APIRouter

from loricate.api.bench import (
    BenchOut,
    ConditionOut,
    DailyCheckOut,
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
from loricate.records import upkeep
from loricate.service.desk import Desk
from loricate.service.routers.access import TheDesk
from loricate.service.sign_in import Definer, Reader

router = APIRouter(tags=["bench"])


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
        instruments=_instruments(desk),
        fixtures=await desk.store.read(
            lambda conn: [_fixture(conn, each, plan) for each in plan.fixtures]
        ),
    )


def _instruments(desk: Desk) -> list[InstrumentOut]:
    today = dt.datetime.now(dt.UTC).date()
    return [
        InstrumentOut(
            id=state.id, role=state.role, title=state.title, address=state.address,
            serial=state.serial, identity=state.identity, problem=state.problem,
            calibrated=state.calibrated, due=state.due,
            days_left=(state.due - today).days if state.due else None,
            certificate=state.certificate,
        )
        for state in desk.bench.states()
    ]  # fmt: skip


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
