"""Challenge: every fault is caught where it must be, good units pass, and a weak sequence shows."""

import copy
import subprocess
import sys
from typing import Any

import pytest

from loricate.challenge import Challenge, ChallengeRequest, NoStandIn, challenge, stand_in_for
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Cause, Verdict
from loricate.core.measuring.readings import Measurand
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.simulator.units import UnitModel
from tests.conftest import five_steps, read_demo

Document = dict[str, Any]


@pytest.fixture
def cabinet() -> UnitModel:
    return UnitModel.model_validate(read_demo("stand-ins/drying-cabinet.toml"))


def run(
    limit_sets: LimitSets,
    model: UnitModel | None = None,
    change: Document | None = None,
    repetitions: int = 20,
    **options: Any,
) -> Challenge:
    """Challenge the drying cabinet's final test, with steps' settings and limits changed."""
    document = copy.deepcopy(five_steps())
    for step in document["steps"]:
        for part, own in (change or {}).get(step["id"], {}).items():
            step[part] = own if part == "limits" else {**step[part], **own}
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    ready = prepare(document, {product.code: product}, limit_sets)
    model = stand_in_for(product) if model is None else model
    return challenge(ready, model, repetitions=repetitions, **options)


def caught(found: Challenge) -> dict[str, tuple[str, ...]]:
    return {" + ".join(row.faults): row.caught_by for row in found.rows}


@pytest.mark.parametrize("name", ["dc40-final", "dc40-rework"])
def test_the_demos_sequences_for_the_cabinet_miss_nothing(
    name: str, limit_sets: LimitSets, cabinet: UnitModel, product: Product
) -> None:
    document = read_demo(f"sequences/{name}.toml")
    ready = prepare(document, {product.code: product}, limit_sets)
    found = challenge(ready, cabinet, repetitions=40)
    assert found.missed == () and not any(found.false_alarms.values())
    assert "wrong_element" in {fault for row in found.rows for fault in row.faults}


def test_every_fault_of_the_cabinet_is_caught_where_it_must_be(
    limit_sets: LimitSets, cabinet: UnitModel
) -> None:
    found = run(limit_sets, cabinet, repetitions=100)
    assert caught(found) == {
        "empty_nest": ("earth", "withstand", "leakage"),
        "cracked_insulator": ("withstand",),
        "switched_off": ("withstand", "leakage"),
        "loose_earth": ("earth",),
        "missing_earth": ("earth", "withstand"),
        "swapped_line_earth": ("earth", "insulation", "withstand", "leakage"),
        "leaky_filter": ("withstand", "leakage"),
        "wrong_element": ("leakage",),
        "loose_strand": ("withstand",),
        "big_store": ("insulation", "withstand", "leakage"),
        "wet": ("insulation",),
    }
    assert found.missed == () and found.repetitions == 100
    assert set(found.false_alarms.values()) == {0}
    cracked = next(row for row in found.rows if row.faults == ("cracked_insulator",))
    assert cracked.verdicts["withstand"].cause is Cause.BREAKDOWN
    assert cracked.verdicts["insulation"].verdict is Verdict.PASS, "500 V DC do not strike it"
    assert found.load_s == pytest.approx(16.2)


def test_a_weak_step_misses_what_it_alone_would_catch(
    limit_sets: LimitSets, cabinet: UnitModel
) -> None:
    own = {"minimum": "0.4 mA", "maximum": "5 mA", "source": "us"}
    weak = {
        "withstand": {"settings": {"level": "500 V"}, "limits": {"current": own}},
        "insulation": {"limits": {"resistance": {"minimum": "0.5 MΩ", "source": "us"}}},
    }
    found = run(limit_sets, cabinet, weak, repetitions=0)
    assert {row.faults for row in found.missed} == {
        ("cracked_insulator",), ("loose_strand",), ("wet",),
    }  # fmt: skip


def test_a_level_short_of_its_citation_passes_no_unit_at_all(
    limit_sets: LimitSets, cabinet: UnitModel
) -> None:
    found = run(limit_sets, cabinet, {"withstand": {"settings": {"level": "500 V"}}}, 20)
    assert found.false_alarms["withstand"] == 20, "what the standard asks was not measured"


def test_a_limit_too_tight_shows_as_false_alarms(limit_sets: LimitSets, cabinet: UnitModel) -> None:
    tight = {"earth": {"limits": {"resistance": {"maximum": "87 mΩ", "source": "us"}}}}
    found = run(limit_sets, cabinet, tight, repetitions=100)
    assert 20 < found.false_alarms["earth"] < 80, "the cord's scatter is 8 % about 87 mΩ"
    assert found.false_alarms["withstand"] == 0


def test_an_empty_nest_passes_a_sequence_that_proves_no_contact(limit_sets: LimitSets) -> None:
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    document = five_steps()
    document["steps"] = [step for step in document["steps"] if step["id"] == "insulation"]
    ready = prepare(document, {product.code: product}, limit_sets)
    found = challenge(ready, stand_in_for(product), repetitions=0)
    assert ("empty_nest",) in {row.faults for row in found.missed}


def test_pairs_are_tried_on_request_unless_one_undoes_the_other(
    limit_sets: LimitSets, cabinet: UnitModel
) -> None:
    found = run(limit_sets, cabinet, repetitions=0, pairs=True)
    pairs = {row.faults for row in found.rows if len(row.faults) == 2}
    assert ("cracked_insulator", "loose_earth") in pairs
    assert ("loose_earth", "missing_earth") not in pairs, "both change the stud"
    assert found.missed == ()


def test_the_same_seed_gives_the_same_report(limit_sets: LimitSets, cabinet: UnitModel) -> None:
    assert run(limit_sets, cabinet) == run(limit_sets, cabinet)


def test_a_stand_in_is_made_from_the_product(limit_sets: LimitSets) -> None:
    found = run(limit_sets, repetitions=50)
    assert found.missed == () and set(found.false_alarms.values()) == {0}
    assert "missing_earth" in caught(found) and "unbonded_chassis" in caught(found)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"family": "cable"}, "a cable is described by its own network"),
        ({"terminals": ["A", "B"]}, "no L and N"),
        ({"supply_voltage": None}, "no rated voltage"),
    ],
)
def test_what_no_stand_in_can_be_made_of_says_so(change: Document, says: str) -> None:
    document = {**read_demo("products/dc-40.toml"), **change}
    product = Product.model_validate({k: v for k, v in document.items() if v is not None})
    with pytest.raises(NoStandIn, match=says):
        stand_in_for(product)


def test_a_class_ii_unit_has_no_earth_to_lose() -> None:
    product = Product.model_validate(
        {**read_demo("products/dc-40.toml"), "protection_class": "II",
         "terminals": ["L", "N", "CASE"]}
    )  # fmt: skip
    model = stand_in_for(product)
    assert "missing_earth" not in model.fault and "unbonded_case" in model.fault
    assert model.element["insulator"].value == "6 kV"


def test_the_lamp_poles_test_catches_what_a_class_ii_unit_can_have(limit_sets: LimitSets) -> None:
    product = Product.model_validate(read_demo("products/lp-2.toml"))
    ready = prepare(read_demo("sequences/lp2-final.toml"), {product.code: product}, limit_sets)
    assert "earth" not in ready.step("touch").terminals_used, "class II has none"
    assert ready.step("withstand").limits[Measurand("current")].source.item == "withstand-double"
    found = challenge(ready, stand_in_for(product), repetitions=50)
    assert found.missed == () and set(found.false_alarms.values()) == {0}
    assert caught(found)["open_element"] == ("touch", "power")


def request(**own: Any) -> ChallengeRequest:
    sets = {
        code: (read_demo(f"limit-sets/{name}.toml"), 1)
        for code, name in (
            ("IEC-60335-1-A", "iec-60335-1-annex-a"), ("IEC-60335-1-13", "iec-60335-1-leakage"),
        )
    }  # fmt: skip
    return ChallengeRequest.model_validate(
        {
            "sequence": five_steps(),
            "product": read_demo("products/dc-40.toml"), "limit_sets": sets, "repetitions": 3,
            **own,
        }
    )  # fmt: skip


def test_a_challenge_runs_in_a_process_of_its_own() -> None:
    asked = request()
    done = subprocess.run(
        [sys.executable, "-m", "loricate.challenge"], input=asked.model_dump_json(),
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert done.stdout == asked.perform().model_dump_json()


def test_a_refusal_comes_back_in_words() -> None:
    wrong = request(sequence={**five_steps(), "colour": "red"})
    done = subprocess.run(
        [sys.executable, "-m", "loricate.challenge"], input=wrong.model_dump_json(),
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 1 and '"colour", "is not a known key' in done.stdout
