"""The bench: who answers, calibration, guard, fixtures."""

import datetime as dt

from fastapi import APIRouter

from loricate.api.bench import BenchOut, FixtureOut, InstrumentOut
from loricate.bench.errors import BenchError
from loricate.service.routers.access import TheDesk
from loricate.service.sign_in import Reader

router = APIRouter(tags=["bench"])


@router.get("/bench", response_model=BenchOut)
async def show_bench(person: Reader, desk: TheDesk) -> BenchOut:
    """Look at every instrument; during a run, what was last seen."""
    running = next((each.run_id for each in desk.engines.values() if each.is_running), "")
    if not running:
        await desk.bench.look()
    try:
        guard_closed: bool | None = await desk.bench.guard_is_closed()
    except BenchError:
        guard_closed = None
    today = dt.datetime.now(dt.UTC).date()
    plan = desk.bench.plan
    return BenchOut(
        code=plan.code,
        title=plan.title,
        site=plan.site,
        guard_closed=guard_closed,
        running=running,
        instruments=[
            InstrumentOut(
                id=state.id, role=state.role, title=state.title, address=state.address,
                serial=state.serial, identity=state.identity, problem=state.problem,
                calibrated=state.calibrated, due=state.due,
                days_left=(state.due - today).days if state.due else None,
                certificate=state.certificate,
            )
            for state in desk.bench.states()
        ],
        fixtures=[
            FixtureOut(code=each.code, title=each.title, nests=each.nests) for each in plan.fixtures
        ],
    )  # fmt: skip
