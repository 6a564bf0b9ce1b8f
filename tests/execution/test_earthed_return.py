"""A unit whose case the fixture earths: what flows there is measured, or the run does not start."""

from dataclasses import replace

import pytest

from loricate.bench.plan import FixturePlan
from loricate.core.measuring.actions import Output
from loricate.core.measuring.readings import Bound, resistance_of
from loricate.core.measuring.roles import WITHSTAND
from loricate.core.products.product import Product
from loricate.core.quantities import CURRENT, VOLTAGE
from loricate.core.review import Reviewed, review
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.execution.preflight import check_load
from tests.conftest import demo_limit_sets, five_steps, read_demo
from tests.core.test_review import released
from tests.rig import Rig, on_the_way

NEST = {"L": 1, "N": 2, "PE": 3, "CHASSIS": 4}
EARTHED = ("CHASSIS", "PE")


async def withstand(rig: Rig, side: str, earthed: tuple[str, ...], dc: bool = False) -> Output:
    """Mains to case at 1 kV, measured on one side, with some of the unit earthed."""
    rig.floor.floor.nests["FX-A/1"].earthed = earthed
    programme: dict[str, float | str] = {
        "function": "DC" if dc else "AC", "level_v": 1000.0, "frequency_hz": 50.0, "ramp_s": 0.5,
        "dwell_s": 1.0, "fall_s": 0.1, "trip_a": 5e-3, "return_side": side,
    }  # fmt: skip
    await rig.bench.connect_unit("HV1", {"high": ("L", "N"), "low": ("PE",)}, [NEST])
    try:
        return await rig.bench.outputs.energise("HV1", programme, [NEST], lambda sample: None)
    finally:
        rig.floor.floor.nests["FX-A/1"].earthed = ()


async def test_past_an_earthed_case_the_low_side_sees_next_to_nothing(rig: Rig) -> None:
    """Which is why a step that takes it for isolated must not run there."""
    isolated = (await withstand(rig, "LOW", ())).reading("current", CURRENT)
    bypassed = (await withstand(rig, "LOW", EARTHED)).reading("current", CURRENT)
    assert bypassed.value < isolated.value / 10


@pytest.mark.parametrize("earthed", [(), EARTHED])
async def test_on_the_high_side_it_is_measured_all_the_same_less_finely(
    rig: Rig, earthed: tuple[str, ...]
) -> None:
    low = (await withstand(rig, "LOW", ())).reading("current", CURRENT)
    high = (await withstand(rig, "HIGH", earthed)).reading("current", CURRENT)
    assert high.value == pytest.approx(low.value, rel=0.05)
    assert high.uncertainty > 2 * low.uncertainty
    assert abs(high.value - low.value) < high.uncertainty + low.uncertainty


async def test_its_floor_bounds_the_resistance_that_can_be_read(rig: Rig) -> None:
    """Gigohms cannot be told on the high side: the reading says so and is no number."""
    rig.floor.floor.take_out("FX-A/1")
    output = await withstand(rig, "HIGH", EARTHED, dc=True)
    current = output.reading("current", CURRENT)
    assert current.bound is Bound.BELOW and current.value == 2e-6
    resistance = resistance_of(output.reading("voltage", VOLTAGE), current)
    assert resistance.bound is Bound.ABOVE and resistance.value < 1e9


async def test_the_next_step_measures_on_its_own_side_again(rig: Rig) -> None:
    await withstand(rig, "HIGH", ())
    assert (await withstand(rig, "LOW", ())).accuracy["current"].of_reading == 0.01


async def test_a_source_that_stayed_on_the_other_side_is_not_believed(rig: Rig) -> None:
    on_the_way(rig, "HV1", lambda line: line.replace("SIDE HIGH", "SIDE LOW"))
    with pytest.raises(Exception, match=r"answers SENSe:CURRent:SIDE\? with 'LOW'"):
        await withstand(rig, "HIGH", EARTHED)


def ready(**settings: str) -> ReadySequence:
    """The final test, with the return of its insulation and withstand as given."""
    document = five_steps()
    for entry in document["steps"]:
        if entry["kind"] in ("insulation", "withstand"):
            entry["settings"] |= settings
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    return prepare(document, {product.code: product}, demo_limit_sets())


def test_a_run_does_not_start_where_the_case_is_earthed(rig: Rig) -> None:
    plan = rig.bench.plan
    own = plan.find_fixture("FX-A")
    assert isinstance(own, FixturePlan)
    earthing = plan.model_copy(
        update={"fixtures": (own.model_copy(update={"earthed": ("CHASSIS",)}),)}
    )
    load = [("1", "A-1")]
    found = check_load(earthing, "FX-A", load, ready())
    assert [each.path for each in found] == ["fixture", "fixture"]
    assert "earths CHASSIS, and step 'insulation' takes the unit for isolated" in found[0].message
    assert check_load(earthing, "FX-A", load, ready(**{"return": "earthed"})) == ()
    assert check_load(plan, "FX-A", load, ready()) == ()


def test_a_review_says_so_before(rig: Rig) -> None:
    sets = released(demo_limit_sets())

    def found(sequence: ReadySequence) -> list[str]:
        reviewed = Reviewed(
            sequence, sets, rig.bench.capabilities(), earthed={"FX-W": ("CHASSIS",)}
        )
        return [each.step for each in review(reviewed) if each.rule == "earthed_case"]

    assert found(ready()) == ["insulation", "withstand"]
    assert found(ready(**{"return": "earthed"})) == []


def test_what_cannot_measure_on_the_high_side_is_known_before(rig: Rig) -> None:
    bench = {
        role: tuple(
            replace(each, spans={**each.spans, "high_side": (0, 0)}) if role == WITHSTAND else each
            for each in all_of_it
        )
        for role, all_of_it in rig.bench.capabilities().items()
    }
    sequence = ready(**{"return": "earthed"})
    found = [each for each in review(Reviewed(sequence, {}, bench)) if each.rule == "beyond_bench"]
    assert [each.step for each in found] == ["insulation", "withstand"]
    assert "no withstand instrument here can" in found[0].reason


def test_the_setting_is_written_as_its_word() -> None:
    (step,) = [each for each in ready(**{"return": "earthed"}).steps if each.id == "withstand"]
    assert "Return earthed" in step.conditions and step.values["return"] == "earthed"
    with pytest.raises(Exception, match="return"):
        ready(**{"return": "floating"})
