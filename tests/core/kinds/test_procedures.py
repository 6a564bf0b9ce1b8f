"""Each kind's procedure, driven without a bench: what it asks for, and what it makes of answers."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import pytest

from loricate.core.errors import AlreadyRegistered, ProcedureError
from loricate.core.kinds import KINDS, register
from loricate.core.kinds.clips import Clips
from loricate.core.kinds.defibrillation import Defibrillation
from loricate.core.kinds.gauge import Gauge
from loricate.core.kinds.ground_bond import GroundBond
from loricate.core.kinds.inductance import Inductance
from loricate.core.kinds.insulation import AGAIN, STANDS
from loricate.core.kinds.intermittent import Intermittent
from loricate.core.kinds.kind import WHOLE
from loricate.core.kinds.leakage import Leakage
from loricate.core.kinds.response import Response
from loricate.core.kinds.step_voltage import StepVoltage
from loricate.core.kinds.surge import Surge
from loricate.core.kinds.touch import Touch
from loricate.core.kinds.turns_ratio import TurnsRatioStep
from loricate.core.kinds.visual import Visual
from loricate.core.kinds.winding_resistance import WindingResistance
from loricate.core.kinds.wiring import WiringStep
from loricate.core.measuring.actions import (
    Answer,
    AnyAction,
    Ask,
    Connect,
    Ending,
    Energise,
    Output,
)
from loricate.core.measuring.grading import (
    Cause,
    DecisionRule,
    Fault,
    Measured,
    Verdict,
    grade_step,
)
from loricate.core.measuring.readings import Bound
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from tests.conftest import demo_limit_sets, read_demo
from tests.core.kinds.test_transformers import product as winding_of
from tests.core.kinds.test_windings import ladder, resistance, surge
from tests.core.wiring.made import cable
from tests.core.wiring.test_wiring_step import step_for

_RULE = DecisionRule()


def output(
    ending: Ending = Ending.FINISHED,
    bounds: Mapping[str, Bound] | None = None,
    **summary: float,
) -> Output:
    return Output(ending, summary, bounds or {}, instrument="X1", at_level_s=1.0)


def drive(
    step: ReadyStep, energised: Output, answer: str = "pass"
) -> tuple[Measured, list[AnyAction]]:
    """Run a step's procedure with canned outcomes; gives what it measured and all it asked for."""
    procedure = step.procedure()
    asked: list[AnyAction] = []
    outcome: object = None
    try:
        action = next(procedure)
        while True:
            asked.append(action)
            match action:
                case Ask():
                    outcome = Answer(answer)
                case Energise():
                    outcome = energised
                case _:
                    outcome = None
            action = procedure.send(outcome)
    except StopIteration as done:
        return done.value, asked


def verdict_of(step: ReadyStep, energised: Output) -> tuple[Verdict, Cause]:
    measured, _ = drive(step, energised)
    graded = grade_step(measured, step.limits, _RULE)
    return graded.verdict, graded.cause


@pytest.fixture
def steps(sequence: ReadySequence) -> dict[str, ReadyStep]:
    return {step.id: step for step in sequence.steps}


def test_withstand_connects_and_energises(steps: dict[str, ReadyStep]) -> None:
    good = output(voltage=1000.0, current=1.4e-3, current_max=1.41e-3, resistive_current=4e-6)
    _, asked = drive(steps["withstand"], good)
    assert [type(action) for action in asked] == [Connect, Energise]
    (_, energise) = asked
    assert isinstance(energise, Energise)
    assert energise.programme["trip_a"] == 5e-3, "without a trip of its own, the limit trips"
    assert energise.programme["level_v"] == 1030.0


@pytest.mark.parametrize(
    ("energised", "verdict", "cause"),
    [
        (output(voltage=1030, current=1e-3, current_max=1.4e-3, resistive_current=1e-6),
         Verdict.PASS, Cause.NONE),
        (output(voltage=1030, current=1e-4, current_max=1e-4, resistive_current=1e-6),
         Verdict.FAIL, Cause.UNDER_LIMIT),
        (output(voltage=900, current=1e-3, current_max=1.4e-3, resistive_current=1e-6),
         Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (output(Ending.BREAKDOWN, voltage=830, current=0.1, current_max=0.1, resistive_current=0),
         Verdict.FAIL, Cause.BREAKDOWN),
        (output(Ending.OVER_CURRENT, voltage=700, current=6e-3, current_max=6e-3,
                resistive_current=0), Verdict.FAIL, Cause.OVER_LIMIT),
        (output(Ending.OVER_CURRENT, voltage=12, current=6e-3, current_max=6e-3,
                resistive_current=0), Verdict.FAIL, Cause.SHORT),
        (output(voltage=1060, current=1e-3, current_max=1.4e-3, resistive_current=1e-6),
         Verdict.FAIL, Cause.OVERSTRESS),
        (output(Ending.ARC, voltage=990, current=1e-3, current_max=2e-3, resistive_current=0),
         Verdict.FAIL, Cause.ARC),
    ],
)  # fmt: skip
def test_withstand_verdicts(
    steps: dict[str, ReadyStep], energised: Output, verdict: Verdict, cause: Cause
) -> None:
    assert verdict_of(steps["withstand"], energised) == (verdict, cause)


OFF = output(voltage=500, current=50e-9, bounds={"current": Bound.BELOW})
ON = output(voltage=500, current=1e-6)


@pytest.mark.parametrize(
    ("outputs", "answers", "resistance", "note"),
    [
        ([ON], [], 500e6, ""),
        ([OFF], [STANDS], 10e9, "> 10.00 GΩ stands by answer of the operator."),
        ([OFF, ON], [AGAIN], 500e6, "Seemed switched off at > 10.00 GΩ; measured again."),
        (
            [OFF, OFF], [AGAIN, STANDS], 10e9,
            "Seemed switched off at > 10.00 GΩ; measured again. > 10.00 GΩ stands by answer of "
            "the operator.",
        ),
    ],
)  # fmt: skip
def test_insulation_asks_whether_the_unit_is_switched_on(
    steps: dict[str, ReadyStep],
    outputs: list[Output],
    answers: list[str],
    resistance: float,
    note: str,
) -> None:
    own = steps["insulation"]
    step = replace(own, settings=own.settings.model_copy(update={"seems_off_above": 8e9}))
    procedure = step.procedure()
    outputs, answers = list(outputs), list(answers)
    connected = False
    outcome: object = None
    with pytest.raises(StopIteration) as ended:
        while True:
            action = procedure.send(outcome)
            match action:
                case Connect():
                    connected, outcome = True, None
                case Energise():
                    assert connected, "connected again after every question"
                    outcome = outputs.pop(0)
                case Ask():
                    connected, outcome = False, Answer(answers.pop(0))
                case _:
                    outcome = None
    measured: Measured = ended.value.value
    assert measured.readings[0].value == pytest.approx(resistance)
    assert measured.note == note
    assert outputs == [] and answers == []


def test_withstand_reports_the_level_as_measured(steps: dict[str, ReadyStep]) -> None:
    good = output(voltage=998.7, current=1.4e-3, current_max=1.41e-3, resistive_current=4e-6)
    measured, _ = drive(steps["withstand"], good)
    assert {r.name: r.value for r in measured.readings}["voltage"] == 998.7


@pytest.mark.parametrize(
    ("energised", "verdict", "cause"),
    [
        (output(voltage=500, current=1e-6), Verdict.PASS, Cause.NONE),
        (output(voltage=500, current=1e-3), Verdict.FAIL, Cause.UNDER_LIMIT),
        (output(bounds={"current": Bound.BELOW}, voltage=500, current=50e-9),
         Verdict.PASS, Cause.NONE),
        (output(voltage=400, current=1e-6), Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (output(Ending.BREAKDOWN, voltage=300, current=2e-3), Verdict.FAIL, Cause.BREAKDOWN),
        (output(Ending.ARC, voltage=500, current=1e-6), Verdict.FAIL, Cause.ARC),
        (output(voltage=500, current=0.0), Verdict.INCONCLUSIVE, Cause.NOT_A_NUMBER),
    ],
)  # fmt: skip
def test_insulation_verdicts(
    steps: dict[str, ReadyStep], energised: Output, verdict: Verdict, cause: Cause
) -> None:
    assert verdict_of(steps["insulation"], energised) == (verdict, cause)


@pytest.mark.parametrize(
    ("energised", "verdict", "cause"),
    [
        (output(voltage=2.0, current=25.0), Verdict.PASS, Cause.NONE),
        (output(voltage=6.0, current=11.0), Verdict.FAIL, Cause.OVER_LIMIT),
        (output(voltage=1.0, current=20.0), Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (output(bounds={"current": Bound.BELOW}, voltage=6.0, current=0.01),
         Verdict.FAIL, Cause.OPEN),
    ],
)  # fmt: skip
def test_ground_bond_verdicts(
    steps: dict[str, ReadyStep], energised: Output, verdict: Verdict, cause: Cause
) -> None:
    assert verdict_of(steps["earth"], energised) == (verdict, cause)


@pytest.mark.parametrize(
    ("energised", "verdict", "cause"),
    [
        (output(voltage=230, current=160e-6, load_current=8.1), Verdict.PASS, Cause.NONE),
        (output(voltage=230, current=900e-6, load_current=8.1), Verdict.FAIL, Cause.OVER_LIMIT),
        (output(voltage=200, current=1e-6, load_current=8.1),
         Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (output(voltage=230, current=1e-6, load_current=0.01), Verdict.FAIL, Cause.NO_CONTACT),
        (output(Ending.OVER_CURRENT, voltage=230, current=0.05, load_current=8.1),
         Verdict.FAIL, Cause.OVER_LIMIT),
    ],
)  # fmt: skip
def test_leakage_verdicts(
    steps: dict[str, ReadyStep], energised: Output, verdict: Verdict, cause: Cause
) -> None:
    assert verdict_of(steps["leakage"], energised) == (verdict, cause)


@pytest.mark.parametrize(
    ("choice", "verdict"),
    [("pass", Verdict.PASS), ("not applicable", Verdict.PASS), ("fail", Verdict.FAIL)],
)
def test_visual_verdicts(steps: dict[str, ReadyStep], choice: str, verdict: Verdict) -> None:
    measured, asked = drive(steps["look"], output(), choice)
    assert isinstance(asked[0], Ask)
    assert grade_step(measured, {}, _RULE).verdict is verdict


def test_visual_stops_at_the_first_fail() -> None:
    procedure = Visual(questions=("One?", "Two?")).procedure((), {})
    next(procedure)
    with pytest.raises(StopIteration) as done:
        procedure.send(Answer("fail", "scratched"))
    assert done.value.value == Measured(
        faults=(Fault(Cause.ANSWERED_FAIL),), note="One? fail. scratched"
    )


LEAST: dict[str, dict[str, Any]] = {
    "impedance": {"high": "L", "low": "N"},
    "continuity": {"paths": [{"high": "L", "low": "N"}]},
    "polarity": {"conductors": [{"plug": "L", "far": "l"}, {"plug": "N", "far": "n"}]},
    "power": {},
    "question": {"question": "Is it?"},
    "entry": {"question": "How much?", "quantity": "voltage"},
    "temperature": {},
    "turns_ratio": {
        "ratios": [
            {
                "name": "R",
                "primary": ["1", "2"],
                "secondary": ["3", "4"],
                "nominal": "2:1",
            }
        ],
    },
    "inductance": {"coils": [{"name": "C", "high": "1", "low": "2", "nominal": "1 H"}]},
    "polarization": {"high": ["L"], "low": ["N"]},
}
OF_CABLES: dict[Any, dict[str, Any]] = {
    WiringStep: {}, Intermittent: {"nets": ["W1"]}, Touch: {"plugged": ["X1"]},
}  # fmt: skip
OF_WINDINGS: dict[Any, Any] = {
    WindingResistance: resistance, StepVoltage: ladder, Surge: surge,
}  # fmt: skip
OF_TRANSFORMERS = (TurnsRatioStep, Inductance)
OF_DEVICES = (Clips, Defibrillation, Response, Gauge)
ANSWERED = [kind for kind in KINDS.values() if kind.name != "wait"]  # no outcome is right for it


def whole_device_step(kind: str) -> ReadyStep:
    """The first step of a kind in the demo's test of whole devices."""
    product = Product.model_validate(read_demo("products/fw-2.toml"))
    document = read_demo("sequences/fw2-whole.toml")
    whole = prepare(document, {product.code: product}, demo_limit_sets())
    return next(step for step in whole.steps if step.kind.name == kind)


@pytest.mark.parametrize("kind", ANSWERED, ids=lambda kind: kind.name)
def test_a_procedure_refuses_an_outcome_that_is_none(
    kind: Any, steps: dict[str, ReadyStep]
) -> None:
    """Being driven wrongly is a defect, and must not end in a verdict."""
    step = next((step for step in steps.values() if step.kind is kind), None)
    if kind in OF_DEVICES:
        procedure = whole_device_step(kind.name).procedure()
    elif kind in OF_CABLES:
        procedure = step_for(cable(2), kind.name, **OF_CABLES[kind]).procedure()
    elif kind in OF_WINDINGS:
        procedure = OF_WINDINGS[kind]().procedure()
    elif step is None:  # the demo's final test has no such step
        least = kind.model_validate(LEAST[kind.name])
        own = least.points(winding_of()) if kind in OF_TRANSFORMERS else (WHOLE,)
        procedure = least.procedure(own, {})
    else:
        procedure = step.procedure()
    with pytest.raises(ProcedureError):
        next(procedure)
        for _ in range(5):
            procedure.send(None)


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
def test_every_kind_is_explained(kind: Any) -> None:
    module = __import__(kind.__module__, fromlist=["_"])
    assert len(module.__doc__ or "") > 100 and kind.title
    for name, field in kind.model_fields.items():
        assert field.title, f"{kind.name}.{name} needs a title for forms and certificates"


def test_a_kind_registers_once() -> None:
    with pytest.raises(AlreadyRegistered, match="ground_bond"):
        register(GroundBond)


def test_touch_leakage_needs_a_part(product: Product) -> None:
    ((field, reason, _),) = Leakage(path=("touch",)).unfit(product)
    assert (field, reason) == ("part", "is missing for path touch")
    assert list(Leakage(path=("touch",), part="CHASSIS").unfit(product)) == []
