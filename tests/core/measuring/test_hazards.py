"""What is dangerous is a fact of what is programmed, and what is not known is dangerous."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.hazards import Hazard, hazard_of
from loricate.core.measuring.instruments import Capability
from loricate.core.sequences.ready import ReadySequence


@pytest.mark.parametrize(
    ("settings", "is_hazardous"),
    [
        ({"function": "AC", "level_v": 30.0}, False),
        ({"function": "AC", "level_v": 31.0}, True),
        ({"function": "DC", "level_v": 60.0}, False),
        ({"function": "DC", "level_v": 61.0}, True),
        ({"level_v": 230.0}, True),
        ({"level_v": 1.0}, False),
        ({"level_a": 25.0}, True),
    ],
)
def test_voltage_decides(settings: dict[str, float | str], is_hazardous: bool) -> None:
    assert hazard_of(settings).is_hazardous is is_hazardous


def test_a_source_of_current_says_its_voltage_or_is_taken_for_dangerous() -> None:
    known = Capability("GB1", open_circuit_v=6.0)
    assert not hazard_of({"level_a": 25.0}, known).is_hazardous
    assert hazard_of({"level_a": 25.0}, Capability("GB1")).is_hazardous
    assert Hazard(math.nan).is_hazardous and Hazard(math.nan).text == "unknown voltage"


@given(st.floats(allow_nan=True, allow_infinity=True), st.booleans())
def test_only_a_known_low_voltage_is_harmless(volts: float, is_dc: bool) -> None:
    hazard = Hazard(volts, is_dc)
    if not hazard.is_hazardous:
        assert volts <= (60.0 if is_dc else 30.0)


def test_steps_tell_their_hazard(sequence: ReadySequence) -> None:
    told = {step.id: step.hazard.is_hazardous for step in sequence.steps}
    assert told == {
        "look": False, "earth": False, "insulation": True, "withstand": True, "leakage": True,
    }  # fmt: skip
