"""Rehearsing: which steps are tried, what they may lack, and what a reading is taken over as."""

import copy
import math
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.errors import DocumentError
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.readings import Bound, Reading
from loricate.core.products.product import Product
from loricate.core.quantities import (
    CURRENT,
    DIMENSIONS,
    INDUCTANCE,
    RESISTANCE,
    TURNS_RATIO,
    VOLTAGE,
    parse,
)
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, ReadyStep
from loricate.core.sequences.rehearsing import (
    Taken,
    Use,
    highest_v,
    prepare_rehearsal,
    take,
    unjudged_steps,
)

GROUND = "measured in a rehearsal"
OHMS = Reading("resistance", 0.0521, RESISTANCE)


def rehearse(
    document: dict[str, Any], product: Product, limit_sets: LimitSets, *steps: str
) -> ReadySequence:
    return prepare_rehearsal(document, steps, {product.code: product}, limit_sets)


def test_some_steps_are_tried_whatever_is_wrong_with_the_others(
    sequence_document: dict[str, Any], product: Product, limit_sets: LimitSets
) -> None:
    document = copy.deepcopy(sequence_document)
    document["steps"][2]["settings"]["level"] = "much"
    document["steps"][3]["when"] = {"all": [{"step": "insulation", "outcome": "pass"}]}
    document["steps"][3]["off"] = True
    tried = rehearse(document, product, limit_sets, "withstand", "earth")
    assert [step.id for step in tried.steps] == ["earth", "withstand"], "in the document's order"
    assert tried.step("withstand").when is None
    assert highest_v(tried) == 1_030.0
    with pytest.raises(DocumentError) as refused:
        rehearse(document, product, limit_sets, "earth", "insulation")
    (finding,) = refused.value.findings
    assert finding.path == "steps[2].settings.level", "the path in the whole document"
    with pytest.raises(DocumentError, match="there is no step 'nothing'; there are look, earth"):
        rehearse(document, product, limit_sets, "nothing")


def test_a_limit_may_be_missing_unless_the_output_is_programmed_from_it(
    sequence_document: dict[str, Any], product: Product, limit_sets: LimitSets
) -> None:
    document = copy.deepcopy(sequence_document)
    for step in document["steps"]:
        step.pop("limits", None)
    with pytest.raises(DocumentError, match="is missing; a ground_bond step is judged by"):
        prepare(document, {product.code: product}, limit_sets)
    with pytest.raises(DocumentError) as refused:
        rehearse(document, product, limit_sets)
    assert [each.path for each in refused.value.findings] == ["steps[3].limits.current"]
    document["steps"][3]["settings"]["trip"] = "5 mA"
    tried = rehearse(document, product, limit_sets)
    assert unjudged_steps(tried) == ("earth", "insulation", "withstand", "leakage")
    assert unjudged_steps(rehearse(sequence_document, product, limit_sets)) == ()


@pytest.mark.parametrize(
    ("use", "allowance", "taken"),
    [
        (Use.MAXIMUM, 0.2, {"maximum": "62.6 mΩ", "source": GROUND}),
        (Use.MINIMUM, 0.2, {"minimum": "41.6 mΩ", "source": GROUND}),
        (Use.NOMINAL, 0.1, {"minimum": "46.8 mΩ", "maximum": "57.4 mΩ", "source": GROUND}),
    ],
)
def test_a_reading_becomes_a_limit_with_its_ground(
    sequence: ReadySequence, use: Use, allowance: float, taken: dict[str, str]
) -> None:
    step = replace(sequence.step("earth"), limits={})
    found = take(step, OHMS, use, allowance, GROUND)
    assert found == tuple(
        Taken(("limits", "resistance", name), value) for name, value in taken.items()
    )


def test_a_cited_limit_keeps_its_citation(sequence: ReadySequence) -> None:
    found = take(sequence.step("earth"), OHMS, Use.MAXIMUM, 0.2, GROUND)
    assert found == (Taken(("limits", "resistance", "maximum"), "62.6 mΩ"),)


@pytest.mark.parametrize(
    ("reading", "use", "says"),
    [
        (
            replace(OHMS, quantity="voltage"),
            Use.MAXIMUM,
            "cannot be limited; earth can limit: resist",
        ),
        (replace(OHMS, value=math.nan), Use.MAXIMUM, "is not a number; measure again"),
        (replace(OHMS, bound=Bound.ABOVE), Use.MAXIMUM, "> 52.10 mΩ is only a bound and gives no"),
        (replace(OHMS, bound=Bound.BELOW), Use.MINIMUM, "gives no minimum"),
        (replace(OHMS, bound=Bound.BELOW), Use.NOMINAL, "gives no nominal"),
    ],
)
def test_what_cannot_be_taken_is_refused(
    sequence: ReadySequence, reading: Reading, use: Use, says: str
) -> None:
    with pytest.raises(ValueError, match=says):
        take(sequence.step("earth"), reading, use, 0.2, GROUND)


def test_what_is_beyond_the_range_gives_the_limit_that_it_bounds(sequence: ReadySequence) -> None:
    reading = Reading("resistance", 10e9, RESISTANCE, bound=Bound.ABOVE)
    found = take(sequence.step("insulation"), reading, Use.MINIMUM, 0.5, GROUND)
    assert found[0] == Taken(("limits", "resistance", "minimum"), "5 GΩ")


def made(kind: str, settings: dict[str, Any], product: Product) -> ReadyStep:
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "S", "product": product.code,
        "steps": [{"id": "s", "kind": kind, "settings": settings}],
    }  # fmt: skip
    return prepare_rehearsal(document, (), {product.code: product}, {}).steps[0]


def test_each_path_and_a_target_have_places_of_their_own(product: Product) -> None:
    paths = [{"high": "L", "low": "N"}, {"high": "PE", "low": "CHASSIS"}]
    continuity = made("continuity", {"paths": paths}, product)
    ohms = OHMS.at("PE to CHASSIS")
    assert take(continuity, ohms, Use.MAXIMUM, 0.0, GROUND) == (
        Taken(("settings", "paths", 1, "maximum"), "52.1 mΩ"),
    )
    entry = made("entry", {"question": "Speed?", "quantity": "current"}, product)
    entered = Reading("entered", 1.2345, CURRENT)
    assert take(entry, entered, Use.NOMINAL, 0.05, GROUND) == (
        Taken(("settings", "target"), "1.234 A"),
        Taken(("settings", "tolerance"), "5 %"),
    )


RATIOS = [
    {"name": "P-S", "primary": ["A", "B"], "secondary": ["C", "D"], "nominal": "10:1"},
    {"name": "P-T", "primary": ["A", "B"], "secondary": ["C", "E"], "nominal": "5:1"},
]
TRANSFORMER = Product.model_validate(
    {"format": "loricate-product/2", "code": "T", "title": "T", "family": "cable",
     "terminals": list("ABCDE")}
)  # fmt: skip


@pytest.mark.parametrize(
    ("uncertainty", "allowance", "tolerance"),
    [(0.001, None, "0.5 %"), (0.05, None, "1.6 %"), (50.0, None, "90 %"), (0.05, 0.02, "2 %")],
)
def test_a_good_part_gives_a_nominal_value_with_a_tolerance_that_is_proposed(
    uncertainty: float, allowance: float | None, tolerance: str
) -> None:
    """What is usual, but never less than the meter's own doubt allows to be graded."""
    step = made("turns_ratio", {"ratios": RATIOS}, TRANSFORMER)
    reading = Reading("turns_ratio", 9.58333, TURNS_RATIO, "P-T", uncertainty=uncertainty)
    assert take(step, reading, Use.NOMINAL, allowance, GROUND) == (
        Taken(("settings", "ratios", 1, "nominal"), "9.583:1"),
        Taken(("settings", "ratios", 1, "tolerance"), tolerance),
    )


def test_an_inductance_is_taken_where_it_stands() -> None:
    coils = [{"name": "P", "high": "A", "low": "B", "nominal": "1 H"}]
    step = made("inductance", {"coils": coils}, TRANSFORMER)
    reading = Reading("inductance", 4.7891, INDUCTANCE, "P", uncertainty=0.01)
    assert take(step, reading, Use.NOMINAL, None, GROUND) == (
        Taken(("settings", "coils", 0, "nominal"), "4.789 H"),
        Taken(("settings", "coils", 0, "tolerance"), "10 %"),
    )


def test_one_winding_gives_no_nominal_value_of_all() -> None:
    step = made("turns_ratio", {"ratios": RATIOS}, TRANSFORMER)
    reading = Reading("voltage", 5.0, VOLTAGE, "P-T")
    with pytest.raises(ValueError, match="holds for every point of s, and not for P-T alone"):
        take(step, reading, Use.NOMINAL, 0.1, GROUND)


@given(
    value=st.floats(1e-9, 1e9) | st.floats(-1e9, -1e-9),
    allowance=st.floats(0, 2),
    use=st.sampled_from([Use.MINIMUM, Use.MAXIMUM]),
)
def test_the_part_that_was_measured_is_always_inside(
    value: float, allowance: float, use: Use
) -> None:
    product = Product.model_validate(
        {"format": "loricate-product/2", "code": "P", "title": "P", "family": "cable",
         "terminals": ["A", "B"]}
    )  # fmt: skip
    step = made("impedance", {"high": "A", "low": "B"}, product)
    reading = Reading("resistance", value, RESISTANCE)
    limit = parse(take(step, reading, use, allowance, GROUND)[0].value, DIMENSIONS["resistance"])
    assert limit >= value if use is Use.MAXIMUM else limit <= value
    assert math.isclose(limit, value, rel_tol=allowance + 0.011)
