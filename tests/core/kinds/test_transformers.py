"""Ratio, polarity, inductance and leakage of a transformer: what is found, and no liar passes."""

import math
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from typing import Any

import pytest

from loricate.challenge import challenge
from loricate.challenge.bench import OfflineBench, _OfflineDriver
from loricate.core.errors import DocumentError
from loricate.core.measuring.actions import FixtureZero, Output
from loricate.core.measuring.driving import at_once
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.impedance import ImpedancePath, ImpedanceZero
from loricate.core.measuring.readings import Bound, Measurand, Reading
from loricate.core.measuring.roles import IMPEDANCE, RATIO_METER, Role
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.simulator.units import UnitModel, read_unit_model
from tests.conftest import read_demo
from tests.rig import DEMO


@cache
def transformer() -> UnitModel:
    return read_unit_model(DEMO / "stand-ins" / "control-transformer.toml")


def product() -> Product:
    return Product.model_validate(read_demo("products/ct-14.toml"))


@cache
def final() -> ReadySequence:
    return prepare(read_demo("sequences/ct14-final.toml"), {"CT-14": product()}, {})


def step(kind: str, **settings: Any) -> ReadyStep:
    """A step like the final test's, with settings of its own; raises DocumentError."""
    document = read_demo("sequences/ct14-final.toml")
    own = next(each for each in document["steps"] if each["kind"] == kind)
    own["settings"] |= settings
    document["steps"] = [own]
    return prepare(document, {"CT-14": product()}, {}).steps[0]


def bench(*faults: str) -> OfflineBench:
    found = OfflineBench(transformer())
    found.put_in(faults, "U-1")
    return found


def graded(ready: ReadyStep, *faults: str) -> StepGrade:
    return bench(*faults).grade(ready, DecisionRule())


def value(grade: StepGrade, quantity: str, point: str) -> Reading:
    return next(
        each.reading for each in grade.readings if each.reading.measurand == (quantity, point)
    )


def test_every_fault_is_caught_and_by_the_step_that_is_for_it() -> None:
    found = challenge(final(), transformer(), repetitions=20)
    assert set(found.false_alarms.values()) == {0}
    rows = {row.faults: row.verdicts for row in found.rows}
    caught_by = {
        "wrong_turns": "ratio", "reversed_winding": "ratio", "shorted_turn": "inductance",
        "wide_gap": "inductance", "thin_wire": "resistance", "open_winding": "resistance",
        "wet": "insulation", "weak_barrier": "withstand",
    }  # fmt: skip
    for fault, by in caught_by.items():
        assert rows[fault,][by].verdict is Verdict.FAIL, fault
    assert all(
        verdict.verdict is not Verdict.PASS
        for name, verdict in rows["empty_nest",].items()
        if name in ("resistance", "ratio", "inductance")
    )


def test_a_ratio_is_the_turns_and_its_error_is_of_the_nominal() -> None:
    grade = graded(step("turns_ratio"))
    assert grade.verdict is Verdict.PASS
    ratio, error = value(grade, "turns_ratio", "P-S1"), value(grade, "ratio_error", "P-S1")
    assert ratio.value == pytest.approx(230 / 24, rel=2e-3)
    assert error.value == pytest.approx(ratio.value / 9.583 - 1)
    driven, read = value(grade, "voltage", "P-S1"), value(grade, "secondary", "P-S1")
    assert ratio.value == pytest.approx(driven.value / read.value)


def test_exchanged_ends_and_exchanged_pins_are_told() -> None:
    grade = graded(step("turns_ratio"), "reversed_winding")
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, Cause.REVERSED)
    assert grade.faults[0].text == "P-S3: 12 and 13 are exchanged: polarity is reversed."
    assert graded(step("turns_ratio"), "swapped 6 8").verdict is Verdict.FAIL


def test_pins_that_are_not_tied_leave_the_primary_open() -> None:
    grade = graded(step("turns_ratio", tie=[]))
    assert grade.verdict is Verdict.FAIL


def test_leakage_is_what_is_left_with_another_winding_shorted() -> None:
    grade = graded(step("inductance"))
    whole, leak = value(grade, "inductance", "P"), value(grade, "inductance", "P-leakage")
    assert whole.value == pytest.approx(4 * 1.2, rel=0.02)
    assert leak.value < 0.01 * whole.value


def test_what_the_fixture_adds_is_taken_out_and_both_values_are_kept() -> None:
    ready = step("inductance")
    driver = _OfflineDriver(bench(), ready)
    zero = ImpedanceZero(complex(0, -1e9), complex(2.0, 1.0), None)  # type: ignore[arg-type]

    def fixture_zero(action: FixtureZero) -> ImpedanceZero:
        return zero

    driver.fixture_zero = fixture_zero  # type: ignore[method-assign]
    measured = at_once(driver.measure(ready.procedure()))
    own = next(each for each in measured.readings if each.measurand == ("inductance", "P-leakage"))
    before = own.corrections[0].before
    assert before - own.value == pytest.approx(1.0 / (2 * math.pi * 400), rel=0.02)
    assert set(ready.impedance_paths) == {ImpedancePath("1", "4", 400.0)}


def test_a_windings_nominal_resistance_is_the_products() -> None:
    ready = next(each for each in final().steps if each.id == "resistance")
    limit = ready.limits[Measurand("corrected_resistance", "S1")]
    assert (limit.minimum, limit.maximum) == pytest.approx((1.08, 1.32))
    assert graded(ready, "thin_wire").verdict is Verdict.FAIL


def summed(change: Callable[[Output], Output], of: Role) -> Callable[[OfflineBench], None]:
    def spoil(on: OfflineBench) -> None:
        summed_up = on._summed_up

        def lying(role: Role, samples: Any = ()) -> Output:
            output = summed_up(role, samples)
            return change(output) if role == of else output

        on._summed_up = lying  # type: ignore[method-assign]

    return spoil


def told(**values: float) -> Callable[[Output], Output]:
    return lambda output: replace(output, summary={**output.summary, **values})


def under(name: str) -> Callable[[Output], Output]:
    return lambda output: replace(output, bounds={**output.bounds, name: Bound.BELOW})


@pytest.mark.parametrize(
    ("kind", "spoil"),
    [
        ("turns_ratio", summed(told(secondary=math.nan), RATIO_METER)),
        ("turns_ratio", summed(told(voltage=math.nan), RATIO_METER)),
        ("turns_ratio", summed(told(in_phase=0.0), RATIO_METER)),
        ("turns_ratio", summed(told(in_phase=0.05), RATIO_METER)),  # picked up, not induced
        ("turns_ratio", summed(told(in_phase=math.nan), RATIO_METER)),
        ("turns_ratio", summed(told(secondary=0.0), RATIO_METER)),
        ("turns_ratio", summed(under("secondary"), RATIO_METER)),
        ("turns_ratio", summed(under("voltage"), RATIO_METER)),
        ("inductance", summed(told(reactance=math.nan), IMPEDANCE)),
        ("inductance", summed(told(reactance=-300.0), IMPEDANCE)),
        ("inductance", summed(told(reactance=0.0), IMPEDANCE)),
    ],
)
def test_no_lying_meter_passes_a_transformer(
    kind: str, spoil: Callable[[OfflineBench], None]
) -> None:
    on = bench()
    spoil(on)
    assert on.grade(step(kind), DecisionRule()).verdict is not Verdict.PASS


RATIO = {"name": "R", "primary": ["1", "4"], "secondary": ["6", "7"], "nominal": "9.583:1"}
COIL = {"name": "C", "high": "1", "low": "4", "nominal": "4.8 H"}


@pytest.mark.parametrize(
    ("kind", "settings", "told"),
    [
        ("turns_ratio", {"ratios": [RATIO, RATIO]}, "name twice"),
        ("turns_ratio", {"ratios": [{**RATIO, "secondary": ["4", "1"]}]}, "winding itself"),
        ("turns_ratio", {"ratios": [{**RATIO, "nominal": "9.583"}]}, "nominal"),
        ("turns_ratio", {"tie": ["2"]}, "one pin alone"),
        ("turns_ratio", {"ratios": [{**RATIO, "primary": ["1", "44"]}]}, "no terminal '44'"),
        ("inductance", {"coils": [COIL, COIL]}, "name twice"),
        ("inductance", {"coils": [{**COIL, "low": "1"}]}, "its high terminal"),
        ("inductance", {"coils": [{**COIL, "short": ["1", "4"]}]}, "shorts what it measures"),
    ],
)
def test_what_is_written_wrong_is_refused_by_name(
    kind: str, settings: dict[str, Any], told: str
) -> None:
    with pytest.raises(DocumentError, match=told):
        step(kind, **settings)


@pytest.mark.parametrize(
    ("windings", "told"),
    [
        ([{"name": "P", "start": "1", "end": "1"}], "is its start"),
        (
            [{"name": "P", "start": "1", "end": "2"}, {"name": "P", "start": "3", "end": "4"}],
            "twice",
        ),
        ([{"name": "P", "start": "1", "end": "99"}], "names terminal 99"),
    ],
)
def test_windings_that_cannot_be_are_refused(windings: list[Any], told: str) -> None:
    document = read_demo("products/ct-14.toml")
    document["winding"]["windings"] = windings
    with pytest.raises(ValueError, match=told):
        Product.model_validate(document)
