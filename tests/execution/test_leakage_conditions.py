"""Leakage in every condition and by every method, and power, on the demo bench's stand-ins."""

from typing import Any

import pytest

from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Cause, Measured, StepGrade, Verdict, grade_step
from loricate.core.measuring.roles import BOND, IMPEDANCE, LEAKAGE
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.execution.driving import BenchDriver
from tests.rig import Rig

USING = {LEAKAGE: "LK1", BOND: "GB1", IMPEDANCE: "IM1"}
ANYTHING = {"current": {"maximum": "1 A", "source": "us"}}


async def never(asked: object) -> Any:
    raise AssertionError(f"asked {asked}")


class Doing:
    """Does single steps on the unit in nest 1 of FX-A."""

    def __init__(self, rig: Rig, product: Product, limit_sets: LimitSets) -> None:
        self.rig, self.product, self.limit_sets = rig, product, limit_sets

    def put(self, fault: str) -> None:
        self.rig.floor.floor.put_in("FX-A/1", "DC-40", (fault,) if fault else (), "LC-1")

    async def __call__(
        self, kind: str, limits: dict[str, Any] | None = None, **settings: Any
    ) -> tuple[Measured, StepGrade]:
        document = {
            "format": "loricate-sequence/2", "code": "S", "title": "s", "product": "DC-40",
            "steps": [
                {"id": "one", "kind": kind, "settings": settings,
                 "limits": ANYTHING if limits is None else limits},
            ],
        }  # fmt: skip
        sequence = prepare(document, {"DC-40": self.product}, self.limit_sets)
        (step,) = sequence.steps
        fixture = self.rig.bench.plan.find_fixture("FX-A")
        assert fixture is not None
        nests = [fixture.nests["1"]]
        driver = BenchDriver(self.rig.bench, USING, nests, never, lambda sample: None, {})
        measured = await driver.measure(step.procedure())
        await self.rig.bench.disconnect(USING.values())
        return measured, grade_step(measured, step.limits, sequence.decision)


@pytest.fixture
def doing(rig: Rig, product: Product, limit_sets: LimitSets) -> Doing:
    return Doing(rig, product, limit_sets)


def value(measured: Measured, name: str) -> float:
    return next(reading.value for reading in measured.readings if reading.quantity == name)


async def test_an_open_neutral_puts_both_filters_on_the_line(doing: Doing) -> None:
    closed, _ = await doing("leakage")
    opened, graded = await doing("leakage", condition="open_neutral", load_current="7 A")
    # Through the heater the neutral's 2.2 nF now sees the full line voltage as well.
    assert value(opened, "current") == pytest.approx(2 * value(closed, "current"), rel=0.25)
    assert value(closed, "load_current") > 7 > 0.1 > value(opened, "load_current")
    assert graded.verdict is Verdict.PASS, "no load current flows through an open neutral"


async def test_the_methods_agree_where_they_measure_the_same(doing: Doing) -> None:
    direct, _ = await doing("leakage", network="none")
    differential, _ = await doing("leakage", method="differential")
    assert value(differential, "current") == pytest.approx(value(direct, "current"), rel=0.02)
    alternative, _ = await doing("leakage", method="alternative", network="none")
    assert value(alternative, "current") == pytest.approx(2 * value(direct, "current"), rel=0.25)
    assert value(alternative, "load_current") < 0.01


async def test_a_touched_case_is_dead_until_its_earth_opens(doing: Doing) -> None:
    touch: dict[str, Any] = {"path": "touch", "part": "CHASSIS", "network": "iec60601"}
    normal, _ = await doing("leakage", **touch)
    fault, _ = await doing("leakage", condition="open_earth", **touch)
    assert value(normal, "current") < 5e-6 < 50e-6 < value(fault, "current")
    assert value(fault, "peak_current") == pytest.approx(2**0.5 * value(fault, "current"), rel=1e-3)


async def test_polarity_changes_which_filter_leaks(doing: Doing) -> None:
    doing.put("leaky_filter")
    normal, _ = await doing("leakage", condition="open_neutral")
    reversed_, _ = await doing("leakage", condition="open_neutral", polarity="reversed")
    assert value(normal, "current") > 5 * 230 * 2 * 3.1416 * 50 * 2.2e-9
    assert value(reversed_, "current") == pytest.approx(value(normal, "current"), rel=0.1)


async def test_the_current_is_scaled_to_the_nominal_supply(doing: Doing) -> None:
    scaled, _ = await doing("leakage", supply="200 V", nominal="230 V")
    current = next(each for each in scaled.readings if each.name == "current")
    (correction,) = current.corrections
    factor = 230 / value(scaled, "voltage")
    assert correction.what == "supply"
    assert current.value == pytest.approx(correction.before * factor)


async def test_a_unit_that_is_on_is_not_off(doing: Doing) -> None:
    _, graded = await doing("leakage", switch="off", load_current="0.1 A")
    assert (graded.verdict, graded.cause) == (Verdict.FAIL, Cause.SWITCHED_ON)


@pytest.mark.parametrize(
    ("fault", "verdict"), [("", Verdict.PASS), ("wrong_element", Verdict.FAIL)]
)
async def test_power_alone_finds_an_element_of_the_wrong_rating(
    doing: Doing, fault: str, verdict: Verdict
) -> None:
    doing.put(fault)
    plate = {"power": {"minimum": "1.75 kW", "maximum": "2.05 kW", "source": "plate"}}
    measured, graded = await doing("power", plate, nominal="230 V")
    assert graded.verdict is verdict
    assert value(measured, "power_factor") == pytest.approx(1.0, abs=0.01)
    _, leaks = await doing("leakage")
    assert leaks.verdict is Verdict.PASS


async def test_continuity_through_the_fixture(doing: Doing) -> None:
    paths = [
        {"high": "PE", "low": "CHASSIS", "maximum": "0.2 Ω"},
        {"high": "L", "low": "N", "minimum": "25 Ω", "maximum": "30 Ω"},
    ]
    measured, graded = await doing("continuity", {}, paths=paths)
    assert graded.verdict is Verdict.PASS, measured
    doing.put("missing_earth")
    measured, graded = await doing("continuity", {}, paths=paths)
    (fault,) = graded.faults
    assert (graded.cause, fault.sentence) == (Cause.OPEN, "Open: PE to CHASSIS."), graded.doubts
