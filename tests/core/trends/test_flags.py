from dataclasses import replace

from loricate.core.quantities import CURRENT
from loricate.core.trends.flags import flags_of
from loricate.core.trends.trend import trend_of
from tests.core.trends.made import observed, scattered


def test_steady_readings_have_no_flag() -> None:
    level = [10.0, 10.2] * 20
    assert flags_of(trend_of(observed(level, 5.0, 15.0), CURRENT), CURRENT) == []


def test_each_rule_is_flagged_by_its_newest_signal() -> None:
    level = [10.0, 10.2] * 10
    own = observed([*level, 12.0, *level, 8.0])
    own = [replace(each, serial=f"S-{place}") for place, each in enumerate(own)]
    found = {each.what: each for each in flags_of(trend_of(own, CURRENT), CURRENT)}
    assert found["beyond"].begins_at == own[41].at
    assert found["beyond"].text == f"Beyond 3 σ, {own[41].at[:10]}, S-41."
    assert not found["beyond"].lasts


def test_a_drift_and_a_group_last() -> None:
    values = [each - 0.05 * place for place, each in enumerate(scattered(60, sigma=0.1))]
    own = [
        replace(
            each, groups=(("nest", "F/1" if place % 3 else "F/2"),),
            value=each.value + (0 if place % 3 else 3),
        )
        for place, each in enumerate(observed(values, 4.0, hours=24))
    ]  # fmt: skip
    found = flags_of(trend_of(own, CURRENT, by="nest"), CURRENT, "nest")
    lasting = {each.what: each.text for each in found if each.lasts}
    assert lasting["drift"] == "It drifts to its minimum of 4.000 A."
    assert lasting["nest F/2"] == "Nest F/2 is high beside all others."
    assert "nest F/1" in lasting
