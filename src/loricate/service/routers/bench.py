"""The bench: who answers, calibration, guard, fixtures with their zeroes, matings and checks."""

import asyncio
import contextlib
import datetime as dt
import sqlite3
import time
from collections.abc import AsyncIterator, Iterable, Mapping, Sequence
from dataclasses import dataclass

from fastapi.sse import EventSourceResponse, ServerSentEvent

from loricate.api.bench import (
    BenchOut,
    ColumnMapOut,
    DailyCheckOut,
    DangerOut,
    Earthed,
    FixtureOut,
    ImpedanceZeroOut,
    InstrumentOut,
    Renewed,
    RequirementOut,
    ZeroOut,
)
from loricate.bench.bench import InstrumentState
from loricate.bench.danger import Danger
from loricate.bench.errors import BenchError
from loricate.bench.plan import BenchPlan, FixturePlan
from loricate.bench.switching import Wear
from loricate.core.fixtures.zeroes import is_young
from loricate.core.quantities import FREQUENCY, RESISTANCE, display
from loricate.records import audit, doubts, upkeep
from loricate.records.errors import NotFound
from loricate.service.bench_side import BenchSide
from loricate.service.errors import WrongState
from loricate.service.fixture_requirements import fixture_requirements
from loricate.service.routers.access import APage, Before, TheDesk, make_router
from loricate.service.sign_in import Definer, Reader, Runner

router = make_router("", "bench")
DANGER_LOOK_S, DANGER_EVERY_S = 0.1, 1.0


@dataclass(frozen=True, slots=True)
class _Seen:
    """The bench as it stood at one moment."""

    guard_closed: bool | None
    running: str
    upkeep: str
    rehearsal: str
    series: str
    busy_with: str
    states: tuple[InstrumentState, ...]
    danger: Danger
    wear: Wear | None


async def _see(side: BenchSide) -> _Seen:
    """Look at every instrument; while the bench is busy, what was last seen."""
    await side.holders.look()
    try:
        guard_closed: bool | None = await side.bench.guard_is_closed()
    except BenchError:
        guard_closed = None
    wear = None
    if not side.holders.busy_with:  # nothing is asked of the matrix while somebody switches
        with contextlib.suppress(BenchError):
            wear = await side.bench.switching.most_closed()
    act, rehearsal = side.upkeeps.running, side.rehearsals.running
    return _Seen(
        guard_closed,
        side.runs.running,
        act.id if act else "",
        rehearsal.id if rehearsal else "",
        side.series.on,
        side.holders.busy_with,
        tuple(side.bench.states()),
        side.bench.danger,
        wear,
    )


@router.get("/bench", response_model=BenchOut)
async def show_bench(person: Reader, desk: TheDesk) -> BenchOut:
    """Look at every instrument; while the bench is busy, what was last seen."""
    seen = await desk.bench.do(_see)
    plan = desk.plan
    names = [each.id for each in plan.instruments]
    doubted = await desk.store.read(
        lambda conn: doubts.standing_doubts(conn, doubts.answered_doubts(conn, names))
    )
    return BenchOut(
        code=plan.code,
        title=plan.title,
        site=plan.site,
        guard_closed=seen.guard_closed,
        running=seen.running,
        upkeep=seen.upkeep,
        rehearsal=seen.rehearsal,
        series=seen.series,
        busy_with=seen.busy_with,
        has_inputs=plan.inputs is not None,
        relay_wear=_wear_text(seen.wear, plan),
        rows={
            name: {terminal: list(rows) for terminal, rows in terminals.items()}
            for name, terminals in plan.rows.items()
        },
        instruments=_instruments(seen.states, doubted),
        danger=danger_out(seen.danger),
        fixtures=await desk.store.read(
            lambda conn: [_fixture(conn, each, plan, seen.states) for each in plan.fixtures]
        ),
    )


def _wear_text(wear: Wear | None, plan: BenchPlan) -> str:
    if wear is None or not wear.count:
        return ""
    wired = {
        row: f"{name} {terminal}"
        for name, terminals in plan.rows.items()
        for terminal, rows in terminals.items()
        for row in rows
    }
    row = f"row {wear.row}" + (f" ({wired[wear.row]})" if wear.row in wired else "")
    return f"{row} to column {wear.column}, {wear.count} times"


def _zeroed_text(last: upkeep.ZeroingInShort) -> str:
    nests = f"nest{'s' if len(last.nests) > 1 else ''} {', '.join(last.nests)}"
    return (
        f"{last.measured_at[:16].replace('T', ' ')} by {last.account} with {last.instrument}: "
        f"{last.leads} leads of {nests}, at most {display(last.most_ohms, RESISTANCE, 3)}"
    )


def _instruments(
    states: Iterable[InstrumentState], doubted: Mapping[str, str]
) -> list[InstrumentOut]:
    today = dt.datetime.now(dt.UTC).date()
    return [
        InstrumentOut(
            id=state.id,
            role=state.role,
            title=state.title,
            address=state.address,
            serial=state.serial,
            identity=state.identity,
            problem=state.problem,
            calibrated=state.calibrated,
            due=state.due,
            days_left=(state.due - today).days if state.due else None,
            certificate=state.certificate,
            doubt=doubted.get(state.id, ""),
            unseen=list(state.unseen),
        )
        for state in states
    ]


def danger_out(danger: Danger) -> DangerOut:
    """Show how dangerous the fixture is."""
    return DangerOut(
        state=danger.state.value,
        nests=list(danger.nests),
        volts=danger.volts,
        wait_s=danger.wait_s,
        reasons=list(danger.reasons),
        must_earth=danger.must_earth,
    )


@router.get("/bench/danger", response_model=DangerOut)
async def show_danger(person: Reader, desk: TheDesk) -> DangerOut:
    """How dangerous the fixture is at this moment."""
    return danger_out(await desk.bench.danger())


@router.get("/bench/danger/events", response_class=EventSourceResponse)
async def follow_danger(person: Reader, desk: TheDesk) -> AsyncIterator[ServerSentEvent]:
    """Server-sent events: the danger at every change, and once a second; silence is unknown."""
    told: Danger | None = None
    told_at = 0.0
    while not desk.stopping.is_set():
        seen, moment = await desk.bench.watched_danger(), time.monotonic()
        if seen.in_short != told or moment - told_at >= DANGER_EVERY_S:
            told, told_at = seen.in_short, moment
            yield ServerSentEvent(data=danger_out(seen).model_dump(mode="json"), event="danger")
        await asyncio.sleep(DANGER_LOOK_S)


@router.post("/bench/earthed", response_model=DangerOut)
async def confirm_earthed(body: Earthed, person: Runner, desk: TheDesk) -> DangerOut:
    """Say that the unit was earthed by hand, so that the fixture may be touched and used again."""

    async def confirm(side: BenchSide) -> Danger:
        if side.holders.busy_with:
            raise WrongState(f"The bench is busy with {side.holders.busy_with}; wait for its end.")
        if not side.bench.charged:
            raise WrongState("Nothing is taken for charged; there is nothing to confirm.")
        await desk.store.write(
            lambda conn: audit.note(conn, person.name, "confirm earthed", desk.plan.code, body.note)
        )
        if left := await side.bench.confirm_earthed():
            raise WrongState(" ".join(left))
        return side.bench.danger

    return danger_out(await desk.bench.do(confirm))


def _fixture(
    conn: sqlite3.Connection,
    plan: FixturePlan,
    bench: BenchPlan,
    states: Sequence[InstrumentState],
) -> FixtureOut:
    at = dt.datetime.now(dt.UTC)
    zeroes = upkeep.latest_zeroes(conn, plan.code)
    check = upkeep.latest_daily_check(conn, plan.code)
    due = bench.check_of(plan)
    lasts_s = due.lasts if due is not None else 0.0
    wanted = {nest: list(contacts) for nest, contacts in plan.nests.items()}
    asked = fixture_requirements(conn, bench, plan, states, wanted)
    last = upkeep.last_zeroing(conn, plan.code)
    return FixtureOut(
        code=plan.code,
        zeroed="" if last is None else _zeroed_text(last),
        title=plan.title,
        nests=plan.nests,
        per_row=plan.per_row,
        felt=list(bench.inputs.presence.get(plan.code, {})) if bench.inputs else [],
        earthed=list(plan.earthed),
        requirements=[
            RequirementOut(name=each.name, met=each.met, reason=each.reason) for each in asked
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
        maps=[
            ColumnMapOut.model_validate({name: row[name] for name in ColumnMapOut.model_fields})
            for row in upkeep.latest_column_maps(conn, plan.code).values()
        ],
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


def _known_fixture(code: str, plan: BenchPlan) -> None:
    if plan.find_fixture(code) is None:
        raise NotFound("fixture", code)


@router.post("/fixtures/{code}/renewals", status_code=204)
async def renew_contacts(code: str, body: Renewed, person: Definer, desk: TheDesk) -> None:
    """Enter that a fixture's contacts were renewed: its matings are counted from now."""
    _known_fixture(code, desk.plan)
    await desk.store.write(lambda conn: upkeep.add_service(conn, code, body.note, person.name))


@router.get("/fixtures/{code}/daily-checks", response_model=list[DailyCheckOut])
async def list_daily_checks(
    code: str, person: Reader, desk: TheDesk, page: APage, before: Before = ""
) -> list[DailyCheckOut]:
    """The daily checks of a fixture, newest first."""
    _known_fixture(code, desk.plan)
    fixture = desk.plan.find_fixture(code)
    plan = desk.plan.daily_check if fixture is None else desk.plan.check_of(fixture)
    found = await desk.store.read(
        lambda conn: upkeep.list_daily_checks(conn, code, page.look_for, before)
    )
    rows = page.cut(found, "before", lambda row: str(row["id"]))
    return [check_out(each, plan.lasts if plan else 0.0) for each in rows]
