"""The paper of a lot: every unit on it, fonts embedded, as many pages as it takes."""

import io
import subprocess
from pathlib import Path
from typing import Any

import pikepdf
import pytest

from loricate.certificates.lot_paper import make_lot_pdf


def lot(units: int, waiting: int = 0, **more: Any) -> dict[str, Any]:
    names = [f"DC40-26-{number:04}" for number in range(units + waiting)]
    return {
        "code": "L-2611", "product": "DC-40", "order_number": "PO-7731", "state": "open",
        "serials": "DC40-26-####", "created_at": "2026-11-25T08:00:00.000Z", "created_by": "mara",
        "closed_at": None, "expected": units + waiting, "tested": units, "passed": units,
        "failed": 0, "first_pass_yield": 0.75 if units else None,
        "final_yield": 1.0 if units else None, "waiting_count": waiting, "waiting": names[units:],
        "units": [
            {"serial": name, "verdict": "pass", "cause": "", "times": 1, "certificate": f"C-{name}"}
            for name in names[:units]
        ],
        **more,
    }  # fmt: skip


def text_of(pdf: bytes, folder: Path) -> str:
    (folder / "lot.pdf").write_bytes(pdf)
    done = subprocess.run(
        ["pdftotext", "-layout", folder / "lot.pdf", "-"], capture_output=True, text=True,
        check=True,
    )  # fmt: skip
    return done.stdout


@pytest.mark.parametrize(("units", "pages"), [(0, 1), (8, 1), (200, 4)])
def test_every_unit_is_on_the_paper(units: int, pages: int, tmp_path: Path) -> None:
    found = lot(units, waiting=2)
    pdf = make_lot_pdf(found, "Quillmere Apparatus", "2026-11-25T09:00:00.000Z", "Loricate 0")
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        assert len(opened.pages) == pages
    text = text_of(pdf, tmp_path)
    for unit in found["units"]:
        assert unit["serial"] in text and unit["certificate"] in text
    assert "Waiting: 2" in text and found["waiting"][0] in text
    assert ("75.0 %" in text) is (units > 0)
    assert f"page {pages} of {pages}" in text and "As it stood at 2026-11-25 09:00:00" in text


def test_a_failed_unit_has_its_cause_in_words(tmp_path: Path) -> None:
    found = lot(1)
    found["units"][0] |= {"verdict": "fail", "cause": "over_limit", "certificate": "N-1"}
    text = text_of(make_lot_pdf(found, "Q", "2026-11-25T09:00:00Z", "L", "Letter"), tmp_path)
    assert "FAIL (over limit)" in text and "N-1" in text
