"""Wiring: whatever hangs together otherwise than described is found, and named once."""

from typing import Any

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from loricate.core.kinds.wiring import WiringStep
from loricate.core.measuring.grading import Cause, DecisionRule, StepGrade, Verdict
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadyStep
from loricate.core.wiring.description import bound, splits_needed
from tests.core.wiring.made import Meter, cable


def step_for(product: Product, kind: str = "wiring", **settings: Any) -> ReadyStep:
    """A step for a product, a wiring step as it is by default."""
    own = {} if kind == "wiring" else settings
    document = {
        "format": "loricate-sequence/2", "code": "S", "title": "t", "product": product.code,
        "steps": [{"id": "wiring", "kind": kind, "settings": own}],
    }  # fmt: skip
    return prepare(document, {product.code: product}, {}).steps[0]


def made_of(product: Product, joints: list[tuple[str, str]]) -> tuple[StepGrade, Meter]:
    """What a wiring step makes of a cable in which these contacts are joined."""
    meter = Meter(product.terminals, joints)
    step = step_for(product)
    return step.graded(meter.drive(step.procedure()), DecisionRule()), meter


def as_described(product: Product) -> list[tuple[str, str]]:
    return [
        (net.contacts[0], other) for net in product.wirings[0].nets for other in net.contacts[1:]
    ]


@given(nets=st.integers(2, 40), spare=st.integers(0, 5))
def test_a_good_cable_takes_one_measurement_a_net_and_the_bits_of_their_number(
    nets: int, spare: int
) -> None:
    product = cable(nets, spare)
    grade, meter = made_of(product, as_described(product))
    assert grade.verdict is Verdict.PASS and not grade.faults
    groups = nets + 2 * spare
    assert meter.measured == nets + splits_needed(groups) == bound(product.wirings[0])


@st.composite
def miswired(draw: st.DrawFn) -> tuple[Product, list[tuple[str, str]]]:
    """A cable, and joints that came of wires moved, cut and bridged at random."""
    product = cable(draw(st.integers(2, 12)), draw(st.integers(0, 3)))
    contacts = list(product.terminals)
    joints = as_described(product)
    for _ in range(draw(st.integers(1, 5))):
        what = draw(st.sampled_from(["move", "cut", "bridge", "exchange"]))
        if what == "cut" and joints:
            joints.pop(draw(st.integers(0, len(joints) - 1)))
        elif what == "move" and joints:
            place = draw(st.integers(0, len(joints) - 1))
            joints[place] = (joints[place][0], draw(st.sampled_from(contacts)))
        elif what == "bridge":
            joints.append((draw(st.sampled_from(contacts)), draw(st.sampled_from(contacts))))
        else:
            a, b = draw(st.sampled_from(contacts)), draw(st.sampled_from(contacts))
            places = {a: b, b: a}
            joints = [(places.get(x, x), places.get(y, y)) for x, y in joints]
    return product, joints


@given(miswired())
def test_no_cable_passes_that_hangs_together_otherwise(
    made: tuple[Product, list[tuple[str, str]]],
) -> None:
    """Whatever is wrong with it, it fails, and something is named; and none fails that is right."""
    product, joints = made
    meter = Meter(product.terminals, joints)
    really = frozenset(frozenset(each) for each in meter.hangs.sets)
    grade, _ = made_of(product, joints)
    is_right = really == product.wirings[0].sets
    assert (grade.verdict is Verdict.PASS) == is_right
    assert bool(grade.faults) == (not is_right)
    assert all(fault.sentence for fault in grade.faults)


@given(nets=st.integers(3, 20), pair=st.tuples(st.integers(0, 19), st.integers(0, 19)))
def test_two_contacts_exchanged_are_one_fault(nets: int, pair: tuple[int, int]) -> None:
    a, b = (each % nets + 1 for each in pair)
    assume(a != b)
    product = cable(nets)
    places = {f"X2:{a}": f"X2:{b}", f"X2:{b}": f"X2:{a}"}
    grade, _ = made_of(product, [(x, places.get(y, y)) for x, y in as_described(product)])
    (fault,) = grade.faults
    assert fault.cause is Cause.SWAPPED is grade.cause
    assert {f"W{a}", f"W{b}"} <= set(fault.sentence.replace(":", " ").split())
    assert f"X2:{min(a, b)} and X2:{max(a, b)}" in fault.sentence, "at the end where it is, too"


@given(nets=st.integers(2, 20), at=st.integers(0, 19), other=st.integers(0, 19))
def test_a_bridge_is_one_fault_with_both_nets(nets: int, at: int, other: int) -> None:
    a, b = at % nets + 1, other % nets + 1
    assume(a != b)
    product = cable(nets)
    grade, _ = made_of(product, [*as_described(product), (f"X1:{a}", f"X1:{b}")])
    (fault,) = grade.faults
    assert fault.cause is Cause.SHORT
    assert {f"W{a}", f"W{b}"} <= set(fault.sentence.split())
    assert "200.0 mΩ" in fault.sentence, "the resistance tells a bridge from damp"


@given(nets=st.integers(3, 20), cut=st.sets(st.integers(0, 19), min_size=1, max_size=2))
def test_each_broken_wire_is_one_fault(nets: int, cut: set[int]) -> None:
    broken = {each % nets for each in cut}
    product = cable(nets)
    joints = [each for place, each in enumerate(as_described(product)) if place not in broken]
    grade, _ = made_of(product, joints)
    assert [fault.cause for fault in grade.faults] == [Cause.OPEN] * len(broken)
    assert {fault.point for fault in grade.faults} == {f"W{each + 1}" for each in broken}


def test_an_empty_fixture_says_so_once() -> None:
    grade, _ = made_of(cable(8, 2), [])
    (fault,) = grade.faults
    assert grade.verdict is Verdict.FAIL and grade.cause is Cause.NO_CONTACT
    assert fault.sentence.startswith("Nothing seems to be plugged in")


def test_a_connector_that_is_not_plugged_in_is_named() -> None:
    """Of three connectors: what comes through the others says which it is."""
    names = ["1", "2"]
    product = cable(2).model_dump(mode="json", exclude_none=True, exclude={"terminals"})
    product["cable"]["connectors"].append({"code": "X3", "rows": [["7", "8"]]})
    product["cable"]["nets"] += [
        {"name": f"B{name}", "contacts": [f"X1:{name}b", f"X3:{end}"]}
        for name, end in zip(names, ("7", "8"), strict=True)
    ]
    product["cable"]["connectors"][0]["rows"].append(["1b", "2b"])
    whole = Product.model_validate(product)
    grade, _ = made_of(whole, as_described(whole)[:2])
    (fault,) = grade.faults
    assert fault.cause is Cause.NO_CONTACT and "Connector X3" in fault.sentence


def test_a_net_of_more_contacts_is_measured_to_each() -> None:
    net = {"name": "EARTH", "contacts": ["X1:4", "X2:4", "X2:5"]}
    product = cable(3, 2, nets=[net, {"name": "W1", "contacts": ["X1:1", "X2:1"]}])
    grade, _ = made_of(product, as_described(product))
    assert grade.verdict is Verdict.PASS
    points = {graded.reading.point for graded in grade.readings}
    assert {"EARTH X1:4 to X2:4", "EARTH X1:4 to X2:5", "W1"} <= points
    grade, _ = made_of(product, [("X1:4", "X2:4"), ("X1:1", "X2:1")])
    (fault,) = grade.faults
    assert fault.cause is Cause.OPEN and "X2:5 is cut off from EARTH" in fault.sentence


def test_readings_that_never_came_decide_nothing() -> None:
    """A meter that gave none: no net has passed."""
    product = cable(4)
    step = step_for(product)
    grade = step.graded(Meter(product.terminals, []).drive(step.procedure()), DecisionRule())
    assert grade.verdict is not Verdict.PASS
    lacking = {each for each in step.limits if each.quantity in ("resistance", "isolation")}
    assert len(lacking) == len(product.wirings[0].nets) + 1, "each is limited"


@pytest.mark.parametrize("settings", [{"joined_below": "0 Ω"}, {"slot": "0 s"}, {"apart": "1 MΩ"}])
def test_settings_that_cannot_be_are_refused(settings: dict[str, str]) -> None:
    with pytest.raises(ValueError):
        WiringStep.model_validate(settings)


def other(product: Product, code: str, pairs: list[tuple[str, str]]) -> Product:
    """A cable with the connectors of another one, and nets between these contacts."""
    section = product.model_dump(mode="json", exclude_none=True)["cable"]
    nets = [{"name": f"M{number}", "contacts": pair} for number, pair in enumerate(pairs)]
    document = {
        "format": "loricate-product/2", "code": code, "title": "Another", "family": "cable",
        "cable": {"connectors": section["connectors"], "nets": nets},
    }  # fmt: skip
    return Product.model_validate(document)


def note_of(product: Product, joints: list[tuple[str, str]], *others: Product) -> str:
    meter = Meter(product.terminals, joints)
    return meter.drive(step_for(product).procedure(), others).note


def test_the_wrong_cable_says_which_one_fits_better() -> None:
    own = cable(8, spare=1)
    turned = [(f"X1:{number}", f"X2:{9 - number}") for number in range(1, 9)]
    shifted = [(f"X1:{number}", f"X2:{number + 1}") for number in range(1, 9)]
    others = [other(own, "K-TURNED", turned), other(own, "K-SHIFTED", shifted)]
    assert note_of(own, turned, *others).startswith("It is wired like K-TURNED (100% of the nets)")
    assert "K-SHIFTED (88% of the nets)" in note_of(own, shifted[1:], *others), "one wire is open"
    assert note_of(own, as_described(own), *others) == "", "nothing is wrong with it"
    assert note_of(own, as_described(own)[2:], *others) == "", "it is its own cable all the same"
    assert note_of(own, [], *others) == "", "an empty fixture is no other cable"
    assert note_of(own, turned) == "", "nothing else is known"
