"""Certificates: sealed, drawn, verified offline, and every tampering named."""

import base64
import hashlib
import io
import json
import subprocess
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy
import pikepdf
import pytest
import zxingcpp
from figures.demo_documents import certificate_document
from hypothesis import given, settings
from hypothesis import strategies as st
from joserfc.jwk import OKPKey
from PIL import Image

from loricate.certificates.agreeing import check_entry, check_ledger
from loricate.certificates.heads import Head, last_numbers, ledger_faults, read_heads
from loricate.certificates.ledger import GENESIS, entry_hash, follow
from loricate.certificates.paper import make_pdf
from loricate.certificates.paper_seal import PAPER_NAME, paper_faults
from loricate.certificates.sealing import (
    SealError,
    SiteKey,
    Sort,
    canonical,
    digest,
    opened,
    seal,
)
from loricate.certificates.site_key import (
    KeyDoesNotFit,
    KeyMissing,
    make_site_key,
    open_site_key,
)
from loricate.certificates.verifying import Verification, verify
from loricate.records.certificates import LedgerEntry

READING = {
    "quantity": "resistance", "point": "", "value": 0.0834, "unit": "Ω",
    "bound": "exact", "uncertainty": 0.0007, "text": "83.40 mΩ",
    "instrument": "GB1", "verdict": "pass", "guarded": "pass",
    "margin": 0.58, "band": "good", "ungraded": "", "repetition": 1, "corrections": [],
    "limit": {"minimum": None, "maximum": 0.2, "text": "≤ 200 mΩ",
              "source": "IEC 60335-1:2010 Annex A"},
}  # fmt: skip
STEP = {
    "id": "earth", "title": "Earth from plug to case", "kind": "ground_bond", "attempt": 1,
    "reason": "", "earlier": [],
    "started_at": "2026-11-25T08:00:00.000Z", "verdict": "pass", "cause": "", "note": "",
    "conditions": "Test current 25 A, Dwell 2 s", "readings": [READING],
    "repetitions": [], "faults": [],
}  # fmt: skip


def document(steps: int = 3) -> dict[str, Any]:
    """A certificate document with as many steps as wanted."""
    return {
        "format": "loricate-certificate/2", "kind": "certificate", "number": "C-2026-000007",
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
    return make_site_key(tmp_path / "site-key.pem")


@pytest.fixture
def other_key(tmp_path: Path) -> SiteKey:
    return make_site_key(tmp_path / "other.pem")


def test_the_key_is_made_once_and_only_its_owner_can_read_it(tmp_path: Path) -> None:
    path = tmp_path / "keys" / "site-key.pem"
    first = open_site_key(path, "")
    assert path.stat().st_mode & 0o777 == 0o600
    assert open_site_key(path, first.kid).public_jwk == first.public_jwk
    assert "d" not in first.public_jwk, "the private half stays here"
    with pytest.raises(FileExistsError):
        make_site_key(path)


def test_a_key_that_is_missing_or_another_is_never_replaced(tmp_path: Path) -> None:
    path = tmp_path / "site-key.pem"
    with pytest.raises(KeyMissing, match="Put it back"):
        open_site_key(path, "a-kid-of-before")
    assert not path.exists()
    made = make_site_key(path).pem
    with pytest.raises(KeyDoesNotFit, match="Put the right one back"):
        open_site_key(path, "a-kid-of-before")
    for spoilt in (b"", b"no key", make_public(path)):
        path.write_bytes(spoilt)
        with pytest.raises(SealError, match="Put the site key back"):
            open_site_key(path, "")
        assert path.read_bytes() == spoilt != made


def make_public(path: Path) -> bytes:
    """The public half of a key's file."""
    found: bytes = open_site_key(path, "").key.as_pem(private=False)
    return found


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
        (lambda d: d["unit"].update(product_revision=True),
         "unit.product_revision reads true; the signed value is 1."),
        (lambda d: d.update(verdict=float("nan")), "NaN, which is no number"),
        (lambda d: d.update(verdict=2**60), "verdict reads 1152921504606846976"),
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


def _twice(sealed: str) -> str:
    return sealed.replace('"verdict": "pass"', '"verdict": "fail", "verdict": "pass"', 1)


def _page_seal_for_document(sealed: str, key: SiteKey) -> str:
    content = {"number": "C-2026-000007", "document": "x", "bytes": 1, "at": 1, "rest": "y"}
    return json.dumps({"document": content, "jws": key.sign(canonical(content), Sort.PAPER)})


def _head_for_document(sealed: str, key: SiteKey) -> str:
    content = {**document()}
    return json.dumps({"document": content, "jws": key.sign(canonical(content), Sort.HEAD)})


def _sealed_but_no_certificate(sealed: str, key: SiteKey) -> str:
    return seal({"number": "C-2026-000007"}, key)


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda sealed, key: _twice(sealed), "'verdict' twice"),
        (lambda sealed, key: sealed.replace("{", '{"note": "and more",', 1), "and no more"),
        (lambda sealed, key: '{"document":' + "[" * 100_000, "deeper than"),
        (lambda sealed, key: '{"document":' + '{"a":' * 1_000 + "1" + "}" * 1_001, "deeper than"),
        (lambda sealed, key: '{"document": ' + "9" * 5_000 + "}", "5000 digits"),
        (_page_seal_for_document, "for something else: loricate-paper+jws"),
        (_head_for_document, "for something else: loricate-ledger-head+jws"),
        (_sealed_but_no_certificate, "no certificate of the form"),
        (lambda sealed, key: sealed + sealed, "not JSON"),
    ],
)  # fmt: skip
def test_what_could_be_read_in_another_way_is_not_genuine(
    key: SiteKey, spoil: Callable[[str, SiteKey], str], says: str
) -> None:
    found = verify(spoil(seal(document(), key), key).encode(), key.public_jwk)
    assert not found.genuine and says in found.faults[0], found.faults


@pytest.mark.parametrize("header", [b"[]", b"{}", b"[" * 9_000, b'{"alg":"none"}', b"\xff", b"1"])
def test_a_seal_without_an_orderly_header_is_told(key: SiteKey, header: bytes) -> None:
    first = base64.urlsafe_b64encode(header).rstrip(b"=").decode()
    with pytest.raises(SealError):
        opened(f"{first}.e30.AAAA", key.public_jwk, Sort.DOCUMENT)


@settings(max_examples=150)
@given(st.data())
def test_whatever_comes_is_answered_and_only_what_was_sealed_is_genuine(
    data: st.DataObject,
) -> None:
    """Bytes turned, cut out or put in anywhere, in JSON and PDF: a verdict, never a traceback."""
    sealed, paper = SEALED.encode(), PAPER
    original = data.draw(st.sampled_from([sealed, paper]))
    start = data.draw(st.integers(0, len(original) - 1))
    length = data.draw(st.integers(0, 40))
    new = data.draw(st.binary(max_size=40))
    spoilt = original[:start] + new + original[start + length :]
    found = verify(spoilt, KEY.public_jwk)
    if not found.genuine:
        assert all(isinstance(each, str) and each for each in found.faults)
    elif original is paper:
        # Only blanks after the seal, in the room that is its own, say nothing.
        assert spoilt == paper or spoilt.replace(b" ", b"") == paper.replace(b" ", b"")
    else:
        assert canonical(json.loads(spoilt)["document"]) == canonical(document())


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


def _run_something(pdf: pikepdf.Pdf) -> None:
    pdf.Root.OpenAction = pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS="app.alert('PASS')")


def _put_a_form(pdf: pikepdf.Pdf) -> None:
    field = pikepdf.Dictionary(FT=pikepdf.Name.Tx, T="verdict", V="PASS", Rect=[0, 0, 99, 99])
    pdf.Root.AcroForm = pikepdf.Dictionary(Fields=pikepdf.Array([pdf.make_indirect(field)]))


def _show_the_attachments_first(pdf: pikepdf.Pdf) -> None:
    pdf.Root.Collection = pikepdf.Dictionary(View=pikepdf.Name.D)


def _give_another_title(pdf: pikepdf.Pdf) -> None:
    pdf.docinfo["/Title"] = "C-2026-000008, DC40-26-0118"


def _attach_another(pdf: pikepdf.Pdf) -> None:
    pdf.attachments["passed.txt"] = pikepdf.AttachedFileSpec(pdf, b"PASS", filename="passed.txt")


def _add_a_page(pdf: pikepdf.Pdf) -> None:
    pdf.add_blank_page()


def _nothing(pdf: pikepdf.Pdf) -> None:
    """Saved again, as a mail gateway might."""


EDITS = [
    _draw_over, _annotate, _swap_font, _run_something, _put_a_form, _show_the_attachments_first,
    _give_another_title, _attach_another, _add_a_page, _nothing,
]  # fmt: skip


@pytest.mark.parametrize("edit", EDITS)
def test_a_paper_that_is_not_byte_for_byte_as_it_was_issued_is_told(
    key: SiteKey, pdf: bytes, edit: Callable[[pikepdf.Pdf], object]
) -> None:
    (fault,) = verify(_edited(pdf, edit), key.public_jwk).faults
    assert "changed after it was sealed, or saved again" in fault


def _appended(pdf: bytes) -> bytes:
    """What an editor does that adds to the end: a later catalogue takes the place of the first."""
    return pdf + b"1 0 obj\n<< /Type /Catalog >>\nendobj\ntrailer << /Root 1 0 R >>\n%%EOF\n"


def _moved(pdf: bytes) -> bytes:
    return pdf.replace(b"%PDF-1.", b"%PDF-1.4\n%PDF-1.", 1)


def _cut(pdf: bytes) -> bytes:
    return pdf[:-200]


@pytest.mark.parametrize("spoil", [_appended, _moved, _cut])
def test_a_file_that_a_reader_has_to_repair_is_not_genuine(
    key: SiteKey, pdf: bytes, spoil: Callable[[bytes], bytes]
) -> None:
    assert not verify(spoil(pdf), key.public_jwk).genuine


def test_what_verifying_does_not_tell_is_said(key: SiteKey, pdf: bytes) -> None:
    of_paper, of_data = (
        " ".join(verify(each, key.public_jwk).unchecked)
        for each in (pdf, seal(document(), key).encode())
    )
    assert "still counts" in of_paper and "key is the site's" in of_paper
    assert "verify its PDF" in of_data and "verify its PDF" not in of_paper


def test_a_key_set_has_the_keys_of_before(key: SiteKey, other_key: SiteKey) -> None:
    both = {"keys": [other_key.public_jwk, key.public_jwk]}
    assert verify(seal(document(), key).encode(), both).genuine
    (fault,) = verify(seal(document(), key).encode(), {"keys": [other_key.public_jwk]}).faults
    assert "does not have" in fault


def test_a_pdf_without_its_data_proves_nothing(key: SiteKey, pdf: bytes) -> None:
    bare = _edited(pdf, lambda opened: opened.attachments.__delitem__("certificate.json"))
    (fault,) = verify(bare, key.public_jwk).faults
    assert "proves nothing" in fault


def test_the_paper_of_another_certificate_is_told(key: SiteKey, pdf: bytes) -> None:
    other = {**document(), "number": "C-2026-000008"}
    (fault,) = paper_faults(pdf, other, digest(other), key.public_jwk)
    assert "belongs to another certificate" in fault
    again = {**document(), "verdict": "fail"}  # the same number, another content
    assert paper_faults(pdf, again, digest(again), key.public_jwk)


KEY = SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False))
SEALED = seal(document(), KEY)
PAPER = make_pdf(document(), SEALED, KEY)


def entries(count: int) -> list[LedgerEntry]:
    """A sound ledger, each entry with its document and paper."""
    made: list[LedgerEntry] = []
    previous = GENESIS
    kept = PAPERS.setdefault
    for position in range(1, count + 1):
        number = f"C-2026-{position:06}"
        content = {
            **document(steps=1), "number": number,
            "ledger": {"position": position, "previous": previous},
        }  # fmt: skip
        sealed, content_digest = seal(content, KEY), digest(content)
        found = entry_hash(position, number, content_digest, previous)
        pdf = make_pdf(content, sealed, KEY)
        paper = hashlib.sha256(pdf).hexdigest()
        kept(paper, pdf)
        made.append(
            LedgerEntry(
                position, number, "certificate", "u", "DC40-26-0117", content["issued_at"],
                content_digest, previous, found, sealed, paper,
            )
        )  # fmt: skip
        previous = found
    return made


PAPERS: dict[str, bytes] = {}
LEDGER = entries(5)
OTHER: dict[str, Any] = {
    "number": "C-2026-000009", "kind": "nonconformance", "serial": "DC40-26-0999",
    "issued_at": "2026-11-26T08:01:00.000Z", "document_digest": digest({"n": 99}),
    "previous": digest({"n": 98}), "hash": digest({"n": 97}), "supersedes": "C-2026-000001",
    "sealed": LEDGER[0].sealed, "paper": LEDGER[0].paper, "position": 9,
}  # fmt: skip


def test_a_whole_ledger_has_no_fault() -> None:
    assert check_ledger(LEDGER, KEY.public_jwk, PAPERS.get).faults == ()
    assert check_ledger([], KEY.public_jwk, PAPERS.get).faults == ()


def test_a_removed_entry_breaks_the_chain() -> None:
    chain = [*LEDGER[:2], *LEDGER[3:]]
    assert "Entry 3 is missing; C-2026-000004 stands in its place." in follow(chain).faults


@pytest.mark.parametrize("cell", OTHER)
def test_every_cell_of_an_entry_is_held_against_its_seal(cell: str) -> None:
    """Also with a chain that was made anew over what was changed."""
    changed = replace(LEDGER[2], **{cell: OTHER[cell]})
    assert not check_entry(changed, KEY.public_jwk, PAPERS.get).genuine
    anew = entry_hash(changed.position, changed.number, changed.document_digest, changed.previous)
    if cell != "hash":
        assert not check_entry(replace(changed, hash=anew), KEY.public_jwk, PAPERS.get).genuine


def test_a_document_without_its_paper_is_not_whole() -> None:
    gone = replace(LEDGER[2], paper="0" * 64)
    told = "Its paper beside the records is gone or was changed."
    assert check_entry(gone, KEY.public_jwk, PAPERS.get).faults == (told,)


def test_the_cells_tried_are_all_that_a_document_tells_of() -> None:
    assert OTHER.keys() | {"run_unit_id"} == set(LedgerEntry.__dataclass_fields__)


def head(count: int, hashed: str = "") -> Head:
    """A head of the sound ledger after so many entries."""
    return Head("Quillmere Apparatus", "BENCH-2", "2026-11-26T08:00:00.000Z", count,
                hashed or LEDGER[count - 1].hash, {"C-2026": count})  # fmt: skip


def test_heads_kept_outside_show_what_the_chain_cannot() -> None:
    hashes = follow(LEDGER).hashes
    assert ledger_faults([head(2), head(5)], hashes) == []
    (cut,) = ledger_faults([head(2), head(5)], follow(LEDGER[:3]).hashes)
    assert "5 entries; it has 3 now" in cut
    (emptied,) = ledger_faults([head(1)], {})
    assert "it has 0 now" in emptied
    (anew,) = ledger_faults([head(2, digest({"n": 1}))], hashes)
    assert "chained anew" in anew


def test_only_heads_that_the_site_signed_count(other_key: SiteKey) -> None:
    texts = [
        head(2).sign(KEY), head(5).sign(other_key), "nonsense", "", "a.b.c",
        KEY.sign(canonical({"position": 9}), Sort.DOCUMENT),
    ]  # fmt: skip
    found = read_heads(texts, {"keys": [KEY.public_jwk]})
    assert found.heads == [head(2)] and last_numbers(found.heads) == {"C-2026": 2}
    assert found.strange == 5 and "not those of before" in found.faults[0]


def test_the_seal_of_the_paper_is_attached_as_it_is(pdf: bytes) -> None:
    with pikepdf.open(io.BytesIO(pdf)) as found:
        data = found.attachments[PAPER_NAME].get_file().read_bytes()
    assert data in pdf and isinstance(verify(pdf, KEY.public_jwk), Verification)
