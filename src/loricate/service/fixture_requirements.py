"""What the gate asks of a fixture, met or not at a moment, as the records and the bench have it."""

import datetime as dt
import sqlite3
from collections.abc import Collection, Hashable, Mapping, Sequence

from loricate.bench.bench import InstrumentState
from loricate.bench.plan import BenchPlan, FixturePlan
from loricate.core.gate import Requirement, check_requirement, zero_requirement
from loricate.execution.preflight import unfit_instruments
from loricate.records import upkeep


def fixture_requirements(
    conn: sqlite3.Connection,
    bench: BenchPlan,
    fixture: FixturePlan,
    states: Sequence[InstrumentState],
    wanted: Mapping[str, Sequence[Hashable]],
    roles: Collection[str] | None = None,
) -> tuple[Requirement, ...]:
    """What is asked of a fixture: its daily check, and the zeroes ``wanted`` by nest.

    ``roles`` are those that a sequence needs; None asks for every instrument of the bench.
    """
    at = dt.datetime.now(dt.UTC)
    check = upkeep.latest_daily_check(conn, fixture.code)
    ended = None if check is None else dt.datetime.fromisoformat(check["ended_at"])
    passed = None if check is None else bool(check["passed"])
    plan = bench.check_of(fixture)
    lasts_s = plan.lasts if plan is not None else 0.0
    measured = [] if check is None else check["report"].get("instruments")
    missed = () if measured is None else _missed(bench, states, at.date(), measured, roles)
    found = [check_requirement(plan is not None, passed, ended, lasts_s, at, missed)]
    if any(wanted.values()):
        zeroes = upkeep.all_zeroes(conn, fixture.code)
        found.append(zero_requirement(wanted, zeroes, fixture.zero_lasts, at))
    return tuple(found)


def _missed(
    bench: BenchPlan,
    states: Sequence[InstrumentState],
    today: dt.date,
    measured: Sequence[str],
    roles: Collection[str] | None,
) -> tuple[str, ...]:
    """The instruments that a run may take and a check did not measure with.

    A role that the check does not look at at all is not held against it.
    """
    looked_at = {each.role for each in bench.instruments if each.id in measured}
    unfit = unfit_instruments(states, today)
    return tuple(
        each.id
        for each in bench.instruments
        if each.role in looked_at
        and (roles is None or each.role in roles)
        and each.id not in measured
        and each.id not in unfit
    )
