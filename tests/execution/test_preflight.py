"""Pre-flight: each thing that can be wrong is named with its field and remedy."""

import datetime as dt
from dataclasses import replace
from typing import Any

import pytest

from loricate.bench.bench import InstrumentState
from loricate.bench.plan import read_bench_plan
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.roles import BOND, LEAKAGE, WITHSTAND
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.preflight import check_bench, check_load, needed_roles, unfit_instruments
from tests.rig import DEMO

PLAN = read_bench_plan(DEMO / "bench" / "bench.toml")
TODAY = dt.date(2026, 11, 25)
NAMES = {WITHSTAND: "HV1", BOND: "GB1", LEAKAGE: "LK1"}
ABLE = {role: (Capability(name, {}),) for role, name in NAMES.items()}


def state(name: str, role: str, problem: str = "", due: dt.date | None = TODAY) -> InstrumentState:
    return InstrumentState(name, role, name, "tcp://x", "S", "I", problem, TODAY, due, "")


GOOD = [state("HV1", "withstand"), state("GB1", "bond"), state("LK1", "leakage"),
        state("MX1", "matrix", due=None), state("GD1", "guard", due=None)]  # fmt: skip


@pytest.mark.parametrize(
    ("fixture", "load", "field", "says"),
    [
        ("FX-Z", [("1", "A")], "fixture", "no fixture 'FX-Z'"),
        ("FX-A", [("9", "A")], "load[0].nest", "no nest '9'; it has 1, 2, 3, 4"),
        ("FX-A", [("1", "A"), ("1", "B")], "load[1].nest", "loaded twice"),
        ("FX-A", [("1", "A"), ("2", "a")], "load[1].serial", "in nest 1 already"),
    ],
)
def test_a_faulty_load_is_named(
    sequence: ReadySequence, fixture: str, load: list[tuple[str, str]], field: str, says: str
) -> None:
    found = check_load(PLAN, fixture, load, sequence)
    assert [each.path for each in found] == [field]
    assert says in found[0].message


def test_a_good_load_has_no_finding(sequence: ReadySequence) -> None:
    assert check_load(PLAN, "FX-A", [("1", "A"), ("4", "B")], sequence) == ()


def test_a_nest_without_a_contact_is_named(sequence: ReadySequence) -> None:
    fixture = PLAN.fixtures[0].model_copy(update={"nests": {"1": {"L": 1, "N": 2}}})
    plan = PLAN.model_copy(update={"fixtures": (fixture,)})
    (found,) = check_load(plan, "FX-A", [("1", "A")], sequence)
    assert "no contact for CHASSIS, PE" in found.message


def test_a_good_bench_has_no_finding(sequence: ReadySequence) -> None:
    assert check_bench(GOOD, ABLE, sequence, TODAY) == ()


@pytest.mark.parametrize("place", range(5))
def test_a_silent_instrument_is_named(sequence: ReadySequence, place: int) -> None:
    states = list(GOOD)
    states[place] = replace(states[place], problem="does not answer")
    (found,) = check_bench(states, ABLE, sequence, TODAY)
    assert found.path == f"bench.{states[place].id}.address"


def test_a_calibration_out_of_date_is_named_and_its_last_day_is_good(
    sequence: ReadySequence,
) -> None:
    (first, *_) = check_bench(GOOD, ABLE, sequence, TODAY + dt.timedelta(days=1))
    assert first.path == "bench.HV1.due" and "have it calibrated" in first.message


def test_instruments_that_no_step_needs_may_be_off(sequence: ReadySequence) -> None:
    short = replace(sequence, steps=sequence.steps[:2])
    states = [replace(GOOD[0], problem="off"), *GOOD[1:]]
    assert needed_roles(short) == {BOND}
    assert check_bench(states, ABLE, short, TODAY) == ()


BOTH = {**ABLE, WITHSTAND: (Capability("HV1"), Capability("HV2"))}
SECOND = state("HV2", "withstand", due=TODAY + dt.timedelta(days=90))


@pytest.mark.parametrize(
    "wrong", [{"problem": "does not answer"}, {"due": TODAY - dt.timedelta(days=1)}]
)
def test_one_of_two_may_be_unfit_while_the_other_can_take_its_place(
    sequence: ReadySequence, wrong: dict[str, Any]
) -> None:
    states = [replace(GOOD[0], **wrong), SECOND, *GOOD[1:]]
    assert check_bench(states, BOTH, sequence, TODAY) == ()
    assert unfit_instruments(states, TODAY) == {"HV1"}


def test_what_is_wrong_with_each_is_said_when_none_is_left(sequence: ReadySequence) -> None:
    states = [replace(GOOD[0], problem="off"), replace(SECOND, problem="off too"), *GOOD[1:]]
    found = check_bench(states, BOTH, sequence, TODAY)
    assert [each.path for each in found] == ["bench.HV1.address", "bench.HV2.address"]
    weak = {**ABLE, WITHSTAND: (Capability("HV1"), Capability("HV2", {"dwell_s": (20, 60)}))}
    (first, *_) = check_bench([states[0], SECOND, *GOOD[1:]], weak, sequence, TODAY)
    assert first.path == "bench.HV1.address", "the other cannot do what the step asks"
