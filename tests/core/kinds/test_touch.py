"""Touching contacts: the right one counts, a wrong one is refused, and nothing counts untouched."""

from typing import Any

import pytest

from loricate.challenge import challenge, stand_in_for
from loricate.challenge.bench import NEST, OfflineBench, _OfflineDriver
from loricate.core.errors import DocumentError
from loricate.core.measuring.actions import Hold, Tell
from loricate.core.measuring.driving import at_once
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.measuring.holding import Holding
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from tests.conftest import read_demo


def product() -> Product:
    return Product.model_validate(read_demo("products/cl-7.toml"))


def sequence(**settings: Any) -> ReadySequence:
    """One step that leads through the contacts of the winch's plug."""
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "CL-7",
        "steps": [{"id": "touch", "kind": "touch", "settings": {"plugged": ["X1"], **settings}}],
    }  # fmt: skip
    return prepare(document, {"CL-7": product()}, {})


class Probe(_OfflineDriver):
    """Touches what it is told in turn, whatever is asked for; then it gives up."""

    def __init__(self, bench: OfflineBench, ready: ReadySequence, touches: list[str]) -> None:
        super().__init__(bench, ready.steps[0])
        self.touches, self.told = list(touches), list[Tell]()

    async def hold(self, action: Hold, holding: Holding) -> Any:
        question = holding.question
        if question is None:
            self.bench.floor.touched = None
        elif question.touch:
            touch = self.touches.pop(0) if self.touches else ""
            self.bench.floor.touched = (NEST, touch) if touch else None
        return self.bench.hold(action.role, holding)

    def tell(self, action: Tell) -> None:
        self.told.append(action)


def touched(touches: list[str], *faults: str, **settings: Any) -> tuple[StepGrade, list[Tell]]:
    ready = sequence(**settings)
    bench = OfflineBench(stand_in_for(product()))
    bench.put_in(("unplugged X2", *faults), "U-1")
    probe = Probe(bench, ready, touches)
    measured = at_once(probe.measure(ready.steps[0].procedure()))
    return ready.steps[0].graded(measured, DecisionRule()), probe.told


THREE = ["X2:1", "X2:2", "X2:3"]


def test_all_touched_in_their_order_pass() -> None:
    grade, told = touched(THREE, contacts=THREE)
    assert grade.verdict is Verdict.PASS
    assert [each.reading.point for each in grade.readings] == THREE
    assert all(0 < each.reading.value < 1 for each in grade.readings)
    assert not [each for each in told if each.is_refusal]


def test_a_wrong_contact_is_refused_by_its_name_and_counts_for_nothing() -> None:
    grade, told = touched(["X2:1", "X2:3", "X2:2", "X2:3"], contacts=THREE)
    assert grade.verdict is Verdict.PASS
    (refused,) = [each for each in told if each.is_refusal]
    assert refused.text == "X2:3, net UP is touched. Touch X2:2."
    grade, _ = touched(["X2:3", "X2:2", "X2:1"], contacts=THREE, order="any")
    assert grade.verdict is Verdict.PASS
    assert [each.reading.point for each in grade.readings] == ["X2:3", "X2:2", "X2:1"]


def test_what_nobody_touched_fails_with_what_was_touched_instead() -> None:
    grade, _ = touched(["X2:1", "X2:3"], contacts=THREE)
    assert grade.verdict is Verdict.FAIL and grade.cause is Cause.NOT_SEEN
    by_point = {fault.point: fault.text for fault in grade.faults}
    assert set(by_point) == {"X2:2", "X2:3"}
    assert "Where it was asked for, X2:3, net UP was touched." in by_point["X2:2"]


@pytest.mark.parametrize("fault", ["open UP", "swapped X2:2 X2:3", "swapped X1:B X1:C"])
def test_a_lead_that_is_wired_otherwise_does_not_pass_by_touching(fault: str) -> None:
    grade, _ = touched(THREE, fault, contacts=THREE)
    assert grade.verdict is Verdict.FAIL


def test_one_contact_held_all_the_time_is_one_contact() -> None:
    """Touching the first for ever, or touching nothing, passes nothing more."""
    grade, _ = touched(["X2:1"] * 30, contacts=THREE)
    assert grade.verdict is Verdict.FAIL
    assert {fault.point for fault in grade.faults} == {"X2:2", "X2:3"}
    grade, _ = touched([], contacts=THREE)
    assert grade.verdict is Verdict.FAIL and len(grade.faults) == 3
    grade, _ = touched(["X2:17"] * 5, contacts=THREE)
    assert len(grade.faults) == 3, "a contact that nothing is wired to is none of them"


def test_every_wired_contact_of_a_free_plug_is_asked_for_by_default() -> None:
    assert len(sequence().steps[0].points) == 16, "as they are wired in its first position"
    found = challenge(sequence(contacts=["X2:1", "X2:11"]), stand_in_for(product()), repetitions=3)
    assert found.false_alarms == {"touch": 0}
    rows = {row.faults: row.verdicts["touch"].verdict for row in found.rows}
    assert rows["open HORN",] is Verdict.FAIL and rows["empty_nest",] is Verdict.FAIL


def test_what_no_probe_can_tell_is_refused_before() -> None:
    with pytest.raises(DocumentError, match="no connector 'X9'"):
        sequence(plugged=["X9"])
    with pytest.raises(DocumentError, match="no wire leads from X2:18 to what is plugged in"):
        sequence(contacts=["X2:18"])
    with pytest.raises(DocumentError, match="no wire leads from X1:A"):
        sequence(contacts=["X1:A"])
    with pytest.raises(DocumentError, match="one point twice"):
        sequence(contacts=["X2:1", "X2:1"])
    own = product().model_dump(mode="json", exclude_none=True)
    own["cable"]["nets"][0]["contacts"].append("X2:17")
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": "CL-7",
        "steps": [{"id": "touch", "kind": "touch", "settings": {"plugged": ["X1"]}}],
    }  # fmt: skip
    own.pop("terminals")
    with pytest.raises(DocumentError, match="X2:1 and X2:17 are of one net"):
        prepare(document, {"CL-7": Product.model_validate(own)}, {})
