"""Certificates: sealed, drawn, verified offline, and every tampering named."""

import io
import json
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy
import pikepdf
import pytest
import zxingcpp
from figures.demo_documents import certificate_document
from PIL import Image

from loricate.certificates.ledger import GENESIS, check_chain, entry_hash
from loricate.certificates.paper import make_pdf
from loricate.certificates.sealing import SiteKey, digest, load_or_make_site_key, seal
from loricate.certificates.verifying import verify
from loricate.records.certificates import LedgerEntry

READING = {
    "name": "resistance", "value": 0.0834, "unit": "Ω", "bound": "exact", "uncertainty": 0.0007,
    "text": "83.40 mΩ", "instrument": "GB1", "verdict": "pass", "outcome": "pass",
    "margin": 0.58,
    "limit": {"minimum": None, "maximum": 0.2, "text": "≤ 200 mΩ",
              "source": "IEC 60335-1:2010 Annex A"},
}  # fmt: skip
STEP = {
    "id": "earth", "title": "Earth from plug to case", "kind": "ground_bond", "attempt": 1,
    "reason": "", "earlier": [],
    "started_at": "2026-11-25T08:00:00.000Z", "verdict": "pass", "cause": "", "note": "",
    "conditions": "Test current 25 A, Dwell 2 s", "readings": [READING],
    "repetitions": [],
}  # fmt: skip


def document(steps: int = 3) -> dict[str, Any]:
    """A certificate document with as many steps as wanted."""
    return {
        "format": "loricate-certificate/1", "kind": "certificate", "number": "C-2026-000007",
        "supersedes": "", "remarks": [],
        "issued_at": "2026-11-25T08:01:00.000Z", "site": "Quillmere Apparatus", "verdict": "pass",
        "cause": "",
        "unit": {"serial": "DC40-26-0117", "product": "DC-40", "product_revision": 1,
                 "title": "Drying cabinet DC-40", "protection_class": "I", "lot": ""},
        "run": {"id": "r", "started_at": "2026-11-25T08:00:00.000Z",
                "ended_at": "2026-11-25T08:00:40.000Z", "operator": "mara", "bench": "BENCH-2",
                "fixture": "FX-A", "nest": "1"},
        "sequence": {"code": "DC40-FINAL", "revision": 1, "title": "Final",
                     "decision_rule": "simple", "decision_r": None, "coverage_factor": 2.0,
                     "findings_left": []},
        "limit_sets": [], "steps": [STEP] * steps, "instruments": [], "gate": [],
        "software": "Loricate 0.1.0", "ledger": {"position": 1, "previous": GENESIS},
        "verify_url": "http://127.0.0.1:8640/verify/C-2026-000007",
    }  # fmt: skip


@pytest.fixture
def key(tmp_path: Path) -> SiteKey:
    return load_or_make_site_key(tmp_path / "site-key.pem")


@pytest.fixture
def other_key(tmp_path: Path) -> SiteKey:
    return load_or_make_site_key(tmp_path / "other.pem")


def test_the_key_is_made_once_and_only_its_owner_can_read_it(tmp_path: Path) -> None:
    path = tmp_path / "keys" / "site-key.pem"
    first = load_or_make_site_key(path)
    assert path.stat().st_mode & 0o777 == 0o600
    assert load_or_make_site_key(path).public_jwk == first.public_jwk
    assert "d" not in first.public_jwk, "the private half stays here"


def test_a_sealed_document_is_genuine(key: SiteKey) -> None:
    found = verify(seal(document(), key).encode(), key.public_jwk)
    assert found.genuine and found.document == document()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["steps"][0]["readings"][0].update(value=0.01),
         "steps[0].readings[0].value reads 0.01; the signed value is 0.0834."),
        (lambda d: d["unit"].update(serial="DC40-26-0999"), "unit.serial reads"),
        (lambda d: d.pop("gate"), "gate was removed"),
        (lambda d: d.update(extra=1), "extra was added"),
        (lambda d: d["steps"].pop(), "steps reads"),
        (lambda d: d.update(verdict=float("nan")), "verdict reads NaN"),
    ],
)  # fmt: skip
def test_a_changed_document_is_told_with_the_place(
    key: SiteKey, change: Callable[[dict[str, Any]], object], says: str
) -> None:
    sealed = json.loads(seal(document(), key))
    change(sealed["document"])
    found = verify(json.dumps(sealed).encode(), key.public_jwk)
    assert any(says in fault for fault in found.faults), found.faults


def test_a_changed_signature_is_told(key: SiteKey) -> None:
    sealed = json.loads(seal(document(), key))
    sealed["jws"] = sealed["jws"][:-6] + "AAAAAA"
    (fault,) = verify(json.dumps(sealed).encode(), key.public_jwk).faults
    assert "signature does not match" in fault


def test_another_sites_key_is_told(key: SiteKey, other_key: SiteKey) -> None:
    (fault,) = verify(seal(document(), key).encode(), other_key.public_jwk).faults
    assert "another key" in fault


@pytest.mark.parametrize("data", [b"", b"[]", b'{"document": 1, "jws": 2}', b"%PDF-1.7 nonsense"])
def test_what_is_no_certificate_is_told(key: SiteKey, data: bytes) -> None:
    assert not verify(data, key.public_jwk).genuine


def test_a_key_that_is_none_is_told(key: SiteKey) -> None:
    (fault,) = verify(seal(document(), key).encode(), {"kty": "RSA"}).faults
    assert "not an Ed25519 public key" in fault


@pytest.fixture
def pdf(key: SiteKey) -> bytes:
    return make_pdf(document(), seal(document(), key), key)


def test_the_document_of_the_figure_draws_on_one_sheet(key: SiteKey) -> None:
    measured = certificate_document()
    with pikepdf.open(io.BytesIO(make_pdf(measured, seal(measured, key), key))) as found:
        assert len(found.pages) == 1


def test_the_pdf_is_genuine_and_carries_the_signed_data(key: SiteKey, pdf: bytes) -> None:
    found = verify(pdf, key.public_jwk)
    assert found.genuine and found.document["unit"]["serial"] == "DC40-26-0117"


@pytest.mark.parametrize(("size", "width"), [("A4", 595), ("Letter", 612)])
def test_both_page_sizes_embed_every_font(key: SiteKey, size: str, width: int) -> None:
    with pikepdf.open(io.BytesIO(make_pdf(document(), seal(document(), key), key, size))) as found:
        assert int(float(found.pages[0].MediaBox[2])) == width
        for page in found.pages:
            for font in page.Resources.Font.values():
                assert "/FontFile2" in font.FontDescriptor, "every font is embedded"


def test_the_code_on_the_paper_leads_to_the_verify_page(pdf: bytes, tmp_path: Path) -> None:
    (tmp_path / "c.pdf").write_bytes(pdf)
    picture = tmp_path / "c"
    subprocess.run(
        ["pdftoppm", "-r", "110", "-gray", "-singlefile", tmp_path / "c.pdf", picture], check=True
    )
    with Image.open(picture.with_suffix(".pgm")) as image:
        (found,) = zxingcpp.read_barcodes(numpy.asarray(image))
    assert found.text == document()["verify_url"]


def test_a_long_certificate_runs_over_pages_and_stays_genuine(key: SiteKey) -> None:
    long = document(steps=60)
    pdf = make_pdf(long, seal(long, key), key)
    with pikepdf.open(io.BytesIO(pdf)) as found:
        assert len(found.pages) > 1
    assert verify(pdf, key.public_jwk).genuine


def _edited(pdf: bytes, edit: Callable[[pikepdf.Pdf], object]) -> bytes:
    changed = io.BytesIO()
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        edit(opened)
        opened.save(changed)
    return changed.getvalue()


def _draw_over(pdf: pikepdf.Pdf) -> None:
    page = pdf.pages[0]
    page.contents_add(b"1 1 1 rg 0 0 300 300 re f")


def _annotate(pdf: pikepdf.Pdf) -> None:
    note = pikepdf.Dictionary(Type=pikepdf.Name.Annot, Subtype=pikepdf.Name.FreeText,
                              Rect=[0, 0, 99, 99], Contents="PASS")  # fmt: skip
    pdf.pages[0].Annots = pdf.make_indirect(pikepdf.Array([note]))


def _swap_font(pdf: pikepdf.Pdf) -> None:
    for font in pdf.pages[0].Resources.Font.values():
        font.FontDescriptor.FontFile2.write(b"another font")


@pytest.mark.parametrize("edit", [_draw_over, _annotate, _swap_font])
def test_a_changed_page_is_told(
    key: SiteKey, pdf: bytes, edit: Callable[[pikepdf.Pdf], object]
) -> None:
    assert verify(_edited(pdf, edit), key.public_jwk).faults == (
        "Page 1 was changed after it was sealed.",
    )


def test_an_added_page_is_told(key: SiteKey, pdf: bytes) -> None:
    added = _edited(pdf, lambda opened: opened.add_blank_page())
    assert verify(added, key.public_jwk).faults == ("The PDF has 2 pages; 1 were sealed.",)


def test_saving_it_again_unchanged_keeps_it_genuine(key: SiteKey, pdf: bytes) -> None:
    assert verify(_edited(pdf, lambda opened: None), key.public_jwk).genuine


def test_a_pdf_without_its_data_proves_nothing(key: SiteKey, pdf: bytes) -> None:
    bare = _edited(pdf, lambda opened: opened.attachments.__delitem__("certificate.json"))
    (fault,) = verify(bare, key.public_jwk).faults
    assert "proves nothing" in fault


def test_pages_of_another_certificate_are_told(key: SiteKey, pdf: bytes) -> None:
    other = document()
    other["number"] = "C-2026-000008"

    def graft(opened: pikepdf.Pdf) -> None:
        del opened.attachments["certificate.json"]
        opened.attachments["certificate.json"] = pikepdf.AttachedFileSpec(
            opened, seal(other, key).encode(), filename="certificate.json"
        )

    faults = verify(_edited(pdf, graft), key.public_jwk).faults
    assert "The pages belong to another certificate than the attached data." in faults


def entries(count: int) -> list[LedgerEntry]:
    """A sound chain."""
    made: list[LedgerEntry] = []
    previous = GENESIS
    for position in range(1, count + 1):
        number, hashed = f"C-2026-{position:06}", digest({"n": position})
        found = entry_hash(position, number, hashed, previous)
        made.append(
            LedgerEntry(position, number, "certificate", "u", "s", "t", hashed, previous, found,
                        "", b"")
        )  # fmt: skip
        previous = found
    return made


def test_a_whole_chain_has_no_fault() -> None:
    assert check_chain(entries(5)).faults == ()


def test_a_removed_entry_breaks_the_chain() -> None:
    chain = entries(5)
    del chain[2]
    assert "Entry 3 is missing; C-2026-000004 stands in its place." in check_chain(chain).faults


def test_a_changed_entry_breaks_the_chain() -> None:
    chain = entries(3)
    chain[1] = LedgerEntry(**{**_fields(chain[1]), "document_digest": digest({"n": 99})})
    assert check_chain(chain).faults == ("C-2026-000002 was changed after it was entered.",)


def _fields(entry: LedgerEntry) -> dict[str, Any]:
    return {name: getattr(entry, name) for name in LedgerEntry.__dataclass_fields__}
