"""Cables described: what is wrong is refused all at once, where it is; from-to lists in and out."""

import copy
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.products.from_to import from_to_text, with_from_to
from loricate.core.products.product import Product
from loricate.core.wiring.copper import copper_ohms
from loricate.core.wiring.description import PartSort, bound
from tests.conftest import read_demo
from tests.core.wiring.made import cable


def lead() -> dict[str, Any]:
    """The demo's control lead."""
    return read_demo("products/cl-7.toml")


def test_the_control_lead_is_what_its_drawing_says() -> None:
    product = read_document(Product, lead(), "product")
    slow, fast = product.wirings
    assert (slow.position, fast.position) == ("SLOW", "FAST")
    assert len(slow.nets) == len(fast.nets) == 16 and len(product.terminals) == 38
    assert slow.net_of["X1:R"].contacts == ("X1:R", "X2:15")
    assert fast.net_of["X1:R"].contacts == ("X1:R", "X2:16")
    assert "X2:16" in slow.spares and "X2:15" in fast.spares
    up = slow.net_of["X1:C"]
    assert up.expected == pytest.approx(0.20688, rel=1e-6)  # 6 m of 0.5 mm²
    assert up.maximum == pytest.approx(0.20688 * 1.25 + 0.02, rel=1e-6)
    assert up.minimum == pytest.approx(0.20688 * 0.75, rel=1e-5), "a thicker wire is another one"
    (part,) = slow.parts
    assert (part.minimum, part.maximum) == (532.0, 588.0)
    # A contact that nothing is wired to counts as a net of its own: 16 + ceil(log2 21) + 1.
    assert bound(slow) == 22


@pytest.mark.parametrize(
    ("length", "area", "celsius", "ohms"),
    [(12, 0.5e-6, 20, 0.4138), (12, 0.5e-6, 25, 0.4219), (1, 1e-6, 20, 0.01724)],
)
def test_copper_has_the_resistance_of_its_length(
    length: float, area: float, celsius: float, ohms: float
) -> None:
    assert copper_ohms(length, area, celsius) == pytest.approx(ohms, abs=5e-5)
    with pytest.raises(ValueError, match="above zero"):
        copper_ohms(0, area)


FAULTS: list[tuple[Any, list[str]]] = [
    (lambda c: c["nets"][0].update(contacts=["X1:A"]),
     ["cable.nets[0].contacts: net +48V has one contact"]),
    (lambda c: c["nets"][1].update(contacts=["X1:A", "X2:2"]),
     ["cable.nets[1].contacts[0]: X1:A is in +48V already"]),
    (lambda c: c["nets"][1].update(contacts=["X1:B", "X9:2"]),
     ["cable.nets[1].contacts[1]: 0V names connector X9, and there are X1, X2"]),
    (lambda c: c["nets"][1].update(contacts=["X1:B", "X2:77"]), ["X2:77, which X2 does not have"]),
    (lambda c: c["nets"][1].update(name="UP"), ["nets[2].name: UP is the name of nets[1] already"]),
    (lambda c: c["connectors"][0]["rows"][0].append("A"), ["has X1:A twice"]),
    (lambda c: c["connectors"][1].update(code="X1"), ["X1 is there twice"]),
    (lambda c: c["positions"][1]["nets"][0].update(contacts=["X1:C", "X2:16"]),
     ["positions[1].nets[0].contacts[0]: X1:C is in UP already"]),
    (lambda c: c["parts"][0].update(between=["X1:C", "X2:3"]), ["R1 has both ends in UP"]),
    (lambda c: c["parts"][0].update(value="560 F"), ["is a capacitance, not a resistance"]),
    (lambda c: c["parts"].append({"name": "D1", "sort": "diode", "value": "0.6 V",
                                  "between": ["X2:13", "X2:14"]}),
     ["other components lead from TEMP to CODE beside D1"]),
    (lambda c: c.update(pairs=[["UP", "UPP"]]), ["there is no net UPP"]),
    (lambda c: c["positions"].pop(), ["positions: has one position"]),
]  # fmt: skip


@pytest.mark.parametrize(("change", "says"), FAULTS)
def test_what_cannot_be_is_refused_where_it_is(change: Any, says: list[str]) -> None:
    document = lead()
    change(document["cable"])
    with pytest.raises(DocumentError) as refused:
        read_document(Product, document, "product")
    for each in says:
        assert each in str(refused.value)


def test_everything_that_is_wrong_is_said_at_once() -> None:
    document = lead()
    for change, _ in FAULTS[:4]:
        change(document["cable"])
    with pytest.raises(DocumentError) as refused:
        read_document(Product, document, "product")
    assert len(refused.value.findings) >= 2


def test_contacts_are_not_written_twice() -> None:
    document = lead()
    assert read_document(Product, {**document, "terminals": []}, "product").terminals[0] == "X1:A"
    with pytest.raises(DocumentError, match="leave them out; the connectors say them"):
        read_document(Product, {**document, "terminals": ["X1:A", "L"]}, "product")
    with pytest.raises(DocumentError, match="terminals: are missing"):
        read_document(Product, {**document, "cable": {"length": "6 m"}}, "product")


@given(ohms=st.lists(st.floats(1, 1e6), min_size=2, max_size=5))
def test_resistors_side_by_side_are_seen_as_one(ohms: list[float]) -> None:
    """Between the same two nets, at whatever contacts."""
    parts = [
        {"name": f"R{place}", "sort": "resistor", "value": f"{value:.6f} Ω",
         "between": [f"X{1 + place % 2}:1", f"X{1 + place % 2}:2"]}
        for place, value in enumerate(ohms)
    ]  # fmt: skip
    (wiring,) = cable(2, parts=parts).wirings
    expected = 1 / sum(1 / round(value, 6) for value in ohms)
    assert all(part.nominal == pytest.approx(expected, rel=1e-4) for part in wiring.parts)
    assert all(part.sort is PartSort.RESISTOR for part in wiring.parts)


def test_a_from_to_list_says_all_of_a_cable_but_its_connectors() -> None:
    document, product = lead(), read_document(Product, lead(), "product")
    text = from_to_text(product)
    assert text.splitlines()[1] == "wire,+48V,X1:A,X2:1,red,1 mm²,,,,,,,"
    bare = copy.deepcopy(document)
    for name in ("nets", "shields", "parts"):
        del bare["cable"][name]
    again = read_document(Product, with_from_to(bare, text), "product")
    assert again == product, "titles of positions are kept"
    semicolons = text.replace(",", ";")
    assert read_document(Product, with_from_to(bare, semicolons), "product") == product


def test_each_mistake_of_a_list_has_its_line_and_column() -> None:
    text = from_to_text(read_document(Product, lead(), "product"))
    for old, new in [
        ("X2:3,", "X2:4,"), ("X1:G", "X7:G"), ("wire,STOP_1", "wier,STOP_1"),
        (",grey,0.25 mm²", ",grey,0.25 mm"), ("560 Ω", "560 F"), ("X1:K,", ","),
    ]:  # fmt: skip
        assert old in text
        text = text.replace(old, new)
    with pytest.raises(DocumentError) as refused:
        with_from_to(lead(), text)
    told = {each.path: each.message for each in refused.value.findings}
    assert "'wier' is none" in told["line 6, column 1 (sort)"]
    assert "is empty" in told["line 11, column 3 (from)"]
    assert "is a length, not an area" in told["line 8, column 6 (cross_section)"]
    assert "is a capacitance" in told["line 19, column 11 (value)"]
    assert "X2:4 is in UP already" in told["line 5, column 4 (to)"]
    assert "names connector X7" in told["line 8, column 3 (from)"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "line 1: has no line below its header"),
        ("name,from\nUP,X1:C", "line 1: lacks the column to"),
        ("name,from,to,wire\n", "line 1: has a column 'wire'"),
        ("name,from,to,to\n", "line 1: has to twice"),
        ("name,from,to\nUP,X1:C,X2:3,X2:4", "line 2: has 4 cells"),
        ("name,from,to\nUP,X1:C,X2:3\nUP,X1:C,X2:3", "line 3, column 3 (to): UP has X2:3 already"),
    ],
)
def test_a_list_that_is_none_says_why(text: str, says: str) -> None:
    with pytest.raises(DocumentError) as refused:
        with_from_to(lead(), text)
    assert says in str(refused.value)


@given(text=st.text(st.sampled_from('ab,;\n"X1:2\t=ü\x00'), max_size=60))
def test_whatever_a_list_has_in_it_is_read_or_refused(text: str) -> None:
    try:
        with_from_to(lead(), "name,from,to\n" + text)
    except DocumentError as refused:
        assert refused.findings
