"""Continuity, polarity, power, question, entry and wait: procedures driven without a bench."""

from collections.abc import Callable, Mapping
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.errors import DocumentError
from loricate.core.measuring.actions import (
    Answer,
    AnyAction,
    Ask,
    Connect,
    Ending,
    Energise,
    Enter,
    Output,
    Wait,
)
from loricate.core.measuring.grading import (
    Cause,
    DecisionRule,
    Measured,
    StepGrade,
    Verdict,
    grade_step,
)
from loricate.core.measuring.readings import Bound, Measurand
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadyStep

Wires = Mapping[tuple[str, str], float]  # Ω between two contacts; what is not there is open
CORD = Product.model_validate(
    {
        "format": "loricate-product/2", "code": "CORD", "title": "A cord", "family": "cable",
        "terminals": ["L", "N", "PE", "l", "n", "pe"],
    }
)  # fmt: skip


def make_step(kind: str, limits: Mapping[str, Any] | None = None, **settings: Any) -> ReadyStep:
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "s", "product": "CORD",
        "steps": [{"id": "one", "kind": kind, "settings": settings, "limits": limits or {}}],
    }  # fmt: skip
    return prepare(document, {"CORD": CORD}, {}).steps[0]


def do(step: ReadyStep, outcome: Callable[[AnyAction], object]) -> tuple[Measured, StepGrade]:
    procedure = step.procedure()
    try:
        action = next(procedure)
        while True:
            action = procedure.send(outcome(action))
    except StopIteration as done:
        measured: Measured = done.value
        return measured, grade_step(measured, step.limits, DecisionRule())


def on_wires(step: ReadyStep, wires: Wires, amperes: float = 0.2) -> tuple[Measured, StepGrade]:
    """Drive a step with a low-current source whose leads go where they are connected."""
    at = [("", "")]

    def outcome(action: AnyAction) -> object:
        if isinstance(action, Connect):
            at[0] = (action.points["high"][0], action.points["low"][0])
        if not isinstance(action, Energise):
            return None
        ohms = wires.get(at[0])
        if ohms is None:
            summary, bounds = {"voltage": 6.0, "current": 0.01}, {"current": Bound.BELOW}
            return Output(Ending.FINISHED, summary, bounds)
        return Output(Ending.FINISHED, {"voltage": amperes * ohms, "current": amperes})

    return do(step, outcome)


PATHS = [
    {"high": "L", "low": "l"},
    {"high": "N", "low": "n", "maximum": "80 mΩ"},
    {"high": "PE", "low": "pe", "minimum": "10 mΩ", "maximum": "50 mΩ"},
]
GOOD = {("L", "l"): 0.09, ("N", "n"): 0.07, ("PE", "pe"): 0.03}


@pytest.mark.parametrize(
    ("wires", "verdict", "cause", "note"),
    [
        (GOOD, Verdict.PASS, Cause.NONE, ""),
        ({**GOOD, ("L", "l"): 0.12}, Verdict.FAIL, Cause.OVER_LIMIT, ""),
        ({**GOOD, ("N", "n"): 0.09}, Verdict.FAIL, Cause.OVER_LIMIT, ""),
        ({**GOOD, ("PE", "pe"): 0.005}, Verdict.FAIL, Cause.UNDER_LIMIT, ""),
        ({("N", "n"): 0.07}, Verdict.FAIL, Cause.OPEN, "Open: L to l. Open: PE to pe."),
    ],
)
def test_continuity_grades_each_path_by_its_own_limits(
    wires: Wires, verdict: Verdict, cause: Cause, note: str
) -> None:
    step = make_step(
        "continuity", {"resistance": {"maximum": "0.1 Ω", "source": "us"}}, paths=PATHS
    )
    measured, graded = on_wires(step, wires)
    assert [reading.name for reading in measured.readings] == [
        "resistance L to l", "resistance N to n", "resistance PE to pe",
    ]  # fmt: skip
    told = " ".join(fault.sentence for fault in graded.faults)
    assert (graded.verdict, graded.cause, told) == (verdict, cause, note)
    assert step.leads[Measurand("resistance", "PE to pe")] == ("PE", "pe")
    assert "PE to pe ≥ 10.00 mΩ ≤ 50.00 mΩ" in step.conditions


@pytest.mark.parametrize(
    ("paths", "says"),
    [
        (PATHS, "is missing; a continuity step is judged by its resistance"),
        ([{"high": "L", "low": "L"}], "from 'L' to itself"),
        ([{"high": "L", "low": "l", "maximum": "1 Ω"}] * 2, "L to l twice"),
        ([{"high": "L", "low": "l", "minimum": "2 Ω", "maximum": "1 Ω"}], "swap them"),
        ([{"high": "L", "low": "x", "maximum": "1 Ω"}], "no terminal 'x'"),
    ],
)
def test_a_faulty_list_of_paths_is_refused(paths: list[dict[str, str]], says: str) -> None:
    with pytest.raises(DocumentError, match=says):
        make_step("continuity", paths=paths)


def test_paths_with_limits_of_their_own_need_no_other() -> None:
    step = make_step("continuity", paths=[{"high": "L", "low": "l", "maximum": "1 Ω"}])
    assert list(step.limits) == [Measurand("resistance", "L to l")]


CONDUCTORS = [{"plug": "L", "far": "l"}, {"plug": "N", "far": "n"}, {"plug": "PE", "far": "pe"}]
SOUND = {("L", "l"): 0.1, ("N", "n"): 0.1, ("PE", "pe"): 0.1}


@pytest.mark.parametrize(
    ("wires", "cause", "note"),
    [
        (SOUND, Cause.NONE, ""),
        (
            {("L", "n"): 0.1, ("N", "l"): 0.1, ("PE", "pe"): 0.1}, Cause.MISWIRE,
            "L reaches n, not l. N reaches l, not n.",
        ),
        ({("L", "l"): 0.1, ("N", "n"): 0.1}, Cause.OPEN, "PE reaches nothing."),
        ({**SOUND, ("L", "n"): 0.2}, Cause.SHORT, "L reaches l and n."),
        ({**SOUND, ("L", "l"): 8.0}, Cause.OPEN, "L reaches nothing."),
        (
            {("L", "n"): 0.1, ("PE", "pe"): 0.1}, Cause.MISWIRE,
            "L reaches n, not l. N reaches nothing.",
        ),
    ],
)  # fmt: skip
def test_polarity_names_what_is_wrong(wires: Wires, cause: Cause, note: str) -> None:
    _, graded = on_wires(make_step("polarity", conductors=CONDUCTORS), wires)
    told = " ".join(fault.sentence for fault in graded.faults if not fault.gives_way)
    assert (graded.cause, told) == (cause, note)
    assert graded.verdict is (Verdict.PASS if cause is Cause.NONE else Verdict.FAIL)


@given(order=st.permutations(["l", "n", "pe"]))
def test_polarity_passes_the_one_right_order_and_no_other(order: list[str]) -> None:
    wires = {(plug, far): 0.1 for plug, far in zip(("L", "N", "PE"), order, strict=True)}
    _, graded = on_wires(make_step("polarity", conductors=CONDUCTORS), wires)
    assert (graded.verdict is Verdict.PASS) == (order == ["l", "n", "pe"])


@pytest.mark.parametrize(
    ("watts", "volts", "amperes", "verdict", "cause"),
    [
        (1900.0, 230.0, 8.26, Verdict.PASS, Cause.NONE),
        (1500.0, 230.0, 6.52, Verdict.FAIL, Cause.UNDER_LIMIT),
        (1653.0, 214.5, 7.71, Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (0.0, 230.0, 0.0, Verdict.FAIL, Cause.UNDER_LIMIT),
    ],
)
def test_power_is_held_against_the_plate(
    watts: float, volts: float, amperes: float, verdict: Verdict, cause: Cause
) -> None:
    step = make_step(
        "power", {"power": {"minimum": "1.8 kW", "maximum": "2 kW", "source": "plate"}},
        nominal="230 V", dwell="1 s",
    )  # fmt: skip
    ran = Output(
        Ending.FINISHED, {"power": watts, "voltage": volts, "load_current": amperes, "current": 0.0}
    )
    measured, graded = do(step, lambda action: ran if isinstance(action, Energise) else None)
    power, _, factor, *_ = measured.readings
    assert power.value == pytest.approx(watts * (230 / volts) ** 2)
    assert (graded.verdict, graded.cause) == (verdict, cause)
    if amperes:
        assert factor.value == pytest.approx(watts / volts / amperes)


@pytest.mark.parametrize(("choice", "verdict"), [("green", Verdict.PASS), ("red", Verdict.FAIL)])
def test_a_question_passes_by_the_choices_that_pass(choice: str, verdict: Verdict) -> None:
    step = make_step(
        "question", question="Which lamp?", choices=["green", "red", "none"], passing=["green"]
    )
    asked: list[AnyAction] = []

    def outcome(action: AnyAction) -> object:
        asked.append(action)
        return Answer(choice, "seen twice")

    measured, graded = do(step, outcome)
    assert asked == [Ask("Which lamp?", ("green", "red", "none"), passing="green")]
    assert graded.verdict is verdict
    assert measured.note == f"Which lamp? {choice}. seen twice"


def test_a_question_passes_only_by_a_choice_of_its_own() -> None:
    with pytest.raises(DocumentError, match=r"settings.passing: names 'blue', which is no choice"):
        make_step("question", question="Which?", choices=["a", "b"], passing=["blue"])


@pytest.mark.parametrize(
    ("typed", "verdict", "cause"),
    [
        ("24 V", Verdict.PASS, Cause.NONE),
        ("24.4 V", Verdict.PASS, Cause.NONE),
        ("24600 mV", Verdict.FAIL, Cause.OVER_LIMIT),
        ("0.02 kV", Verdict.FAIL, Cause.UNDER_LIMIT),
    ],
)
def test_an_entry_is_held_against_its_target(typed: str, verdict: Verdict, cause: Cause) -> None:
    step = make_step(
        "entry", question="Panel voltage", quantity="voltage", device="DM-7", target="24 V",
        tolerance="2 %", uncertainty="10 mV",
    )  # fmt: skip
    asked: list[AnyAction] = []

    def outcome(action: AnyAction) -> object:
        asked.append(action)
        return Answer(typed)

    measured, graded = do(step, outcome)
    (enter,) = asked
    assert isinstance(enter, Enter)
    assert (enter.dimension.name, enter.target) == ("voltage", "24 V")
    assert (graded.verdict, graded.cause) == (verdict, cause)
    assert (measured.readings[0].instrument, measured.readings[0].uncertainty) == ("DM-7", 0.01)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"quantity": "beauty"}, "'beauty' is no quantity"),
        ({"target": "24 A"}, "is a current, not a voltage"),
        ({"tolerance": "2 %", "target": ""}, "settings.target: is what the tolerance is of"),
        ({"tolerance": "2 %", "photo": "instead"}, "may not stand for a figure that has a tol"),
    ],
)
def test_a_faulty_entry_is_refused(change: dict[str, Any], says: str) -> None:
    with pytest.raises(DocumentError, match=says):
        make_step(
            "entry", **{"question": "Volts", "quantity": "voltage", "target": "24 V", **change}
        )


@pytest.mark.parametrize(
    ("photo", "answer", "readings", "note", "verdict"),
    [
        ("beside", Answer("24 V", picture="ab" * 32), 1, "Photo abababababab.", Verdict.PASS),
        ("instead", Answer("24 V", "read twice"), 1, "read twice", Verdict.PASS),
        ("instead", Answer("", "dim", picture="ab" * 32), 0, "Photo abababababab. dim",
         Verdict.INCONCLUSIVE),
    ],
)  # fmt: skip
def test_a_photo_comes_beside_a_figure_or_stands_for_it_undecided(
    photo: str, answer: Answer, readings: int, note: str, verdict: Verdict
) -> None:
    limits = {"entered": {"maximum": "30 V", "source": "us"}}
    step = make_step("entry", limits, question="Volts", quantity="voltage", photo=photo)

    def outcome(action: AnyAction) -> object:
        assert isinstance(action, Enter) and action.photo == photo
        return answer

    measured, graded = do(step, outcome)
    assert (len(measured.readings), measured.note) == (readings, note)
    assert graded.verdict is verdict, "what no figure shows is not held against a limit"


def test_an_entrys_limit_is_in_its_own_quantity() -> None:
    limits = {"entered": {"maximum": "40 Hz", "source": "us"}}
    step = make_step("entry", limits, question="Speed", quantity="frequency")
    assert step.limits[Measurand("entered")].maximum == 40.0
    with pytest.raises(DocumentError, match="not a frequency"):
        make_step(
            "entry", {"entered": {"maximum": "40 V", "source": "us"}},
            question="Speed", quantity="frequency",
        )  # fmt: skip


def test_waiting_lets_its_time_pass_and_nothing_else() -> None:
    asked: list[AnyAction] = []

    def outcome(action: AnyAction) -> object:
        asked.append(action)
        return None

    _, graded = do(make_step("wait", time="2 min"), outcome)
    assert asked == [Wait(120.0)]
    assert graded.verdict is Verdict.PASS
