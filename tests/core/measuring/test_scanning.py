"""Scans: a list of paths is believed only if each of them was measured, in its time."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.actions import Ending, Output
from loricate.core.measuring.instruments import Capability
from loricate.core.measuring.readings import Bound
from loricate.core.measuring.scanning import FROZEN, Record, scanned
from loricate.core.measuring.uncertainty import Accuracy
from loricate.core.quantities import RESISTANCE

METER = Capability(
    "M", ceiling={"resistance": 1e8}, accuracy={"resistance": Accuracy(absolute=1e-3)}
)


def output(done: float) -> Output:
    return Output(Ending.FINISHED, {"points_done": done}, instrument="M")


def record(values: list[float], slot_s: float = 0.02) -> Record:
    return Record("resistance", RESISTANCE, values, slot_s)


@given(st.lists(st.floats(0, 2e8), min_size=1, max_size=30))
def test_each_path_has_its_reading(values: list[float]) -> None:
    made = scanned(output(len(values)), [record(values)], len(values), 0.02, METER)
    readings = made.readings["resistance"]
    assert len(readings) == len(values)
    for reading, value in zip(readings, values, strict=True):
        assert (reading.bound is Bound.ABOVE) == (value >= 1e8)
        assert reading.value == min(value, 1e8) and reading.uncertainty > 0
    inside = [value for value in values if value < 1e8]
    is_frozen = len(inside) >= FROZEN and len(set(inside)) == 1
    assert bool(made.output.doubts) == is_frozen


@pytest.mark.parametrize(
    ("done", "values", "slot_s", "says"),
    [
        (3, [1.0, 2.0, 3.0, 4.0], 0.02, "measured 3 of 4 paths"),
        (math.nan, [1.0, 2.0, 3.0, 4.0], 0.02, "measured nan of 4 paths"),
        (4, [1.0, 2.0, 3.0], 0.02, "recorded 3 of 4 paths"),
        (4, [1.0, 2.0, 3.0, 4.0, 5.0], 0.02, "recorded 5 of 4 paths"),
        (4, [1.0, 2.0, 3.0, 4.0], 0.01, "took 10.00 ms for a path, programmed for 20.00 ms"),
    ],
)
def test_what_was_not_measured_is_doubted(
    done: float, values: list[float], slot_s: float, says: str
) -> None:
    made = scanned(output(done), [record(values, slot_s)], 4, 0.02, METER)
    assert says in [doubt.text for doubt in made.output.doubts]
    assert len(made.readings["resistance"]) == 4, "a path without a reading is no number"


def test_a_meter_that_repeats_itself_is_doubted() -> None:
    """Noise alone makes the last digits differ."""
    made = scanned(output(FROZEN), [record([0.2134] * FROZEN)], FROZEN, 0.02, METER)
    (doubt,) = made.output.doubts
    assert "times to the last digit" in doubt.text
    all_open = scanned(output(FROZEN), [record([1e8] * FROZEN)], FROZEN, 0.02, METER)
    assert not all_open.output.doubts, "beyond its range it says its range every time"
