"""The label of a sequence: its symbols read as the code, whatever its length."""

import subprocess
from pathlib import Path

import numpy
import pytest
import zxingcpp
from PIL import Image

from loricate.certificates.label import make_label


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
    (tmp_path / "l.pdf").write_bytes(make_label(code, "Drying cabinet DC-40, final test"))
    picture = tmp_path / "l"
    subprocess.run(
        ["pdftoppm", "-r", "600", "-gray", "-singlefile", tmp_path / "l.pdf", picture], check=True
    )
    with Image.open(picture.with_suffix(".pgm")) as image:
        assert image.width == pytest.approx(62 / 25.4 * 600, abs=2)
        found = {
            each.format.name: each.text for each in zxingcpp.read_barcodes(numpy.asarray(image))
        }
    assert found == dict.fromkeys(symbols, code)


def test_the_same_label_is_the_same_bytes() -> None:
    assert make_label("DC40-FINAL", "Final") == make_label("DC40-FINAL", "Final")
