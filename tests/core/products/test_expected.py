"""The gate asks what was measured: skipped, typed or undecided is not tested."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.gate import (
    Coverage,
    doubt_requirement,
    expected_requirement,
    measured_requirement,
)
from loricate.core.limits.limit_sets import LimitSets
from loricate.core.measuring.grading import Verdict
from loricate.core.products.expected import (
    Done,
    asked_by_sets,
    expected_tests,
    is_left_out,
    is_met,
)
from loricate.core.products.families.section import ACROSS, PRODUCTION, Expectation
from loricate.core.products.product import Product
from tests.conftest import read_demo

GOOD = {
    "earth": Done("ground_bond", Verdict.PASS, True),
    "withstand": Done("withstand", Verdict.PASS, True),
}


def product(**more: Any) -> Product:
    return Product.model_validate({**read_demo("products/dc-40.toml"), **more})


def covered(done: dict[str, Done], **more: Any) -> Coverage:
    own = product(**more)
    return Coverage(own.not_tested, expected_tests(own, PRODUCTION), done)


def test_what_is_expected_and_measured_opens_the_gate() -> None:
    assert expected_requirement(covered(GOOD)).met and measured_requirement(covered(GOOD)).met


@pytest.mark.parametrize(
    "withstand",
    [
        None,
        Done("withstand", Verdict.NOT_RUN, False),
        Done("withstand", Verdict.INCONCLUSIVE, True),
        Done("withstand", Verdict.FAIL, True),
        Done("withstand", Verdict.PASS, False),
        Done("entry", Verdict.PASS, False),
        Done("insulation", Verdict.PASS, True),
    ],
)
def test_an_expected_test_must_be_performed_measured_and_passed(withstand: Done | None) -> None:
    done = {"earth": GOOD["earth"]} | ({} if withstand is None else {"withstand": withstand})
    requirement = expected_requirement(covered(done))
    assert not requirement.met and "the insulation of an appliance" in requirement.reason


KINDS = st.sampled_from(["ground_bond", "continuity", "withstand", "insulation", "question"])


@given(
    st.dictionaries(
        st.text(min_size=1, max_size=3),
        st.builds(Done, KINDS, st.sampled_from(Verdict), st.booleans()),
        max_size=6,
    )
)
def test_nothing_else_opens_it(done: dict[str, Done]) -> None:
    """Whatever was done, the gate is open only with a measured pass of each expected kind."""
    if expected_requirement(covered(done)).met:
        passed = {
            each.kind for each in done.values() if each.verdict is Verdict.PASS and each.is_measured
        }
        assert passed & {"ground_bond", "continuity"} and "withstand" in passed


def test_nothing_measured_certifies_nothing() -> None:
    asked = {"look": Done("visual", Verdict.PASS, False)}
    assert not measured_requirement(covered(asked)).met
    assert not measured_requirement(covered({})).met


def test_a_site_leaves_a_test_out_by_name_and_reason() -> None:
    waiver = {
        "kind": "withstand", "by": "M. Rowe", "reason": "type-tested modules inside, file 12",
    }  # fmt: skip
    requirement = expected_requirement(covered({"earth": GOOD["earth"]}, not_tested=[waiver]))
    assert requirement.met
    assert requirement.reason == (
        "Withstand is left out by M. Rowe: type-tested modules inside, file 12."
    )
    both = Expectation(ACROSS, "the insulation of a winding")
    assert not is_left_out(product(not_tested=[waiver]).not_tested, both), (
        "one of two kinds is still expected"
    )


@pytest.mark.parametrize("reason", ["", "no", "because I say", "x y z", "  a  b  c  "])
def test_a_waiver_needs_a_sentence(reason: str) -> None:
    waiver = {"kind": "withstand", "by": "M. Rowe", "reason": reason}
    if reason == "because I say":
        assert product(not_tested=[{**waiver, "reason": "because I say so here"}])
    with pytest.raises(DocumentError) as refused:
        read_document(
            Product, {**read_demo("products/dc-40.toml"), "not_tested": [waiver]}, "product"
        )
    assert refused.value.findings[0].path == "not_tested[0].reason"


def test_the_sets_that_are_cited_ask_for_their_tests(
    limit_sets: LimitSets,
) -> None:
    asked = asked_by_sets(product(), ["IEC-60335-1-A", "nowhere"], limit_sets)
    assert [each.kinds for each in asked] == [("ground_bond", "continuity"), ("withstand",)]
    lamp = Product.model_validate(read_demo("products/lp-2.toml"))
    kinds = [each.kinds for each in asked_by_sets(lamp, ["EN-50678"], limit_sets)]
    assert kinds == [("insulation",), ("leakage",)]


def test_a_doubted_instrument_shuts_the_gate() -> None:
    assert doubt_requirement({}).met
    shut = doubt_requirement({"GB1": "gave no reading of voltage"})
    assert not shut.met and "GB1 gave no reading of voltage" in shut.reason


def test_is_met_looks_at_every_step() -> None:
    twice = {"a": Done("withstand", Verdict.FAIL, True), "b": GOOD["withstand"]}
    assert is_met(Expectation(("withstand",), "x"), twice)
