import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.trends.fitting import fit_line, fit_mean
from loricate.core.trends.forecasting import REACH, forecast_of, t_quantile
from tests.core.trends.made import interval, scattered

Values = list[float | tuple[str, float]]


def test_without_censored_readings_a_line_is_least_squares() -> None:
    x = np.arange(12.0)
    values = [3 + 0.5 * each + (-1) ** each * 0.2 for each in range(12)]
    made = fit_line(x, interval(values))
    slope, intercept = np.polyfit(x, values, 1)
    assert made is not None
    assert (made.slope, made.intercept) == pytest.approx((slope, intercept))
    residual = np.array(values) - slope * x - intercept
    variance = float(residual @ residual) / 10
    assert made.sigma == pytest.approx(math.sqrt(variance))
    along = float(((x - x.mean()) ** 2).sum())
    assert made.standard_error(5.5) == pytest.approx(math.sqrt(variance / 12))
    assert made.standard_error(20.0) == pytest.approx(
        math.sqrt(variance * (1 / 12 + (20 - 5.5) ** 2 / along))
    )


def test_censored_readings_count_on_their_side_alone() -> None:
    whole = scattered(400, 10.0, 1.0)
    cut: Values = [each if each < 10.5 else ("above", 10.5) for each in whole]
    made, plain = fit_mean(interval(cut)), np.array([each for each in whole if each < 10.5])
    assert made is not None
    assert made.intercept == pytest.approx(10.0, abs=0.15)
    assert made.sigma == pytest.approx(1.0, abs=0.12)
    # As numbers, or left out, they would have told of another mean.
    assert plain.mean() < 9.6
    assert made.standard_error(0.0) == pytest.approx(1 / 20, rel=0.3)


@given(
    st.lists(st.floats(-5, 5), min_size=6, max_size=40),
    st.floats(-100, 100),
    st.floats(0.01, 100),
    st.floats(-3, 3),
)
def test_a_fit_follows_its_readings_wherever_they_are_moved(
    values: list[float], shift: float, times: float, cut: float
) -> None:
    own: Values = [each if each < cut else ("above", cut) for each in values]
    moved: Values = [
        (each[0], each[1] * times + shift) if isinstance(each, tuple) else each * times + shift
        for each in own
    ]
    here, there = fit_mean(interval(own)), fit_mean(interval(moved))
    assert (here is None) == (there is None)
    if here is not None and there is not None and here.sigma > 1e-6:
        assert there.intercept == pytest.approx(here.intercept * times + shift, rel=1e-4, abs=1e-3)
        assert there.sigma == pytest.approx(here.sigma * times, rel=1e-3)


@pytest.mark.parametrize(
    "values",
    [
        [1.0, 1.1],
        [("above", 1.0)] * 5 + [2.0, 2.1, 2.2],
        [],
    ],
)
def test_too_few_numbers_have_no_mean(values: Values) -> None:
    assert fit_mean(interval(values)) is None


def test_nothing_is_made_of_readings_of_one_moment() -> None:
    assert fit_line(np.zeros(9), interval(scattered(9))) is None


@pytest.mark.parametrize(
    ("freedom", "wanted"), [(5, 2.5706), (6, 2.4469), (10, 2.2281), (30, 2.0423), (200, 1.9719)]
)
def test_student_s_t_is_that_of_tables(freedom: int, wanted: float) -> None:
    assert t_quantile(0.975, freedom) == pytest.approx(wanted, rel=5e-3)


def test_a_drift_meets_its_limit_within_the_interval() -> None:
    days = np.arange(60.0)
    drifting = [each - 0.02 * day for each, day in zip(scattered(60), days, strict=True)]
    told = forecast_of(days, interval(drifting), 8.0, None)
    assert told.limit == "minimum" and told.meets is not None
    assert told.earliest is not None and told.latest is not None
    assert told.earliest < told.meets < told.latest
    assert told.earliest < 100 < told.latest  # where it was made to go
    assert told.slope_low is not None and told.slope_high is not None
    assert told.slope_low < -0.02 < told.slope_high < 0


def test_the_interval_of_a_forecast_holds_the_truth_as_often_as_it_says() -> None:
    held, asked, days = 0, 0, np.arange(40.0)
    for seed in range(300):
        values = [each - 0.03 * d for each, d in zip(scattered(40, seed=seed), days, strict=True)]
        told = forecast_of(days, interval(values), 8.0, None)
        if told.earliest is not None:
            asked += 1
            held += told.earliest <= 2.0 / 0.03 <= (told.latest or math.inf)
    assert asked > 290
    assert 0.92 < held / asked < 0.98


def test_chance_is_no_drift_more_often_than_it_says() -> None:
    days = np.arange(30.0)
    told = [forecast_of(days, interval(scattered(30, seed=seed)), 8.0, 12.0) for seed in range(300)]
    assert sum(each.limit != "" for each in told) < 300 * 0.08
    assert all(each.why_not for each in told if not each.limit)


@pytest.mark.parametrize(
    ("slope", "minimum", "maximum", "said"),
    [
        (0.05, 5.0, None, "nothing limits"),
        (0.05, None, 1e6, "too far off"),
        (-0.05, None, 12.0, "nothing limits"),
    ],
)
def test_what_cannot_be_forecast_says_why(
    slope: float, minimum: float | None, maximum: float | None, said: str
) -> None:
    days = np.arange(40.0)
    values = [each + slope * day for each, day in zip(scattered(40), days, strict=True)]
    told = forecast_of(days, interval(values), minimum, maximum)
    assert said in told.why_not and told.meets is None


@given(st.lists(st.floats(0.1, 1e3), min_size=8, max_size=30), st.floats(0.1, 1e3))
def test_a_forecast_reaches_no_further_than_its_readings_carry(
    values: list[float], limit: float
) -> None:
    days = np.arange(float(len(values)))
    told = forecast_of(days, interval(values), limit, limit)
    end = days[-1] + REACH * days[-1]
    assert told.meets is None or told.meets <= end
    assert told.latest is None or told.latest <= end
    assert told.earliest is not None or told.why_not
