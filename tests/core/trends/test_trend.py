import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.measuring.grading import Cause
from loricate.core.quantities import CURRENT, RESISTANCE
from loricate.core.trends.groups import compare
from loricate.core.trends.observations import Observation, intervals
from loricate.core.trends.quantiles import Quantile, histogram, quantile
from loricate.core.trends.terms import Scale
from loricate.core.trends.trend import Trend, trend_of
from loricate.core.trends.yields import wilson
from tests.core.trends.made import interval, observed, scattered

Values = list[float | tuple[str, float]]


def test_quantiles_are_figures_or_what_they_are_over() -> None:
    own: Values = [1e9, 2e9, ("above", 1e10), 3e9, ("above", 1e10)]
    assert quantile(observed(own), 0.5) == Quantile(3e9, 3e9)
    assert quantile(observed(own), 0.95) == Quantile(1e10, None)
    low: Values = [("below", 5e-8), ("below", 5e-8), 6e-8]
    assert quantile(observed(low), 0.5) == Quantile(None, 5e-8)
    mixed: Values = [("below", 5.0), 3.0, 7.0]
    assert quantile(observed(mixed), 0.5) == Quantile(3.0, 5.0)


@given(
    st.lists(
        st.one_of(
            st.integers(0, 50).map(float),
            st.tuples(st.sampled_from(["above", "below"]), st.integers(0, 50).map(float)),
        ),
        min_size=1,
        max_size=30,
    ),
    st.floats(0.01, 1),
    st.data(),
)
def test_a_quantile_holds_whatever_the_censored_readings_truly_are(
    values: Values, share: float, data: st.DataObject
) -> None:
    true = [
        each
        if not isinstance(each, tuple)
        else each[1] + data.draw(st.floats(0, 1e6)) * (1 if each[0] == "above" else -1)
        for each in values
    ]
    rank = sorted(true)[max(0, math.ceil(share * len(true)) - 1)]
    told = quantile(observed(values), share)
    assert (told.low is None or told.low <= rank) and (told.high is None or rank <= told.high)


# What instruments say: figures of a display, apart by the last digit of a number, one far out.
WIDE = st.floats(-1e9, 1e9)
CLOSE = st.builds(lambda base, steps: base + steps * math.ulp(base), WIDE, st.integers(0, 3))
SAME = st.sampled_from([1030.0, 1030.0 + math.ulp(1030.0), 1030.0 + 2 * math.ulp(1030.0)])
READ = st.one_of(st.lists(WIDE | CLOSE, max_size=200), st.lists(SAME | WIDE, max_size=60))


@given(READ | st.lists(SAME), st.integers(0, 5), st.integers(0, 5))
def test_a_histogram_loses_nothing(exact: list[float], below: int, above: int) -> None:
    made = histogram(exact, below, above)
    assert sum(made.counts) == len(exact) and (made.below, made.above) == (below, above)
    assert len(made.counts) <= 30
    if exact:
        assert made.edges[0] == min(exact) and made.edges[-1] == max(exact)


def test_resistances_over_decades_are_reckoned_in_decades() -> None:
    wide = observed([1e6, 1e8, 1e9])
    assert trend_of(wide, RESISTANCE).scale is Scale.DECADES
    assert trend_of(wide, CURRENT).scale is Scale.STRAIGHT
    assert trend_of(observed([1e6, 2e6]), RESISTANCE).scale is Scale.STRAIGHT
    assert trend_of(wide, RESISTANCE, Scale.STRAIGHT).scale is Scale.STRAIGHT
    with pytest.raises(ValueError, match="no logarithm"):
        trend_of(observed([0.0, 1.0]), RESISTANCE, Scale.DECADES)


def test_what_proves_nothing_is_told_and_left_out() -> None:
    own = observed([*scattered(20), math.nan, 500.0])
    own[-1] = replace(own[-1], cause=Cause.IMPLAUSIBLE)
    made, plain = trend_of(own, CURRENT), trend_of(own[:20], CURRENT)
    assert made.used == tuple(range(20)) and len(made.observed) == 22
    assert made.chart is not None and plain.chart is not None
    assert (made.chart.centre, made.chart.sigma) == (plain.chart.centre, plain.chart.sigma)
    assert made.capability == plain.capability and made.quantiles == plain.quantiles


def test_of_nothing_nothing_is_said() -> None:
    made = trend_of([], RESISTANCE)
    assert made.chart is None and made.quantiles == () and made.groups == ()
    assert made.capability.why_not and made.forecast.why_not


def test_the_newest_limits_count_and_others_are_told() -> None:
    own = [*observed(scattered(10), 9.0), *observed(scattered(10), 8.0)]
    made = trend_of(own, CURRENT)
    assert made.minimum == 8.0 and made.limits_changed
    assert not trend_of(own[:10], CURRENT).limits_changed


def test_bounds_at_a_floor_leave_the_rest_as_it_is() -> None:
    """However many readings are under the floor, none becomes a number."""
    values: Values = [*scattered(20), *[("above", 12.0)] * 15]
    made = trend_of(observed(values, 9.0), CURRENT)
    assert (made.below, made.above, sum(made.histogram.counts)) == (0, 15, 20)
    assert made.capability.is_fitted and made.capability.mean is not None
    assert made.capability.mean > 10.2
    assert made.quantiles[2] == Quantile(12.0, None)


def _nests(worn: float, count: int = 30, seed: int = 3) -> list[Observation]:
    own = observed(scattered(4 * count, 10, 0.3, seed))
    return [
        replace(
            each,
            value=each.value + (worn if place % 4 == 2 else 0),
            groups=(("nest", str(1 + place % 4)),),
        )
        for place, each in enumerate(own)
    ]


def test_a_worn_nest_stands_out_and_no_other_does() -> None:
    made = trend_of(_nests(0.4), CURRENT, by="nest")
    assert [(each.name, each.stands_out) for each in made.groups] == [
        ("1", ""),
        ("2", ""),
        ("3", "high"),
        ("4", ""),
    ]


def test_equal_nests_stand_out_no_more_often_than_chance() -> None:
    out = 0
    for seed in range(200):
        own = _nests(0.0, 15, seed)
        out += any(each.stands_out for each in compare(own, intervals(own, Scale.STRAIGHT), "nest"))
    assert out <= 8  # of 200, where 2 are expected


def test_a_nest_stands_out_where_others_are_only_known_to_be_over_the_range() -> None:
    own = observed([("above", 1e10)] * 30 + [2e9] * 10)
    own = [
        replace(each, groups=(("nest", "1" if place < 30 else "2"),))
        for place, each in enumerate(own)
    ]
    made = compare(own, intervals(own, Scale.DECADES), "nest")
    assert [(each.name, each.stands_out) for each in made] == [("1", "high"), ("2", "low")]
    same = [replace(each, value=1e10, bound=own[0].bound) for each in own]
    made = compare(same, intervals(same, Scale.DECADES), "nest")
    assert not any(each.stands_out for each in made)


def test_a_share_has_the_interval_of_its_number() -> None:
    assert wilson(0, 0) is None
    told = wilson(95, 100)
    assert told == pytest.approx((0.8882, 0.9785), abs=1e-4)
    assert wilson(5, 5) == pytest.approx((0.5655, 1.0), abs=1e-4)


@given(st.integers(0, 500), st.integers(0, 500))
def test_a_share_lies_within_its_interval(passed: int, more: int) -> None:
    told = wilson(passed, passed + more)
    if told is not None:
        assert 0 <= told[0] <= passed / (passed + more) <= told[1] <= 1


@given(
    st.lists(
        st.one_of(
            st.floats(1e3, 1e12) | SAME,
            st.tuples(st.sampled_from(["above", "below"]), st.floats(1e3, 1e12)),
        ),
        max_size=30,
    )
    | st.lists(SAME, max_size=30)
)
def test_a_trend_of_anything_is_made(values: Values) -> None:
    made = trend_of(observed(values, 1e6, 1e11), RESISTANCE)
    assert isinstance(made, Trend)
    assert sum(made.histogram.counts) + made.below + made.above == len(values)
    assert (made.capability.cpk is None) == bool(made.capability.why_not)
    if made.above + made.below > len(values) / 2:
        assert made.capability.cpk is None and made.chart is None
    assert interval(values, made.scale).is_exact.sum() == len(values) - made.above - made.below
