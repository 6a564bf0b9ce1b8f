"""Products: a section a family, and documents from before there were any."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.documents import read_document
from loricate.core.errors import DocumentError
from loricate.core.products.families import FAMILIES
from loricate.core.products.product import Product

FORMER: dict[str, Any] = {
    "format": "loricate-product/1", "code": "P-1", "title": "A product", "terminals": ["A", "B"],
}  # fmt: skip
PART = {"id": "pad", "type": "BF", "terminals": ["A"]}
formerly = st.fixed_dictionaries(
    {"family": st.sampled_from(sorted(FAMILIES))},
    optional={
        "cord_length": st.sampled_from(["1 m", "7.5 m"]),
        "short_circuit_impedance": st.sampled_from(["4 %", "0.5 %"]),
        "applied_parts": st.sampled_from([[PART], [PART, {**PART, "id": "ecg", "type": "CF"}]]),
    },
)


@given(formerly)
def test_a_former_document_says_what_it_said(own: dict[str, Any]) -> None:
    """Of whatever family: its facts and its applied parts are those that were written."""
    known = read_document(Product, {**FORMER, **own}, "product")
    told = dict(known.facts.numbers)
    for name, unit in (("cord_length", 1.0), ("short_circuit_impedance", 0.01)):
        written = own.get(name)
        wanted = None if written is None else float(written.split()[0]) * unit
        assert told.pop(name, None) == (None if wanted is None else pytest.approx(wanted))
    assert not told
    parts = own.get("applied_parts", [])
    assert [each.id for each in known.applied_parts] == [each["id"] for each in parts]
    assert known.facts.word("applied_part") == tuple(sorted({each["type"] for each in parts}))


@given(formerly)
def test_what_is_in_todays_form_stays_as_it_is(own: dict[str, Any]) -> None:
    document = {**FORMER, **own}
    today = Product.in_current_form(document)
    assert today["format"] == "loricate-product/2" and Product.in_current_form(today) == today
    assert read_document(Product, today, "") == read_document(Product, document, "")


@pytest.mark.parametrize("family", sorted(FAMILIES))
def test_every_family_expects_something(family: str) -> None:
    assert FAMILIES[family].expected
    assert FAMILIES[family]() is not None, "a file may leave its section out"


@pytest.mark.parametrize(
    ("own", "says"),
    [
        ({"applied_parts": [PART]}, "applied_parts: is not a known key"),
        ({"medical": {"applied_part": [PART]}}, "medical.applied_part: is not a known key"),
        (
            {"medical": {"applied_parts": [{**PART, "terminals": ["X"]}]}},
            r"medical.applied_parts\[0\].terminals: names terminal X",
        ),
        ({"clips": ["X"]}, "clips: names terminal X"),
        ({"cable": {"length": "3"}}, "cable.length: .*no unit"),
        ({"winding": {"short_circuit_impedance": "120 %"}}, "winding.short_circuit_impedance"),
    ],
)
def test_what_stands_in_no_section_is_refused(own: dict[str, Any], says: str) -> None:
    document = {**FORMER, "format": "loricate-product/2", "family": "medical", **own}
    with pytest.raises(DocumentError, match=says):
        read_document(Product, document, "product")
