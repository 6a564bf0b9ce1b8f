"""Trends and yields: what is told of readings is what the records hold, whatever is asked."""

import datetime as dt
import sqlite3
from collections import Counter
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.core.attempts import Attempt
from loricate.core.measuring.grading import DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.readings import Reading
from loricate.core.planning.lots import Appearance, Tally, tally
from loricate.core.quantities import CURRENT, PRESSURE
from loricate.core.searching import Span, UnitSearch
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.released import step_as_done
from loricate.records import attempts, runs, searching, trends, yields
from loricate.records.trends import Wanted, Which
from loricate.records.yields import By, namer
from tests.records.searched import AT, SEARCHES, STEPS, ZONE, Filled, Known, answers


@settings(max_examples=100, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    asked=SEARCHES,
    step=st.sampled_from([*STEPS, "none"]),
    which=st.sampled_from(list(Which)),
    count=st.integers(1, 90),
    plan=st.tuples(*[st.sampled_from([1, 3, 20, 1000])] * 4),
)
def test_a_trend_has_the_readings_that_the_records_have(
    filled: Filled,
    monkeypatch: pytest.MonkeyPatch,
    asked: dict[str, Any],
    step: str,
    which: Which,
    count: int,
    plan: tuple[int, int, int, int],
) -> None:
    for name, number in zip(("A_HANDFUL", "FEW", "NEWEST_FIRST", "PAGE"), plan, strict=True):
        monkeypatch.setattr(searching, name, number)
    search = UnitSearch(**asked)
    span = search.span(ZONE, AT)
    own = [each for each in filled.known if answers(each, search, span)]
    own.sort(key=lambda each: (each.begun, each.id))
    wanted = [
        (unit.id, number, value, name)
        for unit in own
        for of, name, number, value, _ in unit.readings
        if of == step and _is_looked_at(unit, of, number, which)
    ]
    found = trends.find_readings(filled.conn, search, span, Wanted(step, "current"), which, count)
    told = [(each.id, each.number, each.value, each.group("instrument")) for each in found.observed]
    assert told == wanted[-count:]
    assert found.is_cut == (len(wanted) > count)
    assert set(found.runs) == {each.id for each in found.observed}


def _is_looked_at(unit: Known, step: str, number: int, which: Which) -> bool:
    numbers = [of for name, _, of, _, _ in unit.readings if name == step]
    return which is Which.ALL or number == (max(numbers) if which is Which.LAST else min(numbers))


def test_another_quantity_or_point_has_none_of_these_readings(filled: Filled) -> None:
    for other in (Wanted("withstand", "voltage"), Wanted("withstand", "current", "L1")):
        found = trends.find_readings(filled.conn, UnitSearch(), Span(), other)
        assert found.observed == () and not found.is_cut and found.dimension == ""


def test_readings_of_another_dimension_are_told_and_not_mixed_in(
    conn: sqlite3.Connection, sequence: ReadySequence
) -> None:
    """Another product may have a step of the same name that measures something else by it."""
    step = step_as_done(sequence.steps[3])
    for place, dimension in enumerate((PRESSURE, PRESSURE, CURRENT)):
        run_id = runs.add_run(
            conn, ("DC40-FINAL", 1), "DC-40", "FX-A", {"1": f"U-{place}"},
            {"instruments": [], "code": "B"}, "0", "mara",
        )  # fmt: skip
        (unit,) = runs.get_run(conn, run_id)["units"]
        graded = grade_step(Measured((Reading("level", 1.0, dimension),)), {}, DecisionRule())
        at = f"2026-11-0{1 + place}T10:00:00.000Z"
        made = Attempt(step, 0, 1, graded, started_at=at, ended_at=at)
        attempts.add_attempt(conn, unit["id"], made)
    found = trends.find_readings(conn, UnitSearch(), Span(), Wanted(step.id, "level"))
    assert (found.dimension, len(found.observed), found.others) == ("current", 1, 2)


def test_what_there_is_to_compare_is_what_was_read(filled: Filled) -> None:
    found = trends.list_measurands(filled.conn, UnitSearch(), Span())
    assert {(each.step, each.quantity, each.point) for each in found} == {
        (step, "current", "") for step in STEPS
    }
    assert all(0 < each.units <= trends.NEWEST_UNITS for each in found)
    assert trends.list_measurands(filled.conn, UnitSearch(product="none"), Span()) == []


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(asked=SEARCHES, by=st.sampled_from(list(By)))
def test_yields_are_those_that_lots_count(filled: Filled, asked: dict[str, Any], by: By) -> None:
    """The same units through the lots' own count, group by group."""
    search = UnitSearch(**asked)
    span = search.span(ZONE, AT)
    name = namer(by, ZONE)
    finished = {
        str(row["id"])
        for row in filled.conn.execute(
            "SELECT run_unit.id FROM run_unit JOIN run ON run.id = run_id"
            " WHERE finished_at IS NOT NULL"
        )
    }
    groups: dict[str, list[Known]] = {}
    own = [each for each in filled.known if answers(each, search, span) and each.id in finished]
    for unit in sorted(own, key=lambda each: each.id):
        key = {
            By.NEST: f"{unit.facts['fixture']}/{unit.facts['nest']}",
            By.BENCH: "BENCH-2",
        }.get(by) or (name(unit.begun) if by in yields.TIMES else unit.facts[by])
        groups.setdefault(key, []).append(unit)
    found = yields.count_yields(filled.conn, search, span, by, ZONE)
    assert {key: each for key, each in found.groups.items() if each.tested} == {
        key: counted for key, units in groups.items() if (counted := _tally(units)).tested
    }
    assert found.total == _tally(sorted(own, key=lambda each: each.id))
    failed = [each for each in filled.known if answers(each, search, span)]
    causes = Counter(step for unit in failed for step in unit.failed)
    assert sum(each.units for each in found.causes) == causes.total()
    units = [each.units for each in found.causes]
    assert units == sorted(units, reverse=True)


def _tally(units: list[Known]) -> Tally:
    came = list[Appearance]()
    for unit in units:
        verdict = Verdict(unit.facts["verdict"])
        if verdict is Verdict.PASS and unit.failed_first:
            came.append(Appearance(unit.facts["serial"], Verdict.FAIL))
        came.append(Appearance(unit.facts["serial"], verdict))
    return tally(came)


def test_days_weeks_and_months_are_those_of_the_site() -> None:
    stamp = "2026-12-31T23:30:00.000Z"
    assert namer(By.DAY, ZONE)(stamp) == "2027-01-01"
    assert namer(By.DAY, dt.UTC)(stamp) == "2026-12-31"
    assert namer(By.WEEK, dt.UTC)(stamp) == "2026-W53"
    assert namer(By.MONTH, ZONE)(stamp) == "2027-01"
