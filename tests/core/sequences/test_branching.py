"""When a step is done: the outcomes that it waits for."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from loricate.core.errors import DocumentError
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Verdict
from loricate.core.products.product import Product
from loricate.core.sequences.branching import When, is_wanted
from loricate.core.sequences.preparing import prepare
from tests.conftest import five_steps

OUTCOMES = st.dictionaries(st.sampled_from("abc"), st.sampled_from(list(Verdict)))


def when(**own: list[tuple[str, str]]) -> When:
    return When.model_validate(
        {
            side: [{"step": step, "outcome": outcome} for step, outcome in named]
            for side, named in own.items()
        }
    )


@pytest.mark.parametrize(
    ("clause", "came", "wanted"),
    [
        (when(all=[("a", "fail")]), {"a": Verdict.FAIL}, True),
        (when(all=[("a", "fail")]), {"a": Verdict.PASS}, False),
        (when(all=[("a", "fail")]), {}, False),
        (when(all=[("a", "fail"), ("b", "pass")]), {"a": Verdict.FAIL}, False),
        (when(any=[("a", "fail"), ("b", "fail")]), {"b": Verdict.FAIL}, True),
        (when(any=[("a", "fail"), ("b", "fail")]), {"a": Verdict.PASS}, False),
        (
            when(all=[("a", "pass")], any=[("b", "fail"), ("c", "fail")]),
            {"a": Verdict.PASS, "c": Verdict.FAIL}, True,
        ),
        (when(any=[("a", "not_run")]), {"a": Verdict.NOT_RUN}, True),
    ],
)  # fmt: skip
def test_a_condition_is_met_by_its_outcomes(
    clause: When, came: dict[str, Verdict], wanted: bool
) -> None:
    assert is_wanted(clause, came) is wanted


@given(came=OUTCOMES, step=st.sampled_from("abc"), outcome=st.sampled_from(list(Verdict)))
def test_all_and_any_of_one_are_the_same_and_nothing_is_always(
    came: dict[str, Verdict], step: str, outcome: Verdict
) -> None:
    one = [(step, str(outcome))]
    assert is_wanted(when(all=one), came) == is_wanted(when(any=one), came)
    assert is_wanted(when(all=one), came) == (came.get(step) == outcome)
    assert is_wanted(None, came)


def test_a_condition_reads_in_words() -> None:
    clause = when(all=[("earth", "pass")], any=[("a", "fail"), ("b", "not_run")])
    assert clause.text == "earth pass; and a fail or b not run"
    with pytest.raises(ValidationError, match="names no outcome"):
        when()


@pytest.mark.parametrize(
    ("index", "named", "says"),
    [
        (1, "leakage", "names step 'leakage', which does not come before it; before it come look"),
        (0, "look", "before it come none"),
        (3, "nobody", "before it come look, earth, insulation"),
    ],
)
def test_only_what_comes_before_can_be_waited_for(
    limit_sets: LimitSets, product: Product, index: int, named: str, says: str
) -> None:
    document: dict[str, Any] = five_steps()
    document["steps"][index]["when"] = {"all": [{"step": named, "outcome": "pass"}]}
    with pytest.raises(DocumentError, match=says):
        prepare(document, {product.code: product}, limit_sets)


def test_a_step_that_is_switched_off_is_not_performed_nor_waited_for(
    limit_sets: LimitSets, product: Product
) -> None:
    document: dict[str, Any] = five_steps()
    document["steps"][1]["off"] = True
    ready = prepare(document, {product.code: product}, limit_sets)
    assert [step.id for step in ready.steps] == ["look", "insulation", "withstand", "leakage"]
    document["steps"][2]["when"] = {"all": [{"step": "earth", "outcome": "pass"}]}
    with pytest.raises(DocumentError, match="names step 'earth', which does not come before"):
        prepare(document, {product.code: product}, limit_sets)
    for step in document["steps"]:
        step["off"] = True
    with pytest.raises(DocumentError, match="are all switched off"):
        prepare(document, {product.code: product}, limit_sets)
