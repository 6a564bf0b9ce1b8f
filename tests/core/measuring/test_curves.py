"""Traces: thinned evenly, kept to six digits, empty where there is no curve."""

import itertools

from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.actions import Sample
from loricate.core.measuring.curves import Thinner, make_trace


def sample(at_s: float, phase: str = "dwell", **values: float) -> Sample:
    return Sample(at_s, 1.0, phase, values)


@given(count=st.integers(0, 500), most=st.integers(2, 40))
def test_thinning_keeps_the_beginning_and_an_even_stride(count: int, most: int) -> None:
    thinner = Thinner(most)
    for number in range(count):
        thinner.add(sample(float(number)))
    kept = [each.elapsed_s for each in thinner.samples]
    assert len(kept) <= most
    if count:
        strides = {b - a for a, b in itertools.pairwise(kept)}
        assert kept[0] == 0 and len(strides) <= 1
        stride = strides.pop() if strides else float(count)
        assert count - 1 - kept[-1] < max(stride, 1.0) * 2, "nothing is left out at the end"


def test_columns_have_equal_length_and_phases_their_beginnings() -> None:
    trace = make_trace(
        [
            sample(0.0, "ramp", voltage=0.0),
            sample(0.1, "ramp", voltage=99.123456789, current=1e-6),
            sample(0.2, "dwell", voltage=100.0, current=2e-6),
        ]
    )
    assert trace.columns == {
        "elapsed_s": [0.0, 0.1, 0.2],
        "voltage": [0.0, 99.1235, 100.0],
        "current": [None, 1e-6, 2e-6],
    }
    assert trace.phases == ((0.0, "ramp"), (0.2, "dwell"))
    assert trace and not make_trace([sample(0.0)]) and not make_trace([])
