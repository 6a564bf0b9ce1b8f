"""What an instrument says is believed only when it can be true; no lie ends in a pass."""

import math
from collections.abc import Mapping
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.actions import Ending, Energise, Output
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.grading import Cause, DecisionRule, Measured, Verdict, grade_step
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.plausibility import Times, believed
from loricate.core.measuring.readings import Bound, Reading, contradictions
from loricate.core.measuring.scpi_values import read_value
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.quantities import RATIO, RESISTANCE
from loricate.core.sequences.ready import ReadySequence, ReadyStep

METER = Capability(
    "M1",
    accuracy={"voltage": Accuracy(of_reading=0.01, absolute=0.5e-3),
              "current": Accuracy(of_reading=0.01)},
    floor={"current": 50e-9, "current_max": 50e-9, "voltage": 1e-4},
    ceiling={"voltage": 7e3, "current": 30.0, "current_max": 30.0, "load_current": 32.0,
             "power": 8e3, "resistive_current": 0.1, "peak_current": 40.0},
)  # fmt: skip
PROGRAMME = Times(0.5, 1.0, 0.1)


def told(ended_s: float = 1.6, **summary: float) -> Output:
    """An output as an instrument told it."""
    return Output(Ending.FINISHED, summary, {}, (), "M1", METER.accuracy, ended_s)


def doubts(output: Output) -> str:
    return " ".join(each.text for each in believed(output, PROGRAMME, METER).doubts)


@pytest.mark.parametrize(
    ("text", "value"),
    [("1.5", 1.5), ("-2E3", -2e3), (".5", 0.5), ("+3", 3.0), ("INF", math.inf),
     ("NINF", -math.inf), ("9.9E37", math.inf), ("-9.9E37", -math.inf)],
)  # fmt: skip
def test_numbers_are_read_as_ieee_488_2_writes_them(text: str, value: float) -> None:
    assert read_value(text) == value


@pytest.mark.parametrize("text", ["9.91E37", "9.910000E+37", "NAN", "nan", "1_000", "", "0x1F", "٣",
                                  "1,5", "1 2", "--", "OVLD"])  # fmt: skip
def test_what_is_no_number_is_no_reading(text: str) -> None:
    assert math.isnan(read_value(text))


@given(st.text(max_size=12))
def test_no_text_is_read_as_a_number_that_it_is_not(text: str) -> None:
    value = read_value(text)
    if math.isfinite(value):
        assert value == float(text) and text.strip().isascii() and "_" not in text


@pytest.mark.parametrize(
    ("summary", "says"),
    [
        ({"voltage": math.nan, "current": 1.0}, "no reading of voltage"),
        ({"voltage": 500.0, "current": -0.05}, "current of -50.00 mA, which is a magnitude"),
        ({"voltage": -math.inf}, "minus infinity"),
        ({"mystery": math.inf}, "whose range is not known"),
        ({"voltage": 1e3, "current": 1e-3, "resistive_current": 2e-3}, "more than current"),
        ({"current": 2e-3, "current_max": 1e-3}, "more than current max"),
        ({"current": 2e-3, "peak_current": 1e-3}, "more than peak current"),
        ({"voltage": 230.0, "load_current": 8.0, "power": 2.5e3}, "more than volts by amperes"),
        ({"impedance": 100.0, "resistance": 10.0, "reactance": 10.0}, "its R and X make"),
    ],
)
def test_what_contradicts_physics_is_doubted(summary: dict[str, float], says: str) -> None:
    assert says in doubts(told(**summary))


def test_beyond_floor_and_range_is_a_bound() -> None:
    found = believed(told(voltage=math.inf, current=1e-9), PROGRAMME, METER)
    assert found.bounds == {"voltage": Bound.ABOVE, "current": Bound.BELOW}
    assert found.summary == {"voltage": 7e3, "current": 50e-9} and not found.doubts


@pytest.mark.parametrize(
    ("ended_s", "at_level_s", "says"),
    [
        (0.02, None, "ended after 20.00 ms of the 1.600 s programmed"),
        (1.6, 0.02, "held its level for 20.00 ms of the 1.000 s"),
        (math.nan, None, "did not say how long"),
        (9.0, None, "longer than the 1.600 s programmed"),
    ],
)
def test_a_level_must_stand_as_long_as_programmed(
    ended_s: float, at_level_s: float | None, says: str
) -> None:
    more = {} if at_level_s is None else {"at_level_s": at_level_s}
    assert says in doubts(told(ended_s, voltage=500.0, **more))


def test_the_time_at_level_is_the_measured_one() -> None:
    assert believed(told(1.58, voltage=1.0), PROGRAMME, METER).time_at_level.value == pytest.approx(
        0.98
    )
    told_by_itself = believed(told(voltage=1.0, at_level_s=1.01), PROGRAMME, METER)
    assert told_by_itself.time_at_level.value == 1.01


@pytest.mark.parametrize(
    ("samples", "says"),
    [
        ([(0.6, {"current": 1.0}), (0.4, {"current": 1.0})], "a clock that went back"),
        ([(1.4, {"current": 9.0})], "as its greatest current and showed 9.000 A"),
        ([(1.4, {"voltage": 500.0, "current": 1.0})], "and 500.0 V at the last look"),
    ],
)
def test_a_summary_must_fit_what_was_seen(
    samples: list[tuple[float, dict[str, float]]], says: str
) -> None:
    seen = tuple(Sample(at, 0.0, "dwell", values) for at, values in samples)
    output = replace(told(voltage=5.0, current=1.0, current_max=1.0), samples=seen)
    assert says in doubts(output)


@pytest.mark.parametrize(
    "reading",
    [
        Reading("resistance", -0.014, RESISTANCE, uncertainty=1e-3, instrument="GB1"),
        Reading("resistance PE-CHASSIS", -0.014, RESISTANCE, Bound.BELOW, instrument="GB1"),
        Reading("power_factor", 1.2, RATIO, uncertainty=0.05, instrument="LK1"),
    ],
)
def test_a_reading_that_no_unit_can_have_decides_nothing(reading: Reading) -> None:
    (doubt,) = contradictions([reading])
    assert doubt.instrument == reading.instrument
    graded = grade_step(Measured((reading,)), {}, DecisionRule())
    assert (graded.verdict, graded.cause) == (Verdict.INCONCLUSIVE, Cause.IMPLAUSIBLE)


def test_a_resistance_of_nothing_within_its_uncertainty_is_believed() -> None:
    reading = Reading("resistance", -0.0005, RESISTANCE, uncertainty=1e-3, instrument="GB1")
    assert contradictions([reading]) == ()


VALUES = st.one_of(
    st.floats(allow_nan=True, allow_infinity=True),
    st.sampled_from([9.91e37, 9.9e37, -1.0, 0.0, 1e-30, 1e30, math.nan, math.inf, -math.inf]),
    st.sampled_from([1030.0, 500.0, 230.0, 25.0, 2.4, 8.2, 1.4e-3, 3e-4, 1e-6]),  # good ones
)
QUANTITIES = ("voltage", "current", "current_max", "resistive_current", "load_current",
              "peak_current", "power")  # fmt: skip


def perform(step: ReadyStep, summary: Mapping[str, float], ended_s: float) -> Measured:
    """Perform a step whose instrument says this, through the layer that believes or doubts."""
    procedure = step.procedure()
    found: list[Output] = []
    try:
        action = next(procedure)
        while True:
            outcome: object = None
            if isinstance(action, Energise):
                raw = Output(Ending.FINISHED, summary, {}, (), "M1", METER.accuracy, ended_s)
                output = believed(raw, Times.of(action.programme), METER)
                found.append(output)
                outcome = output
            action = procedure.send(outcome)
    except StopIteration as done:
        measured: Measured = done.value
        return replace(measured, doubts=tuple(d for each in found for d in each.doubts))


@given(
    st.fixed_dictionaries({name: VALUES for name in QUANTITIES}),
    st.one_of(st.floats(allow_nan=True), st.sampled_from([2.0, 1.7, 1.6, 1.0])),
    st.sampled_from(["earth", "insulation", "withstand", "leakage"]),
)
def test_only_a_plausible_measurement_within_its_limits_passes(
    sequence_steps: dict[str, ReadyStep], summary: dict[str, float], ended_s: float, name: str
) -> None:
    """Whatever an instrument says: what passes was a number, at its level, for its time."""
    step = sequence_steps[name]
    measured = perform(step, summary, ended_s)
    graded = grade_step(measured, step.limits, DecisionRule())
    if graded.verdict is not Verdict.PASS:
        return
    values = {each.reading.name: each.reading for each in graded.readings}
    assert all(
        math.isfinite(each.value) for each in values.values() if each.measurand in step.limits
    )
    asked = step.values.get("level") or step.values.get("supply") or step.values["current"]
    level = values["current" if name == "earth" else "voltage"]
    tolerance = step.values["tolerance"] + 1e-6
    assert asked * (1 - tolerance) <= level.value <= asked * (1 + tolerance)
    dwell = step.values["dwell"] + step.values.get("settle", 0.0)
    assert values["time_at_level"].value >= dwell * 0.97 - 0.02
    assert all(each.value >= -each.uncertainty for each in values.values())


@pytest.fixture(scope="session")
def sequence_steps() -> dict[str, ReadyStep]:
    """The demo sequence's measuring steps."""
    from drill.documents import demo_sequence

    sequence: ReadySequence = demo_sequence("dc40-final")
    found = {step.id: step for step in sequence.steps}
    quiet = found["insulation"].settings.model_copy(update={"seems_off_above": None})
    found["insulation"] = replace(found["insulation"], settings=quiet)
    return found


def test_what_was_seen_of_other_settings_is_not_held_against_its_end() -> None:
    look = Sample(1.4, 0.0, "dwell", {"voltage": 500.0})
    output = replace(told(voltage=200.0), samples=(look,))
    assert believed(output, PROGRAMME, METER).doubts
    assert not believed(output, replace(PROGRAMME, set_s=1.4), METER).doubts
    assert believed(output, replace(PROGRAMME, set_s=1.3), METER).doubts
