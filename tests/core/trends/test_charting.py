import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.trends.capability import capability_of, cpk_least
from loricate.core.trends.charting import Chart, chart_of, sigma_within
from loricate.core.trends.terms import Rule
from tests.core.trends.made import interval, scattered

Values = list[float | tuple[str, float]]
LEVEL: Values = [10.0, 10.2] * 6  # mean 10.1, mean range 0.2, σ 0.1773


def rules(values: Values, base: int = 12) -> dict[Rule, tuple[int, int]]:
    made = chart_of(interval(values), base)
    assert made is not None
    return {each.rule: (each.first, each.last) for each in made.signals}


def test_sigma_is_that_of_moving_ranges() -> None:
    assert sigma_within(interval([10.2, 10.4, 10.1, 10.6, 10.3])) == pytest.approx(0.2881, abs=5e-5)


def test_steady_readings_give_no_signal() -> None:
    assert rules(LEVEL) == {}


@pytest.mark.parametrize(
    ("then", "rule", "where"),
    [
        ([10.7], Rule.BEYOND, (12, 12)),
        ([9.4], Rule.BEYOND, (12, 12)),
        ([10.0, 10.62, 9.9], Rule.RANGE, (13, 14)),
        ([10.15] * 9, Rule.SIDE, (11, 20)),  # the last of the base lies on that side as well
        ([9.8, 9.9, 10.0, 10.05, 10.1, 10.15, 10.2], Rule.STEADY, (12, 18)),
        ([10.5, 10.1, 10.5], Rule.OUTER, (12, 14)),
        ([10.0, 10.3, 10.35, 10.0, 10.3, 10.3], Rule.OFF, (13, 17)),
    ],
)
def test_each_rule_is_seen(then: Values, rule: Rule, where: tuple[int, int]) -> None:
    assert rules([*LEVEL, *then])[rule] == where


def test_a_drift_does_not_widen_its_own_limits() -> None:
    drifting: Values = [each + 0.02 * place for place, each in enumerate(scattered(60, sigma=0.1))]
    found = rules(drifting, base=0)
    assert Rule.BEYOND in found and Rule.SIDE in found


def test_a_censored_reading_counts_where_all_it_may_be_agrees() -> None:
    assert rules([*LEVEL, ("above", 11.0)])[Rule.BEYOND] == (12, 12)
    assert Rule.BEYOND not in rules([*LEVEL, ("above", 10.4)])
    # It may be on the other side as well: a run ends with it.
    assert Rule.SIDE not in rules([*LEVEL, *[10.15] * 5, ("below", 10.2), *[10.15] * 4])
    assert Rule.SIDE in rules([*LEVEL, *[10.15] * 5, ("above", 10.2), *[10.15] * 4])


@given(
    st.lists(
        st.one_of(
            st.floats(0, 20),
            st.tuples(st.sampled_from(["above", "below"]), st.floats(0, 20)),
        ),
        min_size=0,
        max_size=40,
    )
)
def test_what_a_censored_reading_truly_is_changes_no_signal_that_was_told(values: Values) -> None:
    """Whatever the truth behind it, on its side, each signal on a chart is still there."""
    base = [*LEVEL]
    made = chart_of(interval([*base, *values]), len(base))
    assert made is not None
    for far in (0.0, 1e-3, 100.0):
        true: Values = [
            each if not isinstance(each, tuple) else each[1] + (far if each[0] == "above" else -far)
            for each in values
        ]
        then = chart_of(interval([*base, *true]), len(base))
        assert then is not None
        told = {(each.rule, place) for each in then.signals for place in _places(each)}
        wanted = {(each.rule, place) for each in made.signals for place in _places(each)}
        if far:
            assert wanted <= told


def _places(signal: object) -> range:
    first, last = getattr(signal, "first"), getattr(signal, "last")  # noqa: B009
    return range(first, last + 1)


def test_no_number_is_made_of_a_censored_reading() -> None:
    cut: Values = [*LEVEL, ("above", 1e12), *LEVEL]
    made, plain = chart_of(interval(cut)), chart_of(interval([*LEVEL, *LEVEL]))
    assert isinstance(made, Chart) and isinstance(plain, Chart)
    assert made.centre == pytest.approx(plain.centre)
    assert np.isnan(made.ranges[11]) and np.isnan(made.ranges[12])
    assert made.upper < 11


def test_too_few_numbers_have_no_chart() -> None:
    assert chart_of(interval(LEVEL[:7])) is None
    assert chart_of(interval([*LEVEL, *[("above", 11.0)] * 13])) is None
    assert chart_of(interval([])) is None


def test_readings_that_never_change_have_no_signal() -> None:
    made = chart_of(interval([10.0] * 20))
    assert made is not None and made.sigma == 0 and made.signals == ()


def test_capability_is_that_of_the_formulas() -> None:
    values: Values = [10.2, 10.4, 10.1, 10.6, 10.3]
    made = capability_of(interval(values), 9.0, 11.0)
    assert made.mean == pytest.approx(10.32) and made.sigma == pytest.approx(0.2881, abs=5e-5)
    assert made.cp == pytest.approx(2 / (6 * 0.28812), rel=1e-4)
    assert made.cpk == pytest.approx(0.68 / (3 * 0.28812), rel=1e-4)
    one_sided = capability_of(interval(values), 9.0, None)
    assert one_sided.cp is None
    assert one_sided.cpk == pytest.approx(1.32 / (3 * 0.28812), rel=1e-4)
    assert cpk_least(1.33, 50) == pytest.approx(1.096, abs=5e-4)


@pytest.mark.parametrize(
    ("values", "minimum", "said"),
    [
        ([10.0, 10.1], 9.0, "fewer than 5"),
        ([("above", 10.0)] * 7 + [10.0] * 6, 9.0, "more than half"),
        ([10.0] * 8, 9.0, "the same"),
        ([10.0, 10.1, 10.3, 10.2, 10.1], None, "nothing limits"),
    ],
)
def test_without_grounds_there_is_no_index(
    values: Values, minimum: float | None, said: str
) -> None:
    made = capability_of(interval(values), minimum, None)
    assert said in made.why_not
    assert made.cpk is None and made.cp is None and made.cpk_least is None


def test_censored_readings_do_not_flatter_a_capability() -> None:
    whole = scattered(300, 10.0, 1.0)
    cut: Values = [each if each < 10.5 else ("above", 10.5) for each in whole]
    honest, told = (capability_of(interval(each), 7.0, None) for each in (list(whole), cut))
    assert told.is_fitted and not honest.is_fitted
    assert told.cpk == pytest.approx(honest.cpk, rel=0.12)
    left_out = capability_of(interval([each for each in whole if each < 10.5]), 7.0, None)
    assert left_out.cpk is not None and told.cpk is not None
    assert abs(told.cpk - (honest.cpk or 0)) < abs(left_out.cpk - (honest.cpk or 0)) + 0.05
