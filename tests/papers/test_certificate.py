"""The paper of a certificate: what it says, in which order, on which page, for whom."""

import io
import re
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from figures.demo_documents import certificate_document

from loricate.papers import steps
from loricate.papers.certificate import draw_certificate
from loricate.papers.look import Look
from loricate.papers.samples import sample_certificate
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.steps import limits_of, point_grids
from loricate.papers.typesetting import Attached
from loricate.papers.wording import ENGLISH
from tests.papers.reading import codes_of, fonts_of, text_of

SIGNER = {"account": "ines", "name": "Ines Quay", "role": "quality"}
ACT = {"number": "X-2026-000001", "issued_at": "2026-11-26T09:00:00.000Z"}


def pointed(points: int, **more: Any) -> dict[str, Any]:
    """A certificate one of whose steps has so many points, each with two quantities."""
    document = sample_certificate()
    (reading,) = document["steps"][1]["readings"]
    readings = [
        {**reading, "quantity": quantity, "point": f"A{n} to B{n}", "corrections": [], **more}
        for n in range(1, points + 1)
        for quantity in ("resistance", "current")
    ]
    document["steps"] = [{**document["steps"][1], "readings": readings, "curves": []}]
    return document


def pages_of(pdf: bytes) -> int:
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        return len(opened.pages)


@pytest.mark.parametrize(("page", "width"), [("A4", 595), ("Letter", 612)])
def test_an_ordinary_appliance_is_one_page_of_either_size(page: str, width: int) -> None:
    pdf = draw_certificate(certificate_document(), COUNTS, Look(page=page))
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        assert len(opened.pages) == 1
        assert int(float(opened.pages[0].MediaBox[2])) == width


def test_every_font_is_embedded_and_every_sign_can_be_searched(tmp_path: Path) -> None:
    rows = fonts_of(draw_certificate(sample_certificate(), COUNTS, Look()), tmp_path)
    assert rows
    for *_, embedded, subset, unicode, _, _ in rows:
        assert (embedded, subset, unicode) == ("yes", "yes", "yes"), rows


def test_it_is_an_archive_file_with_its_data_attached() -> None:
    """PDF/A-4f: PDF 2.0 with an output intent, its metadata, and the source that it was made of."""
    attached = (Attached("document.json", b"{}", "application/json", "The signed data"),)
    pdf = draw_certificate(sample_certificate(), COUNTS, Look(), attached)
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        assert opened.pdf_version == "2.0"
        (intent,) = opened.Root.OutputIntents
        assert intent.S == pikepdf.Name.GTS_PDFA1 and "/DestOutputProfile" in intent
        metadata = opened.open_metadata()
        assert (metadata["pdfaid:part"], metadata["pdfaid:conformance"]) == ("4", "F")
        assert "C-2026-000001" in metadata["dc:title"] and opened.Root.Lang == "en"
        (file,) = opened.Root.AF
        assert file.AFRelationship == pikepdf.Name.Source
        assert opened.attachments["document.json"].get_file().read_bytes() == b"{}"


def structure_of(pdf: bytes) -> list[tuple[str, str]]:
    """The structure tree: each element's type, and its alternative text."""
    found: list[tuple[str, str]] = []

    def walk(node: Any) -> None:
        if not isinstance(node, pikepdf.Dictionary) or "/S" not in node:
            return
        found.append((str(node.S), str(node.get("/Alt", ""))))
        kids = node.get("/K", pikepdf.Array())
        for kid in kids if isinstance(kids, pikepdf.Array) else [kids]:
            walk(kid)

    with pikepdf.open(io.BytesIO(pdf)) as opened:
        assert opened.Root.MarkInfo.Marked
        kids = opened.Root.StructTreeRoot.K
        for kid in kids if isinstance(kids, pikepdf.Array) else [kids]:
            walk(kid)
    return found


def test_a_reader_that_cannot_see_finds_headings_tables_and_what_pictures_show() -> None:
    found = structure_of(draw_certificate(sample_certificate(), COUNTS, Look()))
    kinds = {kind for kind, _ in found}
    assert {"/H1", "/H2", "/Table", "/TR", "/TH", "/TD", "/Figure"} <= kinds
    figures = [alt for kind, alt in found if kind == "/Figure"]
    assert all(figures) and any("QR code" in alt for alt in figures)
    (curve,) = [alt for alt in figures if alt.startswith("Curve")]
    assert "resistance from 80 to 90 mΩ" in curve and "marks: dwell" in curve


def test_the_reading_order_is_that_of_the_page(tmp_path: Path) -> None:
    text = text_of(draw_certificate(sample_certificate(), COUNTS, Look()), tmp_path)
    places = [
        text.index(each)
        for each in ("No. C-2026-000001", "Sample unit", "Readings", "Sample row", "Sample points",
                     "Instruments", "Grounds", "Tested by: name")
    ]  # fmt: skip
    assert places == sorted(places)


@pytest.mark.parametrize("points", [3, 40, 128])
def test_many_points_are_a_table_whose_head_repeats_on_each_page(
    tmp_path: Path, points: int
) -> None:
    pdf = draw_certificate(pointed(points), COUNTS, Look())
    text = text_of(pdf, tmp_path, "-layout")
    for number in range(1, points + 1):
        assert f"A{number} to B{number}" in text
    pages = text.split("\f")
    with_points = [page for page in pages if " to B" in page]
    assert all("Point" in page and "resistance, ≤ 200 mΩ" in page for page in with_points)
    assert pages_of(pdf) == {3: 1, 40: 2, 128: 3}[points]


def test_points_with_limits_of_their_own_show_each(tmp_path: Path) -> None:
    document = pointed(4)
    for index, reading in enumerate(document["steps"][0]["readings"]):
        reading["limit"] = {**reading["limit"], "text": f"≤ {200 + index} mΩ"}
    document["steps"][0]["readings"][2] |= {"verdict": "fail", "text": "9.000 Ω"}
    text = text_of(draw_certificate(document, COUNTS, Look()), tmp_path, "-layout")
    assert all(f"(≤ {200 + index} mΩ)" in text for index in range(8))
    failed = next(line for line in text.splitlines() if "9.000 Ω" in line)
    assert failed.strip().startswith("A2 to B2") and failed.strip().endswith("FAIL")


def test_a_long_certificate_repeats_its_head_on_every_page(tmp_path: Path) -> None:
    document = certificate_document()
    document["steps"] = document["steps"] * 12
    pages = text_of(draw_certificate(document, COUNTS, Look()), tmp_path, "-layout").split("\f")
    with_rows = [page for page in pages if "83.40 mΩ" in page]
    assert len(with_rows) > 2
    assert all("Step and reading" in page and "Source of the limit" in page for page in with_rows)


def test_the_code_leads_to_the_verify_page(tmp_path: Path) -> None:
    document = certificate_document()
    found = codes_of(draw_certificate(document, COUNTS, Look()), tmp_path)
    assert found == {"QRCode": document["verify_url"]}


def test_times_are_the_sites_with_their_offset(tmp_path: Path) -> None:
    document = {**certificate_document(), "zone": "Europe/Vienna"}
    text = text_of(draw_certificate(document, COUNTS, Look(zone="UTC")), tmp_path, "-layout")
    assert "2026-11-25 09:00:00 to 09:00:40 +01:00" in text
    assert "2026-11-25 09:01:00 +01:00" in text


def test_what_came_after_the_document_is_said_first_and_signed(tmp_path: Path) -> None:
    revocation = {**ACT, "reason": "Bond source out of tolerance", "revoked_by": SIGNER}
    approval = {**ACT, "number": "A-2026-000004", "approved_by": SIGNER}
    standing = Standing("C-2026-000009", revocation, (approval,))
    text = " ".join(
        text_of(draw_certificate(sample_certificate(), standing, Look()), tmp_path).split()
    )
    told = "REVOKED on 2026-11-26 09:00:00 +00:00 by Ines Quay (ines) (X-2026-000001)"
    assert told in text and "out of tolerance" in text
    assert text.index("REVOKED") < text.index("Readings")
    assert "SUPERSEDED: C-2026-000009" in text
    assert "Ines Quay (ines), 2026-11-26 09:00:00 +00:00, A-2026-000004" in text


def test_a_curve_has_axes_with_units_limits_and_marks(tmp_path: Path) -> None:
    text = text_of(draw_certificate(sample_certificate(), COUNTS, Look()), tmp_path)
    assert "resistance (mΩ)" in text and "time (s)" in text and "dwell" in text
    with pikepdf.open(io.BytesIO(draw_certificate(sample_certificate(), COUNTS, Look()))) as pdf:
        pictures = [each for page in pdf.pages for each in page.get_images()]
    assert pictures == [], "curves and codes are vector drawings"


def test_a_curve_of_a_point_shows_that_points_limits_and_each_once() -> None:
    (step,) = pointed(3)["steps"]
    for index, reading in enumerate(step["readings"]):
        reading["limit"] = {**reading["limit"], "maximum": float(index // 2)}
    own = limits_of(step, "A2 to B2")
    assert {(each["quantity"], each["maximum"]) for each in own} == {
        ("resistance", 1.0),
        ("current", 1.0),
    }
    step["readings"] += step["readings"]
    assert limits_of(step, "A2 to B2") == own and len(limits_of(step, "")) == 6


def corrected(quantity: str, point: str, before: str, reason: str) -> dict[str, Any]:
    return {
        "quantity": quantity, "point": point,
        "corrections": [{"what": "temperature", "before": 1.0, "text": before, "reason": reason}],
    }  # fmt: skip


def test_a_correction_is_told_once_with_the_values_before_it() -> None:
    why = "the temperature of the unit ((k + 20)/(k + 31.7), k = 235 °C)"
    readings = [
        corrected("corrected_resistance", "U to V", "5.064 Ω", why),
        corrected("corrected_resistance", "V to W", "5.059 Ω", why),
        {"quantity": "unbalance", "point": "", "corrections": []},
    ]
    (told,) = steps._corrections({"readings": readings}, is_table=True, words=ENGLISH)
    assert told == (
        "Corrected resistance (was U to V 5.064 Ω; V to W 5.059 Ω) is corrected for " + why + "."
    )
    many = [corrected("resistance", f"W{number}", "1 Ω", "zero") for number in range(9)]
    (short,) = steps._corrections({"readings": many}, is_table=True, words=ENGLISH)
    assert short == "Resistance is corrected for zero."


def test_a_table_of_marks_is_figures_and_what_is_no_number_a_dash() -> None:
    curve = {
        "name": "marks", "drawn": "table", "point": "", "marks": [],
        "x": {"name": "time", "dimension": "time", "values": [15.0, 60.0]},
        "columns": [{"name": "current", "dimension": "current", "values": [4.335e-7, None]}],
    }  # fmt: skip
    assert steps.is_table(curve)
    assert steps.curve_table(curve, ENGLISH) == {
        "heads": ["Time", "Current"], "rows": [["15.00 s", "433.5 nA"], ["60.00 s", "–"]],
    }  # fmt: skip


def test_many_points_are_places_by_circumstances(tmp_path: Path) -> None:
    """Each value is in its row and column, with its limit where a column has several."""
    document = sample_certificate()
    (reading,) = document["steps"][1]["readings"]
    readings = [
        {
            **reading,
            "quantity": "current",
            "point": f"{place}{circumstances}",
            "text": f"{row}{column}.0 µA",
            "corrections": [],
            "verdict": "fail" if (row, column) == (2, 1) else "pass",
            "limit": {**reading["limit"], "text": f"≤ {100 * row} µA"},
        }
        for row, place in enumerate(["earth", "touch", "probe"], start=1)
        for column, circumstances in enumerate(["", ", open", ", open, off"], start=1)
        if (row, column) != (1, 3)
    ]
    document["steps"] = [{**document["steps"][1], "readings": readings, "curves": []}]
    text = text_of(draw_certificate(document, COUNTS, Look()), tmp_path, "-layout")
    rows = {line.split()[0]: line.split()[1:] for line in text.splitlines() if line.split()}
    assert rows["earth"] == ["11.0", "µA", "12.0", "µA", "–"]
    assert rows["touch"] == ["21.0", "µA", "22.0", "µA", "23.0", "µA"]
    assert text.count("≤ 300 µA") >= 3 and "≤ 200 µA" in text
    assert re.search(r"21\.0 µA.*\n+ *FAIL", text)
    assert len(point_grids(readings, ENGLISH)) == 1
    wide = [{**readings[0], "point": f"earth, c{n}"} for n in range(30)]
    assert [len(each["heads"]) for each in point_grids(wide, ENGLISH)] == [12, 12, 6]
    apart = [{**readings[0], "point": f"{each}, Pressure"} for each in ("low", "high")]
    assert point_grids(apart, ENGLISH) == []
