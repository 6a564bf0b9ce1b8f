"""The drawing of a failed cable: every fault where it is, whatever the names are made of."""

import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loricate.papers.certificate import draw_certificate
from loricate.papers.look import Look
from loricate.papers.samples import sample_certificate
from loricate.papers.standing import COUNTS
from loricate.papers.wiring_drawing import MOST_HEIGHT, draw_wiring, is_cut, wiring_words
from loricate.papers.wording import ENGLISH
from tests.papers.reading import text_of

SVG = "{http://www.w3.org/2000/svg}"


def wiring(wires: int, **more: Any) -> dict[str, Any]:
    names = [str(number) for number in range(1, wires + 1)]
    return {
        "position": "",
        "connectors": [
            {"code": "X1", "title": "Left", "side": "left", "rows": [names]},
            {"code": "X2", "title": "", "side": "right", "rows": [names]},
        ],
        "nets": [
            {"name": f"W{name}", "contacts": [f"X1:{name}", f"X2:{name}"], "is_shield": False}
            for name in names
        ],
        "parts": [],
        **more,
    }


def fault(cause: str, *contacts: str, text: str = "It is wrong.") -> dict[str, Any]:
    return {"cause": cause, "point": "", "text": text, "contacts": list(contacts)}


def drawn(of: dict[str, Any], *faults: dict[str, Any]) -> ElementTree.Element:
    return ElementTree.fromstring(draw_wiring(of, faults))


def texts(svg: ElementTree.Element) -> list[str]:
    return [each.text or "" for each in svg.iter(f"{SVG}text")]


def paths(svg: ElementTree.Element, colour: str = "") -> list[str]:
    return [each.attrib["d"] for each in svg.iter(f"{SVG}path") if colour in each.attrib["stroke"]]


WRONG = "#a32b1c"


def test_a_good_cable_has_a_line_a_wire_and_nothing_wrong() -> None:
    svg = drawn(wiring(4))
    assert len(paths(svg)) == 4 and paths(svg, WRONG) == []
    assert texts(svg).count("3") == 2 and "X1 Left" in texts(svg)


@pytest.mark.parametrize(
    ("found", "marks", "word"),
    [
        (fault("open", "X1:2", "X2:2"), 2, "open"),
        (fault("short", "X1:2", "X1:3"), 3, "short"),
        (fault("breakdown", "X1:2", "X1:3"), 3, "breakdown"),
        (fault("swapped", "X2:2", "X2:3"), 2, ""),
        (fault("high_resistance", "X1:2", "X2:2"), 1, ""),
    ],
)
def test_each_fault_is_drawn_where_it_is(found: dict[str, Any], marks: int, word: str) -> None:
    svg = drawn(wiring(4), found)
    assert len(paths(svg, WRONG)) == marks
    assert not word or word in texts(svg)


def test_crossed_wires_end_where_they_really_do() -> None:
    svg = drawn(wiring(3), fault("swapped", "X2:1", "X2:3"))
    ends = sorted(
        tuple(re.findall(r"[-0-9.]+", path)[i] for i in (1, -1)) for path in paths(svg, WRONG)
    )
    (from_1, to_3), (from_3, to_1) = ends
    assert from_1 == to_1 and from_3 == to_3 and from_1 != from_3


def test_a_connector_that_is_not_plugged_in_is_dashed() -> None:
    svg = drawn(wiring(3), fault("no_contact", "X2:1", "X2:2", "X2:3"))
    dashed = [each for each in svg.iter(f"{SVG}rect") if "stroke-dasharray" in each.attrib]
    assert len(dashed) == 1


def test_of_a_harness_only_what_is_wrong_is_drawn() -> None:
    large = wiring(128)
    assert is_cut(large) and not is_cut(wiring(50))
    svg = drawn(large, fault("open", "X1:77", "X2:77"), fault("short", "X1:5", "X1:6"))
    assert {"77", "5", "6"} <= set(texts(svg)) and "78" not in texts(svg)
    assert float(svg.attrib["height"]) < 200
    everything = [f"X2:{number}" for number in range(1, 129)]
    svg = drawn(large, fault("no_contact", *everything))
    assert float(svg.attrib["height"]) <= MOST_HEIGHT + 10, "nothing runs off the page"


def test_the_paper_shows_it_and_says_it_to_who_cannot_see_it(tmp_path: Path) -> None:
    document = sample_certificate("nonconformance")
    pdf = draw_certificate(document, COUNTS, Look())
    shown = text_of(pdf, tmp_path)
    assert "Wiring" in shown and "In position A." in shown
    without = draw_certificate({**document, "wiring": None}, COUNTS, Look())
    assert "Wiring" not in text_of(without, tmp_path)
    words = wiring_words(document["wiring"], [fault("open", text="N is open.")], ENGLISH)
    assert words == "Wiring, position A, 1 nets. N is open."


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.text(max_size=24), min_size=6, max_size=6),
    st.sampled_from(["open", "short", "swapped", "no_contact", "missing", "other"]),
)
def test_whatever_names_are_made_of_it_is_a_drawing(names: list[str], cause: str) -> None:
    code, title, first, second, part, value = names
    of = {
        "position": title,
        "connectors": [{"code": code, "title": title, "side": "left", "rows": [[first, second]]}],
        "nets": [
            {"name": part, "contacts": [f"{code}:{first}", f"{code}:{second}"], "is_shield": True}
        ],
        "parts": [
            {"name": part, "between": [f"{code}:{first}", f"{code}:{second}"], "value": value}
        ],
    }
    found = fault(cause, f"{code}:{first}", f"{code}:{second}", text=value)
    assert drawn(of, found).tag == f"{SVG}svg"
