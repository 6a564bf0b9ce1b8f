"""Reports of units: as deep as asked, and never better than the record."""

import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from loricate.core.depths import Depth
from loricate.papers.look import Look
from loricate.papers.report import Report, Shown, draw_report, not_passed
from loricate.papers.samples import sample_certificate, sample_report
from loricate.papers.wording import ENGLISH
from tests.papers.reading import pictures_of, text_of
from tests.service.test_photos import photo

LOOK = Look()
DEPTHS = list(Depth)


def no_picture(digest: str) -> bytes | None:
    return None


def told(report: Report, depth: Depth, folder: Path, failed_only: bool = False) -> str:
    """What stands on the pages, its blanks and breaks as one blank each."""
    pdf = draw_report(report, depth, failed_only, LOOK, lambda digest: photo())
    return re.sub(r"[\s\u200b]+", " ", text_of(pdf, folder, "-layout"))


def test_each_depth_tells_what_the_ones_before_it_tell(tmp_path: Path) -> None:
    marks = {
        Depth.SUMMARY: ["Sample look", "Sample points", "FAIL", "Technician:", "Client:"],
        Depth.READINGS: ["80.00 mΩ", "A3 to B3"],
        Depth.LIMITS: ["≤ 200 mΩ", "Sample 1:2026 A", "calibrated 2026-01-01", "Decision rule"],
        Depth.PROCEDURE: ["Before: clip on."],
        Depth.PHOTOS: ["The case", "The unit"],
    }
    for depth in DEPTHS:
        page = told(sample_report(), depth, tmp_path)
        for mark, texts in marks.items():
            assert [text in page for text in texts] == [depth.has(mark)] * len(texts), (depth, mark)


@pytest.mark.parametrize("depth", DEPTHS)
def test_what_the_gate_refused_says_so_at_every_depth(depth: Depth, tmp_path: Path) -> None:
    page = told(sample_report(), depth, tmp_path)
    assert "FAIL, and not certified. One step did not pass." in page
    assert "it is no certificate and not sealed" in page


@pytest.mark.parametrize("depth", DEPTHS)
def test_what_failed_has_its_limit_at_every_depth(depth: Depth, tmp_path: Path) -> None:
    report = sample_report()
    row = next(each for each in report.body["steps"] if each["id"] == "row")
    row["readings"][0].update(verdict="fail", text="512.3 mΩ")
    page = told(report, depth, tmp_path)
    assert "512.3 mΩ" in page and "≤ 200 mΩ" in page


def test_a_photo_is_drawn_and_one_that_is_gone_is_told(tmp_path: Path) -> None:
    report = sample_report()
    pdf = draw_report(report, Depth.PHOTOS, False, LOOK, lambda digest: photo())
    assert pictures_of(pdf, tmp_path) == 2
    bare = draw_report(report, Depth.PHOTOS, False, LOOK, no_picture)
    assert pictures_of(bare, tmp_path) == 0
    assert "The case: the picture ab is gone" in text_of(bare, tmp_path, "-layout")
    broken = draw_report(report, Depth.PHOTOS, False, LOOK, lambda digest: b"no picture")
    assert "The unit: the picture cd is gone" in text_of(broken, tmp_path, "-layout")


def test_several_captions_of_one_photo_draw_it_each_time(tmp_path: Path) -> None:
    report = sample_report()
    report = Report(report.body, report.drawn_at, "", "", "", pictures={
        "look": (Shown("ab", "First"), Shown("ab", "Second")),
    })  # fmt: skip
    page = told(report, Depth.PHOTOS, tmp_path)
    assert "First" in page and "Second" in page


VERDICTS = st.sampled_from(["pass", "fail", "inconclusive", "not_run", ""])


@given(
    st.lists(
        st.tuples(st.lists(VERDICTS, max_size=6), VERDICTS.filter(bool), VERDICTS.filter(bool)),
        max_size=6,
    )
)
def test_only_what_passed_is_left_out_and_it_is_counted(
    made: list[tuple[list[str], str, str]],
) -> None:
    steps: list[dict[str, Any]] = [
        {
            "id": str(number),
            "verdict": verdict,
            "earlier": [] if before == "pass" else [{"verdict": before}],
            "readings": [
                {"verdict": each, "repetition": 1, "place": (number, at)}
                for at, each in enumerate(readings)
            ],
            "repetitions": [],
        }
        for number, (readings, verdict, before) in enumerate(made)
    ]
    kept, left = not_passed(steps, ENGLISH)
    every = [each for step in steps for each in step["readings"]]
    shown = [each for step in kept for each in step["readings"]]
    assert shown == [each for each in every if each["verdict"] not in ("", "pass")]
    passed = sum(each["verdict"] == "pass" for each in every)
    free = sum(each["verdict"] == "" for each in every)
    assert f"Left out: {passed} readings that passed and {free} that have no limit." in left
    ids = {step["id"] for step in kept}
    for step in steps:
        is_clean = step["verdict"] == "pass" and not step["earlier"]
        is_clean &= all(each["verdict"] in ("", "pass") for each in step["readings"])
        assert (step["id"] in ids) is not is_clean


def test_failed_only_says_what_is_not_there(tmp_path: Path) -> None:
    report = sample_report()
    point = next(each for each in report.body["steps"] if each["id"] == "points")
    point["readings"][2].update(verdict="fail", text="512.3 mΩ")
    point["verdict"] = "fail"
    page = told(report, Depth.LIMITS, tmp_path, failed_only=True)
    assert "A3 to B3" in page and "A1 to B1" not in page
    assert "Only what did not pass is shown, of 4 steps" in page


@pytest.mark.parametrize("kind", ["certificate", "nonconformance"])
def test_the_body_of_either_document_can_be_drawn(kind: str, tmp_path: Path) -> None:
    body = sample_certificate(kind)
    report = Report(body, body["issued_at"], "Sample Person (sample)", "Sample site", "Loricate")
    page = told(report, Depth.PHOTOS, tmp_path)
    assert "Document none" in page and "Verify at" not in page
