"""Capture: what a good unit is made of is found, and nothing is made up."""

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from loricate.challenge.bench import OfflineBench
from loricate.challenge.cables import cable_stand_in
from loricate.core.capture.cables import NotCaptured, capture
from loricate.core.capture.drafting import (
    OPEN,
    Decision,
    draft,
    standing,
)
from loricate.core.capture.proposing import propose
from loricate.core.capture.seen import SeenCable
from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.measuring.grading import DecisionRule, Verdict
from loricate.core.products.product import Product
from loricate.core.wiring.resistors import Resistor, between_each, seen_ohms
from tests.conftest import read_demo
from tests.core.capture.made import accepted, captured, scanned
from tests.core.wiring.test_wiring_step import step_for

SLOW = settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow])


@st.composite
def cables(draw: st.DrawFn) -> Product:
    """Nets of two to four contacts, spares, and components in a row, a ring or by themselves."""
    wires = draw(st.integers(3, 9))
    names = [str(number) for number in range(1, wires + draw(st.integers(0, 3)) + 1)]
    third = draw(st.sets(st.integers(1, wires), max_size=2))
    nets = [
        {
            "name": f"W{number}",
            "contacts": [f"X1:{number}", f"X2:{number}"]
            + ([f"X3:{number}"] if number in third else []),
        }
        for number in range(1, wires + 1)
    ]
    ohms = st.sampled_from(["120 Ω", "560 Ω", "4.7 kΩ", "100 kΩ"])
    ring = draw(st.sampled_from([0, 1, 2, 3]))
    pairs = [("1", "2"), ("2", "3"), ("1", "3")][:ring]
    parts: list[dict[str, Any]] = [
        {"name": f"R{place}", "sort": "resistor", "between": [f"X1:{a}", f"X1:{b}"]}
        for place, (a, b) in enumerate(pairs)
    ]
    values = [draw(ohms) for _ in parts]
    if ring == 3:  # of a ring only one of its own kind is told apart from the way around it
        values = [values[0]] * 3
    for part, value in zip(parts, values, strict=True):
        part["value"] = value
    if wires >= 5 and draw(st.booleans()):
        sort, value = draw(st.sampled_from([("diode", "0.6 V"), ("capacitor", "22 nF")]))
        ends = draw(st.permutations(["X1:4", "X2:5"]))
        parts.append({"name": "P1", "sort": sort, "between": ends, "value": value})
    section: dict[str, Any] = {
        "length": "2 m",
        "connectors": [{"code": code, "rows": [names]} for code in ("X1", "X2", "X3")],
        "nets": nets,
        **({"parts": parts} if parts else {}),
    }
    document = {
        "format": "loricate-product/2", "code": "K-1", "title": "A cable", "family": "cable",
        "cable": section,
    }  # fmt: skip
    return read_document(Product, document, "product")


@SLOW
@given(product=cables())
def test_what_a_unit_is_made_of_is_found_and_the_unit_passes_by_it(product: Product) -> None:
    seen = captured(product)
    (wiring,) = seen.wirings
    whole = {each for each in product.wirings[0].sets if len(each) > 1}
    assert wiring.sets == whole and not wiring.remarks
    net_of = {contact: net for net in whole for contact in net}

    def ends(between: tuple[str, str], is_turnable: bool) -> Any:
        found = [net_of[each] for each in between]
        return frozenset(found) if is_turnable else tuple(found)

    wanted = {
        (part.sort, ends(part.between, part.sort != "diode")) for part in product.wirings[0].parts
    }
    assert {
        (part.sort, ends(part.between, part.sort != "diode")) for part in wiring.parts
    } == wanted
    proposed = propose([seen])
    made = read_document(Product, draft(proposed, accepted(proposed), "K-2", "As captured"), "p")
    bench = OfflineBench(cable_stand_in(product))
    bench.put_in((), "U-1")
    grade = bench.grade(step_for(made), DecisionRule())
    assert grade.verdict is Verdict.PASS, [fault.text for fault in grade.faults]


def test_every_fault_that_low_voltage_shows_is_a_difference_to_the_first_unit() -> None:
    """None is averaged away: whoever captures a bad second unit is told, of whatever is wrong."""
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    good = captured(product)
    faults = [
        name
        for name in cable_stand_in(product).fault
        if name.split(" ")[0] in ("open", "short", "swapped", "corroded", "missing", "wrong")
    ]
    kept: dict[str, str] = {}
    for name in ["open HORN", "short X1:D X1:E", "corroded LAMP_R", "missing R1", *faults[::18]]:
        proposed = propose([good, captured(product, "U-2", (name,))])
        assert proposed.differences, name
        differing = [each for each in proposed.items if each.differs]
        assert differing, name
        assert all(standing(each, Decision("accepted", {}, 1)) == OPEN for each in differing), (
            "what was accepted of one unit is open again"
        )
        kept[name] = proposed.differences[0]
    assert "N11 is open between X1:L and X2:11" in kept["open HORN"]
    assert "are joined" in kept["short X1:D X1:E"]
    assert "further apart than two good units" in kept["corroded LAMP_R"]
    corroded = propose([good, captured(product, "U-2", ("corroded LAMP_R",))])
    (lamp,) = [each for each in corroded.items if each.differs]
    worst = max(own[0].value for own in lamp.measured)
    assert lamp.maximum < worst, "a bad joint does not widen the limits"


def test_a_switch_is_captured_position_by_position() -> None:
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    proposed = propose([captured(product)])
    assert proposed.positions == ("SLOW", "FAST")
    own = {each.position: each.contacts for each in proposed.items if each.position}
    assert own == {"SLOW": ("X1:R", "X2:15"), "FAST": ("X1:R", "X2:16")}
    made = read_document(Product, draft(proposed, accepted(proposed), "CL-8", "Captured"), "p")
    assert {each.sets for each in made.wirings} == {each.sets for each in product.wirings}


def test_an_empty_fixture_is_not_a_cable() -> None:
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    bench = OfflineBench(cable_stand_in(product))
    with pytest.raises(NotCaptured, match="Nothing seems to be plugged in"):
        scanned(bench, capture(product.terminals, "", {}))


@pytest.mark.parametrize("change", ["open HORN", "short X1:D X1:E", "out", "FAST"])
def test_a_unit_that_changes_while_it_is_captured_is_refused(change: str) -> None:
    """At whichever scan it changes: what is kept is wholly of one of both, or nothing is."""
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    model = cable_stand_in(product)
    count = 0

    def counted(number: int) -> None:
        nonlocal count
        count = number

    bench = OfflineBench(model)
    bench.put_in((), "U-1")
    before = scanned(bench, capture(product.terminals, "", {}), counted)
    known = {before.sets}
    refused = 0
    for at in range(1, count + 1, max(1, count // 12)):
        bench = OfflineBench(model)
        bench.put_in((), "U-1")

        def meanwhile(number: int, at: int = at, bench: OfflineBench = bench) -> None:
            if number != at:
                return
            if change == "out":
                bench.take_out()
            elif change == "FAST":
                bench.turn(change)
            else:
                bench.put_in((change,), "U-1")

        try:
            found = scanned(bench, capture(product.terminals, "", {}), meanwhile)
        except NotCaptured:
            refused += 1
            continue
        bench = OfflineBench(model)
        bench.put_in((change,) if " " in change else (), "U-1")
        if change == "FAST":
            bench.turn(change)
        whole = (
            known
            if change == "out"
            else {*known, scanned(bench, capture(product.terminals, "", {})).sets}
        )
        assert found.sets in whole, f"changed at scan {at} of {count}"
    assert refused, "some moment is in between"


def test_nothing_becomes_a_product_before_everything_is_decided() -> None:
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    proposed = propose([captured(product)])
    decisions = accepted(proposed)
    first, second, *_ = proposed.items
    del decisions[first.key]
    with pytest.raises(DocumentError, match="N1 not decided yet"):
        draft(proposed, decisions, "CL-8", "t")
    decisions[first.key] = Decision("changed", {"name": "+48V", "maximum": "150 mΩ"}, 1)
    decisions[second.key] = Decision("refused", {}, 1)
    nets = draft(proposed, decisions, "CL-8", "t")["cable"]["nets"]
    assert nets[0]["name"] == "+48V" and nets[0]["maximum"] == "150 mΩ"
    assert second.name not in [each["name"] for each in nets]
    decisions[first.key] = Decision("changed", {"name": "a bad name", "maximum": "much"}, 1)
    with pytest.raises(DocumentError) as refused:
        draft(proposed, decisions, "CL-8", "t")
    assert {each.path for each in refused.value.findings} >= {
        "cable.nets[0].name", "cable.nets[0].maximum",
    }  # fmt: skip


def test_limits_are_proposed_from_both_and_hold_both() -> None:
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    one, two = captured(product, "U-1"), captured(product, "U-2")
    alone, both = propose([one]), propose([one, two])
    narrower = 0
    for first, second in zip(alone.items, both.items, strict=True):
        if first.sort != "net":
            continue
        for own in second.measured:
            assert all(second.minimum < each.value < second.maximum for each in own)
        narrower += second.maximum - second.minimum < first.maximum - first.minimum
    assert narrower > len(both.items) / 2, "more is known of two units than of one"
    assert not both.differences
    assert any("are they one unit" in each for each in propose([one, one]).remarks)
    assert not any("are they one unit" in each for each in both.remarks)


def test_what_was_seen_is_kept_as_it_was() -> None:
    product = read_document(Product, read_demo("products/cl-7.toml"), "product")
    seen = captured(product, zeroed=False)
    assert SeenCable.from_json(seen.as_json()) == seen
    assert "without a zero of the fixture" in " ".join(propose([seen]).remarks)


@given(st.lists(st.floats(10.0, 1e6), min_size=6, max_size=6))
def test_resistors_follow_from_what_is_measured_between_every_two_nodes(ohms: list[float]) -> None:
    """The converse of what is seen: four nodes, a resistor between every two of them."""
    ends = [(0, 1), (0, 2), (0, 3), (1, 2), (1, 3), (2, 3)]
    made = [
        Resistor(f"{a}{b}", str(a), str(b), value) for (a, b), value in zip(ends, ohms, strict=True)
    ]
    seen = seen_ohms(made)
    found = between_each(4, {(a, b): seen[f"{a}{b}"] for a, b in ends}, 1e-6, 0.02)
    for (a, b), value in zip(ends, ohms, strict=True):
        share = seen[f"{a}{b}"] / value  # of the current, what flows through it and not around
        if share > 0.021:
            assert found[a, b] == pytest.approx(value, rel=1e-3)
        elif share < 0.019:
            assert (a, b) not in found


@given(st.lists(st.floats(10.0, 1e6), min_size=1, max_size=5), st.randoms())
def test_noise_makes_no_resistor(ohms: list[float], chance: Any) -> None:
    """Resistors in a row, each read with what a meter scatters: no other one is made up."""
    nodes = len(ohms) + 1
    seen = {
        (a, b): sum(ohms[a:b]) * (1 + chance.uniform(-0.002, 0.002))
        for a in range(nodes)
        for b in range(a + 1, nodes)
    }
    found = between_each(nodes, seen, 0.01, 0.02)
    assert set(found) == {(place, place + 1) for place in range(nodes - 1)} or any(
        small < 0.01 * large for small in ohms for large in ohms
    )
    assert len(found) == nodes - 1, "a tree, whichever"
