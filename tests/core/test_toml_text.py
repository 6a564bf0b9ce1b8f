"""Documents as TOML text: written, read again, changed in place."""

import tomllib
from pathlib import Path
from typing import Any

import pytest
from pydantic import BaseModel

from loricate.core.errors import DocumentError
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.steps import Sequence
from loricate.core.toml_text import change_toml, read_sequence_text, written
from tests.rig import DEMO

FINAL = (DEMO / "sequences" / "dc40-final.toml").read_text(encoding="utf-8")


@pytest.mark.parametrize("path", sorted((DEMO / "sequences").glob("*.toml")), ids=lambda p: p.stem)
def test_a_document_goes_to_text_and_back_without_loss(path: Any) -> None:
    document = read_sequence_text(path.read_text(encoding="utf-8"))
    text = written(dict(sorted(document.items())), Sequence)
    assert read_sequence_text(text) == document
    assert text.index("code =") < text.index("title =") < text.index("[[steps]]")


def shuffled(value: Any) -> Any:
    """The same with its keys the other way about, as records may keep them."""
    if isinstance(value, dict):
        return {key: shuffled(value[key]) for key in sorted(value, reverse=True)}
    return [shuffled(each) for each in value] if isinstance(value, list) else value


MODELS: dict[str, type[BaseModel]] = {
    "sequences": Sequence, "products": Product, "limit-sets": LimitSet,
}  # fmt: skip
FILES = [path for folder in MODELS for path in sorted((DEMO / folder).glob("*.toml"))]
WARMER = """\
format = "loricate-product/2"
code = "W-1"
title = "Warmer"
family = "medical"
terminals = ["A", "B"]

[[medical.applied_parts]]
id = "probe"
type = "CF"
terminals = ["A"]

[[medical.applied_parts]]
id = "pad"
type = "BF"
defibrillation_proof = true
terminals = ["B"]
"""


@pytest.mark.parametrize("path", FILES, ids=lambda path: path.stem)
def test_a_file_is_written_whole_however_it_was_kept(path: Path) -> None:
    document = tomllib.loads(path.read_text(encoding="utf-8"))
    text = written(shuffled(document), MODELS[path.parent.name])
    assert tomllib.loads(text) == document and text.startswith("format =")


def test_a_file_is_written_in_the_order_that_people_write() -> None:
    """Down to the parts of a part: what it is called comes first."""
    assert written(shuffled(tomllib.loads(WARMER)), Product) == WARMER


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("code = ", "file: is not TOML: Invalid value"),
        ('title = "x"', "code: is missing; a sequence file has a code. product: is missing"),
        ('code = "A"\nproduct = "B"', r"steps: are missing; write each as a \[\[steps\]\] table"),
        ('code = "A"\nproduct = "B"\n[[steps]]\nid = "a"', r"steps\[0\]\.kind: is missing"),
    ],
)
def test_what_cannot_be_opened_says_why(text: str, says: str) -> None:
    with pytest.raises(DocumentError, match=says):
        read_sequence_text(text)


def test_a_file_with_mistakes_in_its_steps_opens_all_the_same() -> None:
    document = read_sequence_text(FINAL.replace('"500 V"', '"much"'))
    assert document["steps"][2]["settings"]["level"] == "much"


def test_a_way_goes_by_id_by_key_and_by_place() -> None:
    text = "# ours\n" + FINAL
    changed = change_toml(text, ["steps", "earth", "settings", "current"], "25 A")
    assert changed.startswith("# ours\n")
    assert tomllib.loads(changed)["steps"][1]["settings"]["current"] == "25 A"
    changed = change_toml(text, ["steps", 1, "limits", "voltage", "maximum"], "6 V")
    assert tomllib.loads(changed)["steps"][1]["limits"]["voltage"] == {"maximum": "6 V"}
    with pytest.raises(LookupError, match="nothing"):
        change_toml(text, ["steps", "nothing", "title"], "x")
