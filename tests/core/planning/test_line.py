"""Line options: what a load says goes before its sequence, and nothing of them is a verdict."""

from typing import Any

import pytest
from pydantic import ValidationError

from loricate.core.measuring.grading import Verdict
from loricate.core.planning.line import NOTHING_SAID, LineOptions
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from tests.conftest import demo_limit_sets, read_demo


def test_what_a_load_says_goes_before_what_its_sequence_says() -> None:
    sequence = LineOptions.model_validate({"start_delay": "2 s", "sounds": "fails", "send": "off"})
    load = LineOptions.model_validate({"start_delay": "0 s", "stop_after_fails": 0})
    both = load.over(sequence)
    assert (both.delay_s, both.sounds, both.send) == (0.0, "fails", "off")
    assert both.fails_in_a_series == 0, "never is something that is said"
    assert NOTHING_SAID.over(sequence) == sequence
    assert (sequence.fails_in_a_series, sequence.fails_in_a_load) == (3, 0)


@pytest.mark.parametrize(
    ("send", "passed", "failed"),
    [(None, True, True), ("every", True, True), ("passes", True, False), ("off", False, False)],
)
def test_whose_documents_go_out(send: Any, passed: bool, failed: bool) -> None:
    line = LineOptions(send=send)
    assert (line.sends(Verdict.PASS), line.sends(Verdict.FAIL)) == (passed, failed)
    assert line.sends(Verdict.INCONCLUSIVE) is failed


@pytest.mark.parametrize(
    ("wrong", "told"),
    [
        ({"start_delay": 2}, "write a time, for example '2 s'"),
        ({"start_delay": "-1 s"}, "greater than or equal to 0"),
        ({"repeat_every": "2 days"}, "repeat_every"),
        ({"sounds": "loud"}, "'every', 'passes', 'fails' or 'off'"),
        ({"stop_after_fails": 1.5}, "stop_after_fails"),
        ({"beep": "on"}, "beep"),
    ],
)
def test_what_is_no_line_option_says_so(wrong: dict[str, Any], told: str) -> None:
    with pytest.raises(ValidationError) as refused:
        LineOptions.model_validate(wrong)
    assert told in str(refused.value)


def test_a_sequence_carries_them() -> None:
    document = {**read_demo("sequences/ref-cable.toml"), "line": {"repeat_every": "10 s"}}
    product = Product.model_validate(read_demo("products/ref-cable.toml"))
    ready = prepare(document, {product.code: product}, demo_limit_sets())
    assert ready.line.again_s == 10.0
