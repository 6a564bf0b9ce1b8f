"""The fluid warmer's final test against its faults: where each shows in the table of leakages."""

from typing import Any

import pytest

from loricate.challenge import challenge
from loricate.challenge.bench import OfflineBench
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.readings import Measurand
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.simulator.units import UnitModel
from tests.conftest import read_demo


@pytest.fixture(scope="module")
def warmer() -> UnitModel:
    return UnitModel.model_validate(read_demo("stand-ins/fluid-warmer.toml"))


def ready(limit_sets: LimitSets, **changed: Any) -> ReadySequence:
    """The final test, with settings of its leakage step changed."""
    document = read_demo("sequences/fw2-final.toml")
    leaking = next(each for each in document["steps"] if each["id"] == "leakage")
    leaking["settings"] |= changed
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    return prepare(document, {product.code: product}, limit_sets)


def table(limit_sets: LimitSets, **changed: Any) -> ReadyStep:
    return ready(limit_sets, **changed).step("leakage")


def measured(warmer: UnitModel, step: ReadyStep, *faults: str) -> StepGrade:
    bench = OfflineBench(warmer)
    bench.put_in(faults, "one")
    return bench.grade(step, DecisionRule())


def failed(grade: StepGrade) -> set[str]:
    """What is over its limit."""
    return {
        str(each.reading.measurand)
        for each in grade.readings
        if each.grade is not None and each.grade.verdict is Verdict.FAIL
    }


FUNCTIONAL = {
    "absorbing_catheter": ("pulse",),
    "leaking_cuff": ("cuff-loss",),
    "sensor_off": ("display",),
    "pressure_off": ("display", "cuff-shown"),
    "silent_alarm": ("display",),
    "loose_cord_earth": ("earth-flexed",),
}


def test_the_whole_device_misses_what_a_withstand_alone_finds_and_nothing_else(
    limit_sets: LimitSets, warmer: UnitModel
) -> None:
    document = read_demo("sequences/fw2-whole.toml")
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    whole = prepare(document, {product.code: product}, limit_sets)
    found = challenge(whole, warmer, repetitions=5)
    assert {row.faults[0] for row in found.missed} == {"cracked_insulator", "thin_barrier"}
    assert not any(found.false_alarms.values())
    rows = {row.faults[0]: row.caught_by for row in found.rows}
    assert {name: rows[name] for name in FUNCTIONAL} == FUNCTIONAL


def test_the_final_test_misses_no_electrical_fault_and_passes_good_ones(
    limit_sets: LimitSets, warmer: UnitModel
) -> None:
    found = challenge(ready(limit_sets), warmer, repetitions=5)
    flexed = {"loose_cord_earth"}  # of a cord that nobody flexes it is not known
    assert {row.faults[0] for row in found.missed} == FUNCTIONAL.keys() - flexed
    assert not any(found.false_alarms.values())
    # What insulation alone is wrong with shows in the leakage step and in no other.
    rows = {row.faults[0]: row.caught_by for row in found.rows}
    for fault in ("wet_catheter", "biased_sensor", "wet_pole"):
        assert rows[fault] == ("leakage",)


@pytest.mark.parametrize(
    ("fault", "seen", "unseen"),
    [
        ("bad_y_capacitor", "current earth", "current patient PROBE"),
        ("wet_probe", "current patient PROBE P3", "current patient CUFF"),
        ("probe_to_case", "current mains on PROBE", "current patient PROBE P1"),
        (
            "wet_catheter",
            "current patient CATHETER, neutral open, reversed",
            "current patient CUFF",
        ),
        ("biased_sensor", "dc current auxiliary PROBE P1", "current auxiliary PROBE P1"),
        ("wet_pole", "current touch POLE", "current earth, reversed"),
    ],
)
def test_a_fault_shows_where_it_must_and_there_alone(
    limit_sets: LimitSets, warmer: UnitModel, fault: str, seen: str, unseen: str
) -> None:
    grade = measured(warmer, table(limit_sets), fault)
    found = failed(grade)
    assert grade.verdict is Verdict.FAIL
    assert any(each.startswith(seen) for each in found), (seen, found)
    assert unseen not in found, found


def test_each_part_has_the_limit_of_its_own_type(limit_sets: LimitSets) -> None:
    limits = table(limit_sets).limits

    def most(point: str, quantity: str = "current") -> float | None:
        return limits[Measurand(quantity, point)].maximum

    assert (most("patient PROBE"), most("patient CATHETER")) == (100e-6, 10e-6)
    assert (most("patient PROBE, earth open"), most("patient CATHETER, neutral open")) == (
        500e-6,
        50e-6,
    )
    assert (most("mains on PROBE"), most("mains on CATHETER")) == (5e-3, 50e-6)
    assert (most("total BF"), most("total BF, earth open")) == (500e-6, 1e-3)
    assert most("patient PROBE P2", "dc_current") == 10e-6
    assert Measurand("dc_current", "earth") not in limits
    assert limits[Measurand("voltage", "")].minimum == pytest.approx(253), "110 % of 230 V"


@pytest.mark.parametrize(
    ("to", "left", "cause"), [("on", "off", Cause.NO_CONTACT), ("off", "on", Cause.SWITCHED_ON)]
)
def test_a_device_that_is_not_switched_as_it_must_be_is_not_measured_so(
    limit_sets: LimitSets,
    warmer: UnitModel,
    monkeypatch: pytest.MonkeyPatch,
    to: str,
    left: str,
    cause: Cause,
) -> None:
    """It is asked for, and measured once it is; whoever only says so is not believed."""
    assert measured(warmer, table(limit_sets), "dead_heater").cause is Cause.NO_CONTACT
    bench, step = OfflineBench(warmer), table(limit_sets, switch=to)
    bench.put_in((), "one")
    bench.turn(left)
    assert bench.grade(step, DecisionRule()).verdict is Verdict.PASS
    bench.turn(left)
    monkeypatch.setattr(bench, "turn", lambda position: None)
    grade = bench.grade(step, DecisionRule())
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, cause)
    assert not [each for each in grade.readings if each.reading.quantity == "current"]


def test_the_table_of_recurrent_tests(limit_sets: LimitSets, warmer: UnitModel) -> None:
    """IEC 62353, direct and alternative, at what the mains gives and scaled to its nominal."""
    document = read_demo("sequences/fw2-final.toml")
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    for method, most in (("direct", 500e-6), ("alternative", 1e-3)):
        settings = {
            "path": ["earth", "mains_on_part"],
            "method": method,
            "network": "iec60601",
            "supply": "228 V",
            "polarity": ["normal", "reversed"],
            "nominal": "230 V",
        }
        step = {"id": "leakage", "kind": "leakage", "settings": settings,
                "limits": {"current": {"source": "IEC-62353"}}}  # fmt: skip
        found = prepare({**document, "steps": [step]}, {"FW-2": product}, limit_sets).steps[0]
        assert found.limits[Measurand("current", "earth")].maximum == most
        grade = measured(warmer, found)
        assert grade.verdict is Verdict.PASS, failed(grade)
        currents = {each.reading.point: each.reading for each in grade.readings}
        assert currents["earth"].corrections[0].what == "supply"
        assert 1e-6 < currents["mains on CATHETER"].value < 50e-6
        # Insulation to the pole that stands at the same voltage shows nothing: both polarities are
        # asked for. Without mains both poles stand at earth.
        for fault in ("wet_catheter", "bad_y_capacitor"):
            assert measured(warmer, found, fault).verdict is Verdict.FAIL, (method, fault)
