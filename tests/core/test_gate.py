"""The gate: a unit is certified only when every requirement is met, and each says why not."""

import datetime as dt
from typing import Any

import pytest

from loricate.core.gate import Coverage, certificate_gate, is_open
from loricate.core.measuring.grading import Verdict
from loricate.core.products.expected import Done
from loricate.core.products.families.section import Expectation
from loricate.core.products.product import Product
from tests.conftest import read_demo

TESTED = dt.date(2026, 11, 25)
PRODUCT = Product.model_validate(read_demo("products/dc-40.toml"))
GOOD: dict[str, Any] = {
    "run_state": "finished",
    "sequence_status": "released",
    "expected_steps": ["a", "b"],
    "latest": {"a": Verdict.PASS, "b": Verdict.PASS},
    "calibration_due": {"HV1": TESTED},
    "tested_on": TESTED,
    "tests": Coverage(
        PRODUCT.not_tested,
        [Expectation(("withstand",), "the insulation")],
        {"a": Done("withstand", Verdict.PASS, True)},
    ),
    "doubted": {},
}


def test_a_unit_that_meets_everything_is_let_through() -> None:
    assert is_open(certificate_gate(**GOOD))


@pytest.mark.parametrize(
    ("name", "value", "requirement", "says"),
    [
        ("run_state", "interrupted", "run finished", "interrupted"),
        ("run_state", "aborted", "run finished", "aborted"),
        ("sequence_status", "withdrawn", "sequence released", "withdrawn"),
        ("latest", {"a": Verdict.PASS}, "every step done", "b"),
        ("latest", {"a": Verdict.PASS, "b": Verdict.NOT_RUN}, "every step passed", "b"),
        ("latest", {"a": Verdict.FAIL, "b": Verdict.PASS}, "every step passed", "a"),
        (
            "tests",
            Coverage(PRODUCT.not_tested, [], {}),
            "measured by an instrument",
            "No instrument",
        ),
        (
            "tests",
            Coverage(PRODUCT.not_tested, [Expectation(("leakage",), "leaks")], {}),
            "expected tests passed",
            "leaks (leakage)",
        ),
        ("doubted", {"HV1": "gave no reading"}, "instruments believed", "HV1 gave no reading"),
        ("calibration_due", {"HV1": dt.date(2026, 11, 24)}, "calibration in date", "HV1"),
    ],
)
def test_each_unmet_condition_shuts_the_gate_and_says_why(
    name: str, value: object, requirement: str, says: str
) -> None:
    gate = certificate_gate(**{**GOOD, name: value})
    assert not is_open(gate)
    unmet = {each.name: each.reason for each in gate if not each.met}
    assert says in unmet[requirement]
