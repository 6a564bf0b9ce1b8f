"""Documents as TOML text: written, read again, changed in place."""

import tomllib
from typing import Any

import pytest

from loricate.core.errors import DocumentError
from loricate.core.toml_text import change_toml, in_written_order, read_sequence_text, write_toml
from tests.rig import DEMO

FINAL = (DEMO / "sequences" / "dc40-final.toml").read_text(encoding="utf-8")


@pytest.mark.parametrize("path", sorted((DEMO / "sequences").glob("*.toml")), ids=lambda p: p.stem)
def test_a_document_goes_to_text_and_back_without_loss(path: Any) -> None:
    document = read_sequence_text(path.read_text(encoding="utf-8"))
    text = write_toml(in_written_order(document))
    assert read_sequence_text(text) == document
    assert text.index("code =") < text.index("title =") < text.index("[[steps]]")


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
