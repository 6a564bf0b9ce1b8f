"""Papers in every language say the same: other words, the same figures, names and verdicts."""

import re
from collections import Counter
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest

from loricate.core.depths import Depth
from loricate.core.errors import DocumentError
from loricate.core.measuring.grading import Verdict
from loricate.papers.binding import Cover, draw_cover
from loricate.papers.certificate import draw_certificate
from loricate.papers.look import Look, LookRefused
from loricate.papers.lot import draw_lot
from loricate.papers.report import draw_report
from loricate.papers.samples import sample_certificate, sample_lot, sample_report, try_look
from loricate.papers.standing import COUNTS, Standing
from loricate.service.paper_look import read_look
from loricate.service.site_file import read_site_plan
from tests.papers.reading import text_of, words_outside
from tests.service.test_photos import photo

GERMAN, ENGLISH = Look(language="de"), Look()
ACT = {"number": "X-2026-000001", "issued_at": "2026-01-02T09:00:00.000Z"}
REVOKED = Standing(
    "C-2026-000002",
    {**ACT, "reason": "A reason.", "revoked_by": {"account": "sample", "name": "A Person"}},
)
COVER = Cover(
    "", "Site", "Loricate", "2026-01-02T09:00:00.000Z", "A Person", ("lot L-1", "verdict fail"),
    Depth.LIMITS, True, ("3 units whose run goes on are left out.",),
    [{"serial": "S-1", "verdict": "fail", "cause": "breakdown", "nest": "2",
      "document": "N-2026-000007", "revoked": True}],
)  # fmt: skip


def drawn(what: str, look: Look) -> bytes:
    """A paper of each sort, with a little of everything."""
    if what == "report":
        return draw_report(sample_report(), Depth.PHOTOS, False, look, lambda _: photo())
    if what == "failed":
        return draw_report(sample_report(), Depth.READINGS, True, look, lambda _: photo())
    if what == "lot":
        return draw_lot(sample_lot(), REVOKED, look)
    if what == "cover":
        return draw_cover(COVER, look)
    return draw_certificate(sample_certificate(what), REVOKED, look)


def figures(text: str) -> Counter[str]:
    """The numbers on a page, whatever their decimal sign."""
    return Counter(each.replace(",", ".") for each in re.findall(r"\d+(?:[.,]\d+)*", text))


SORTS = ("certificate", "nonconformance", "report", "failed", "lot", "cover")


@pytest.mark.parametrize("what", SORTS)
def test_every_number_is_on_the_page_in_every_language(what: str, tmp_path: Path) -> None:
    english = figures(text_of(drawn(what, ENGLISH), tmp_path, "-layout"))
    pdf = drawn(what, GERMAN)
    assert figures(text_of(pdf, tmp_path, "-layout")) == english
    assert words_outside(pdf, tmp_path) == []


@pytest.mark.parametrize("what", SORTS)
def test_no_heading_is_left_in_another_language(what: str, tmp_path: Path) -> None:
    page = text_of(drawn(what, GERMAN), tmp_path)
    english = ("Serial", "Verdict", "Limit of", "Readings", "Grounds", "Issued", "page ", "PASS")
    assert [each for each in english if each in page] == []
    assert "Seite 1 von" in page and "Seriennummer" in page


def with_verdict(verdict: str) -> dict[str, Any]:
    document = sample_certificate("nonconformance")
    document["verdict"] = verdict
    for step in document["steps"]:
        step["verdict"] = verdict
        for reading in step["readings"]:
            reading.update(verdict=verdict, guarded=verdict)
        step["earlier"], step["repetitions"] = [], []
    document["gate"] = []
    return document


@pytest.mark.parametrize("verdict", [each for each in Verdict if each is not Verdict.PASS])
def test_what_did_not_pass_passes_in_no_language(verdict: Verdict, tmp_path: Path) -> None:
    pdf = draw_certificate(with_verdict(verdict), COUNTS, GERMAN)
    page = re.sub(r"NICHT[\s\u200b]+BESTANDEN", "-", text_of(pdf, tmp_path, "-layout"))
    words: Mapping[str, str] = {"fail": "-", "inconclusive": "ENTSCHEID", "not_run": "GEPRÜFT"}
    assert words[verdict] in page
    assert not re.search(r"(?<!NICHT )BESTANDEN", page)
    assert "BESTANDEN" in text_of(
        draw_certificate(with_verdict("pass"), COUNTS, GERMAN), tmp_path, "-layout"
    )


def test_what_people_wrote_stands_as_they_wrote_it(tmp_path: Path) -> None:
    page = text_of(drawn("report", GERMAN), tmp_path)
    for written in ("A remark.", "A finding.", "Sample row", "Vorher: clip on."):
        assert written in page
    assert "Geprüft von" in text_of(drawn("certificate", GERMAN), tmp_path)


def test_a_sites_own_words_go_before_those_of_the_language(tmp_path: Path) -> None:
    own = Look(language="de", texts={"certificate": "Unser Prüfschein"})
    page = text_of(draw_certificate(sample_certificate(), COUNTS, own), tmp_path)
    assert "Unser Prüfschein" in page and "Prüfbescheinigung" not in page


def test_a_site_file_names_a_language_that_is_known(tmp_path: Path) -> None:
    path = tmp_path / "site.toml"
    path.write_text('format = "loricate-site/1"\n[papers]\nlanguage = "de"\n')
    assert read_look(read_site_plan(path).papers, tmp_path).language == "de"
    path.write_text('format = "loricate-site/1"\n[papers]\nlanguage = "fr"\n')
    with pytest.raises(DocumentError, match=r"papers\.language.*'en' or 'de'"):
        read_site_plan(path)


def test_a_look_keeps_its_language_and_has_one_that_is_known() -> None:
    assert Look.read(GERMAN.told()) == GERMAN
    former = {name: part for name, part in ENGLISH.told().items() if name != "language"}
    assert Look.read(former).language == "en"
    with pytest.raises(LookRefused, match="language"):
        Look.read({**GERMAN.told(), "language": "xx"})
    try_look(GERMAN)
