"""The paper of a lot: every unit on it, as many pages as it takes, and whether it is a document."""

import io
from pathlib import Path
from typing import Any

import pikepdf
import pytest

from loricate.papers.look import Look
from loricate.papers.lot import draw_lot, draw_lot_view
from loricate.papers.samples import sample_lot
from loricate.papers.standing import COUNTS
from tests.papers.reading import codes_of, text_of


def lot(units: int, waiting: int = 0, number: str = "", **more: Any) -> dict[str, Any]:
    names = [f"DC40-26-{index:04}" for index in range(units + waiting)]
    told = {
        "code": "L-2611", "product": "DC-40", "order_number": "PO-7731", "state": "open",
        "serials": "DC40-26-####", "created_at": "2026-11-25T08:00:00.000Z", "created_by": "mara",
        "closed_at": None, "expected": units + waiting, "tested": units, "passed": units,
        "failed": 0, "first_pass_yield": 0.75 if units else None,
        "final_yield": 1.0 if units else None, "waiting_count": waiting, "waiting": names[units:],
        "units": [
            {"serial": name, "verdict": "pass", "cause": "", "times": 1, "certificate": f"C-{name}",
             "revoked": False}
            for name in names[:units]
        ],
        **more,
    }  # fmt: skip
    return {
        **sample_lot(), "number": number, "issued_at": "2026-11-25T09:00:00.000Z", "lot": told,
        "supersedes": "",
    }  # fmt: skip


@pytest.mark.parametrize(("units", "pages"), [(0, 1), (8, 1), (200, 4)])
def test_every_unit_is_on_the_paper(units: int, pages: int, tmp_path: Path) -> None:
    found = lot(units, waiting=2)
    pdf = draw_lot_view(found, Look())
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        assert len(opened.pages) == pages
    text = text_of(pdf, tmp_path, "-layout")
    for unit in found["lot"]["units"]:
        assert unit["serial"] in text and unit["certificate"] in text
    assert "Waiting" in text and found["lot"]["waiting"][0] in text
    assert ("75.0 %" in text) is (units > 0)
    assert f"page {pages} of {pages}" in text and "As it stood at 2026-11-25 09:00:00" in text


def test_a_failed_unit_has_its_cause_in_words(tmp_path: Path) -> None:
    found = lot(2)
    found["lot"]["units"][0] |= {"verdict": "fail", "cause": "over_limit", "certificate": "N-1"}
    found["lot"]["units"][1] |= {"revoked": True}
    text = text_of(draw_lot_view(found, Look(page="Letter")), tmp_path, "-layout")
    assert "FAIL (over limit)" in text and "N-1" in text and "(revoked)" in text


def test_a_view_says_that_it_is_none_and_a_document_bears_number_and_code(tmp_path: Path) -> None:
    view = draw_lot_view(lot(3), Look())
    assert "Not issued" in text_of(view, tmp_path) and codes_of(view, tmp_path) == {}
    issued = draw_lot(lot(3, number="L-2026-000001"), COUNTS, Look())
    assert "Not issued" not in text_of(issued, tmp_path)
    assert codes_of(issued, tmp_path) == {"QRCode": sample_lot()["verify_url"]}
