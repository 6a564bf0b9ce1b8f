"""The label of a sequence: its symbols read as the code, whatever its length."""

from pathlib import Path

import pytest
from PIL import Image

from loricate.papers.label import draw_label
from loricate.papers.look import Look
from tests.papers.reading import codes_of

TITLE = "Drying cabinet DC-40, final test"


@pytest.mark.parametrize(
    ("code", "symbols"),
    [
        ("A", {"Code128", "QRCode"}),
        ("DC40-FINAL", {"Code128", "QRCode"}),
        ("WINCH-MOTOR-WM3_FINAL.rev-B", {"Code128", "QRCode"}),
        ("DRYING-CABINET-DC40-FINAL-TEST-WITH-ALL-THAT-THERE-IS", {"QRCode"}),
    ],
)
def test_the_symbols_hold_the_code(tmp_path: Path, code: str, symbols: set[str]) -> None:
    found = codes_of(draw_label(code, TITLE, "Quillmere", Look()), tmp_path, 600)
    assert found == dict.fromkeys(symbols, code)
    with Image.open(tmp_path / "page.pgm") as image:
        assert image.width == pytest.approx(62 / 25.4 * 600, abs=2)


def test_the_same_label_is_the_same_bytes() -> None:
    label = draw_label("DC40-FINAL", "Final", "Quillmere", Look())
    assert label == draw_label("DC40-FINAL", "Final", "Quillmere", Look())
