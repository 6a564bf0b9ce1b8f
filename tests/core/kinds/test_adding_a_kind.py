"""`docs/adding-a-kind.md` is true as printed: its kind is prepared, performed and graded."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from loricate.core.kinds import KINDS
from loricate.core.measuring.actions import Ending, Energise, Output
from loricate.core.measuring.grading import Cause, DecisionRule, Verdict, grade_step
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.schema import sequence_schema
from tests.conftest import read_demo

PAGE = Path(__file__).parents[3] / "docs" / "adding-a-kind.md"


@pytest.fixture
def kind() -> Iterator[str]:
    """The kind that the page prints, registered for one test."""
    (text,) = re.findall(r"```python\n(.*?)```", PAGE.read_text(encoding="utf-8"), re.S)
    known = set(KINDS)
    exec(compile(text, str(PAGE), "exec"), {"__name__": "printed"})
    (name,) = set(KINDS) - known
    yield name
    del KINDS[name]


@pytest.mark.parametrize(
    ("volts", "amperes", "verdict", "cause"),
    [
        (0.4, 10.0, Verdict.PASS, Cause.NONE),
        (1.4, 10.0, Verdict.FAIL, Cause.OVER_LIMIT),
        (0.4, 9.0, Verdict.FAIL, Cause.LEVEL_NOT_REACHED),
        (0.4, 11.0, Verdict.FAIL, Cause.OVERSTRESS),
    ],
)
def test_the_printed_kind_works(
    kind: str, volts: float, amperes: float, verdict: Verdict, cause: Cause
) -> None:
    document: dict[str, Any] = {
        "format": "loricate-sequence/2", "code": "D", "title": "D", "product": "DC-40",
        "steps": [{
            "id": "drop", "kind": kind, "settings": {"high": "PE", "low": "CHASSIS"},
            "limits": {"voltage": {"maximum": "1 V", "source": "drawing 4"}},
        }],
    }  # fmt: skip
    product = Product.model_validate(read_demo("products/dc-40.toml"))
    (step,) = prepare(document, {product.code: product}, {}).steps
    assert not step.hazard.is_hazardous and step.conditions.startswith("High terminal PE")
    assert kind in sequence_schema()["$defs"]["Step"]["properties"]["kind"]["enum"]
    procedure, outcome = step.procedure(), None
    try:
        action = next(procedure)
        while True:
            if isinstance(action, Energise):
                outcome = Output(
                    Ending.FINISHED, {"voltage": volts, "current": amperes}, at_level_s=1.0
                )
            action = procedure.send(outcome)
    except StopIteration as done:
        graded = grade_step(done.value, step.limits, DecisionRule())
    assert (graded.verdict, graded.cause) == (verdict, cause)
