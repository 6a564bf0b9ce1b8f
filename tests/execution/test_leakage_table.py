"""A whole table of leakages on stand-ins: what is switched when, and that no lie passes."""

import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from loricate.bench.errors import BenchError
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.actions import Answer, Ask, Enter, Form
from loricate.core.measuring.grading import Cause, Measured, StepGrade, Verdict
from loricate.core.measuring.roles import LEAKAGE
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadyStep
from loricate.execution.driving import BenchDriver
from tests.conftest import read_demo
from tests.rig import Rig, said

NEST = "FX-W/1"
SMALL: dict[str, Any] = {
    "path": ["earth", "touch", "patient", "auxiliary", "mains_on_part"],
    "condition": ["normal", "open_earth"],
    "polarity": "normal",
    "connections": "together",
    "switch": "on",
    "dwell": "0.5 s",
}


def table(limit_sets: LimitSets, **changed: Any) -> ReadyStep:
    """The leakage step of the fluid warmer's final test, smaller."""
    document = read_demo("sequences/fw2-final.toml")
    (leaking,) = (each for each in document["steps"] if each["id"] == "leakage")
    leaking["settings"] |= {**SMALL, **changed}
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    return prepare({**document, "steps": [leaking]}, {"FW-2": product}, limit_sets).steps[0]


class Technician:
    """Performs steps on the warmer in FX-W, and turns its switch when asked."""

    def __init__(self, rig: Rig) -> None:
        self.rig, self.turns = rig, True
        self.asked: list[str] = []

    def put(self, *faults: str) -> None:
        self.rig.floor.floor.put_in(NEST, "FW-2", faults, "T-1")

    async def answer(self, ask: Ask | Enter | Form) -> Answer:
        assert isinstance(ask, Ask)
        self.asked.append(ask.question)
        assert not self.rig.floor.floor.outputs_on, "hands are in"
        if self.turns:
            self.rig.floor.floor.turn(NEST, ask.position)
        return Answer(ask.choices[0], account="mara")

    async def __call__(self, step: ReadyStep) -> tuple[Measured, StepGrade]:
        fixture = self.rig.bench.plan.find_fixture("FX-W")
        assert fixture is not None
        nests = [fixture.nests["1"]]
        using = {LEAKAGE: "LK1"}
        driver = BenchDriver(self.rig.bench, using, nests, self.answer, lambda sample: None, {})
        try:
            measured = await driver.measure(step.procedure())
        finally:
            await self.rig.bench.disconnect(using.values())
        floor = self.rig.floor.floor
        assert not floor.outputs_on and floor.volts_in(NEST) < 30.0
        return measured, step.graded(measured, RULE)


RULE = prepare(
    read_demo("sequences/ref-box.toml"),
    {"REF-BOX": Product.model_validate(read_demo("products/ref-box.toml"))},
    {},
).decision


@pytest.fixture
def technician(rig: Rig) -> Technician:
    found = Technician(rig)
    found.put()
    return found


def currents(measured: Measured, quantity: str = "current") -> dict[str, float]:
    return {each.point: each.value for each in measured.readings if each.quantity == quantity}


async def test_every_place_is_measured_in_every_condition_and_the_switch_moved_once(
    technician: Technician, limit_sets: LimitSets
) -> None:
    step = table(limit_sets, switch=["on", "off"])
    measured, grade = await technician(step)
    assert grade.verdict is Verdict.PASS, (grade.cause, grade.faults, grade.doubts)
    assert currents(measured).keys() == {point.name for point in step.points}
    assert technician.asked == ["Switch the unit off."]
    found = currents(measured)
    assert found["touch CASE, earth open"] > 100e-6, "what the earth takes in normal condition"
    assert found["mains on CATHETER"] < found["mains on CUFF"] < found["mains on PROBE"]
    direct = currents(measured, "dc_current")
    assert 1e-6 < direct["auxiliary PROBE P1"] < 10e-6, "the sensor's own current"
    assert direct["auxiliary PROBE P1, off"] == 0.5e-6, "which is off with the unit"


async def test_earth_is_opened_and_mains_put_on_a_part_with_mains_off(
    technician: Technician, limit_sets: LimitSets
) -> None:
    """Every change of what carries mains or earth comes between two outputs."""
    meter = technician.rig.floor.instruments["LK1"]
    hear, told = meter.perform, []

    async def heard(line: str, owner: object | None = None) -> str | None:
        if technician.rig.floor.floor.outputs_on and "?" not in line:
            told.append(line)
        return await hear(line, owner)

    meter.perform = heard  # type: ignore[method-assign]
    _, grade = await technician(table(limit_sets))
    assert grade.verdict is Verdict.PASS
    changes = [each for each in told if re.search("PATH|DRIV|POL|NEUT|VOLT", each)]
    assert changes == [] and any("LEADs:MEASured" in each for each in told)


async def test_a_cell_that_trips_fails_and_the_rest_is_measured(
    technician: Technician, limit_sets: LimitSets
) -> None:
    technician.put("probe_shorted")
    step = table(limit_sets)
    measured, grade = await technician(step)
    assert grade.verdict is Verdict.FAIL
    cut = {each.point for each in grade.faults if each.cause in (Cause.OVER_LIMIT, Cause.SHORT)}
    assert "mains on PROBE" in cut
    assert currents(measured).keys() == {point.name for point in step.points}


async def test_a_device_is_asked_on_and_whoever_only_says_so_gets_no_pass(
    technician: Technician, limit_sets: LimitSets
) -> None:
    technician.rig.floor.floor.turn(NEST, "off")
    _, grade = await technician(table(limit_sets))
    assert grade.verdict is Verdict.PASS
    (asked,) = technician.asked
    assert asked.startswith("The unit draws ") and asked.endswith("it is not on. Switch it on.")
    technician.rig.floor.floor.turn(NEST, "off")
    technician.turns = False
    measured, grade = await technician(table(limit_sets))
    assert (grade.verdict, grade.cause) == (Verdict.FAIL, Cause.NO_CONTACT)
    assert currents(measured) == {}


def field(place: int, becomes: Callable[[str], str]) -> Callable[[str, str], str]:
    """Change one figure of what the meter shows while its output is on."""

    def altered(line: str, answer: str) -> str:
        if not line.strip().upper().startswith("FETC") or "SUMM" in line.upper():
            return answer
        parts = answer.split(",")
        if parts[0] != "DWELL":
            return answer
        parts[place] = becomes(parts[place])
        return ",".join(parts)

    return altered


LIES: dict[str, Callable[[str, str], str]] = {
    "no number": field(10, lambda told: "9.91E37"),
    "a word": field(4, lambda told: "LOW"),
    "nothing of the current": field(4, lambda told: "NAN"),
    "minus a current": field(4, lambda told: "-0.001"),
    "infinity": field(4, lambda told: "-INF"),
    "other leads": lambda line, told: "(@9)" if "MEAS" in line.upper() and "@" in told else told,
    "a clock that stands": field(1, lambda told: "0.1000"),
    "volts that are not there": field(3, lambda told: "12.0"),
}


@pytest.mark.parametrize("lie", LIES)
async def test_no_lie_of_the_meter_passes(
    technician: Technician, limit_sets: LimitSets, lie: str
) -> None:
    said(technician.rig, "LK1", LIES[lie])
    path = ["auxiliary"] if lie == "a clock that stands" else ["patient", "auxiliary"]
    step = table(limit_sets, condition="normal", path=path)  # each cell waits for such a clock
    try:
        _, grade = await technician(step)
    except BenchError:
        return  # it is not believed, and the step has no verdict
    assert grade.verdict is not Verdict.PASS, lie


async def test_a_table_that_skips_a_cell_does_not_pass(
    technician: Technician, limit_sets: LimitSets
) -> None:
    step = table(limit_sets)
    procedure = replace(step, points=step.points[:-1]).procedure()
    fixture = technician.rig.bench.plan.find_fixture("FX-W")
    assert fixture is not None
    driver = BenchDriver(
        technician.rig.bench,
        {LEAKAGE: "LK1"},
        [fixture.nests["1"]],
        technician.answer,
        lambda sample: None,
        {},
    )
    grade = step.graded(await driver.measure(procedure), RULE)
    assert (grade.verdict, grade.cause) == (Verdict.INCONCLUSIVE, Cause.UNDECIDED)
