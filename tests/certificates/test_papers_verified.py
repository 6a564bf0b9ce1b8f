"""Papers: signed as any reader of PDF checks it, and every tampering is told."""

import datetime as dt
import io
import json
import warnings
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from hypothesis import given, settings
from hypothesis import strategies as st

from loricate.certificates.making import LOOK_NAME, SEALED_NAME, make_paper
from loricate.certificates.paper_checking import page_texts
from loricate.certificates.paper_key import PaperKey, new_paper_key
from loricate.certificates.paper_signing import sign_paper, signings_of
from loricate.certificates.sealing import canonical
from loricate.certificates.standing_file import SealedStanding
from loricate.certificates.verifying import SAYS_THE_SAME, verify
from loricate.papers.certificate import draw_certificate
from loricate.papers.look import Look
from loricate.papers.standing import COUNTS
from loricate.papers.typesetting import Attached, shipped, shipped_digest
from tests.certificates.made import (
    approval,
    digest,
    document,
    keys,
    paper,
    paper_key,
    revocation,
    sealed,
    site_key,
)
from tests.papers.reading import signatures_of, text_of

CHANGED = "changed after it was signed, or saved again"


def test_any_reader_of_pdf_says_that_the_paper_is_valid_and_a_bit_less_that_it_is_not(
    tmp_path: Path,
) -> None:
    told = signatures_of(paper(), tmp_path)
    assert "Signature is Valid" in told and "Total document signed" in told
    assert "Quillmere Apparatus" in told and "ETSI.CAdES.detached" in told
    whole = bytearray(paper())
    for place in (200, len(whole) // 2):
        spoilt = bytearray(whole)
        spoilt[place] ^= 1
        assert "Signature is Valid" not in signatures_of(bytes(spoilt), tmp_path)


def test_the_paper_is_genuine_and_says_what_was_checked() -> None:
    found = verify(paper(), keys())
    assert found.genuine and found.counts and found.document == document()
    told = " ".join(found.checked)
    for each in ("seal (JWS)", "signature (PAdES)", "same document", "word by word"):
        assert each in told
    unchecked = " ".join(found.unchecked)
    assert "still counts" in unchecked and "key is the site's" in unchecked


def test_the_first_signature_certifies_and_an_approval_is_a_second(tmp_path: Path) -> None:
    standing = SealedStanding(approvals=(approval(document()),))
    approved = paper(standing)
    told = signatures_of(approved, tmp_path)
    assert told.count("Signature is Valid") == 2 and "Approval1" in told
    found = verify(approved, keys())
    assert found.genuine and [each["number"] for each in found.standing.approvals] == [
        "A-2026-000001"
    ]
    assert "Ines Quay (ines)" in " ".join(text_of(approved, tmp_path).split())
    with pikepdf.open(io.BytesIO(approved)) as pdf:
        assert "/DocMDP" in pdf.Root.Perms


def test_a_paper_of_what_was_revoked_or_superseded_says_so_and_counts_no_longer(
    tmp_path: Path,
) -> None:
    standing = SealedStanding("C-2026-000009", revocation(document()))
    found = verify(paper(standing), keys())
    assert found.genuine and not found.counts
    assert "out of tolerance" in found.revoked and found.standing.superseded_by == "C-2026-000009"
    assert "REVOKED" in text_of(paper(standing), tmp_path)


def _edited(pdf: bytes, edit: Callable[[pikepdf.Pdf], object]) -> bytes:
    changed = io.BytesIO()
    with warnings.catch_warnings(), pikepdf.open(io.BytesIO(pdf)) as opened:
        warnings.simplefilter("ignore")  # of what the edit does to the file
        edit(opened)
        opened.save(changed)
    return changed.getvalue()


def _draw_over(pdf: pikepdf.Pdf) -> None:
    pdf.pages[0].contents_add(b"1 1 1 rg 0 0 300 300 re f")


def _annotate(pdf: pikepdf.Pdf) -> None:
    note = pikepdf.Dictionary(Type=pikepdf.Name.Annot, Subtype=pikepdf.Name.FreeText,
                              Rect=[0, 0, 99, 99], Contents="PASS")  # fmt: skip
    pdf.pages[0].Annots = pdf.make_indirect(pikepdf.Array([note]))


def _run_something(pdf: pikepdf.Pdf) -> None:
    pdf.Root.OpenAction = pikepdf.Dictionary(S=pikepdf.Name.JavaScript, JS="app.alert('PASS')")


def _show_the_attachments_first(pdf: pikepdf.Pdf) -> None:
    pdf.Root.Collection = pikepdf.Dictionary(View=pikepdf.Name.D)


def _attach_another(pdf: pikepdf.Pdf) -> None:
    pdf.attachments["passed.txt"] = pikepdf.AttachedFileSpec(pdf, b"PASS", filename="passed.txt")


def _add_a_page(pdf: pikepdf.Pdf) -> None:
    pdf.add_blank_page()


def _take_the_signature_away(pdf: pikepdf.Pdf) -> None:
    del pdf.Root.AcroForm
    del pdf.Root.Perms


def _nothing(pdf: pikepdf.Pdf) -> None:
    """Saved again, as a mail gateway might."""


EDITS = [
    _draw_over, _annotate, _run_something, _show_the_attachments_first, _attach_another,
    _add_a_page, _take_the_signature_away, _nothing,
]  # fmt: skip


@pytest.mark.parametrize("edit", EDITS)
def test_a_paper_that_was_edited_and_saved_is_not_genuine(
    edit: Callable[[pikepdf.Pdf], object],
) -> None:
    found = verify(_edited(paper(), edit), keys())
    assert not found.genuine and not found.checked, found.faults


def _appended(pdf: bytes) -> bytes:
    """What an editor does that adds to the end: a later catalogue takes the place of the first."""
    return pdf + b"1 0 obj\n<< /Type /Catalog >>\nendobj\ntrailer << /Root 1 0 R >>\n%%EOF\n"


def _a_line_more(pdf: bytes) -> bytes:
    return pdf + b"\n"


def _moved(pdf: bytes) -> bytes:
    return pdf.replace(b"%PDF-2.0", b"%PDF-2.0\n%PDF-2.0", 1)


def _cut(pdf: bytes) -> bytes:
    return pdf[:-200]


def _without_its_last_signature(pdf: bytes) -> bytes:
    """An approved paper as it was before the approval: its data says that there is one more."""
    return pdf[: pdf.rindex(b"%%EOF", 0, pdf.rindex(b"startxref")) + 6]


@pytest.mark.parametrize(
    "spoil", [_appended, _a_line_more, _moved, _cut, _without_its_last_signature]
)
def test_a_file_with_more_or_less_than_was_signed_is_not_genuine(
    spoil: Callable[[bytes], bytes],
) -> None:
    approved = paper(SealedStanding(approvals=(approval(document()),)))
    for each in (paper(), approved):
        assert not verify(spoil(each), keys()).genuine


def _outside_the_signature(pdf: bytes) -> bytes:
    """A file without the room of its signature, whose filling up says nothing."""
    start = pdf.rindex(b"/Contents <") + len(b"/Contents <")
    return pdf[:start] + pdf[pdf.index(b">", start) :]


@settings(max_examples=120, deadline=None)
@given(st.data())
def test_whatever_comes_is_answered_and_only_what_was_issued_is_genuine(
    data: st.DataObject,
) -> None:
    """Bytes turned, cut out or put in anywhere, in JSON and PDF: a verdict, never a traceback."""
    original = data.draw(st.sampled_from([sealed().encode(), paper()]))
    start = data.draw(st.integers(0, len(original) - 1))
    length = data.draw(st.integers(0, 40))
    new = data.draw(st.binary(max_size=40))
    spoilt = original[:start] + new + original[start + length :]
    found = verify(spoilt, keys())
    if not found.genuine:
        assert all(isinstance(each, str) and each for each in found.faults)
    elif original.startswith(b"%PDF"):
        assert _outside_the_signature(spoilt) == _outside_the_signature(original)
    else:
        assert canonical(json.loads(spoilt)["document"]) == canonical(document())


def test_the_key_that_papers_are_signed_with_must_be_the_sites() -> None:
    (fault,) = verify(
        paper(), {"keys": [*keys()["keys"][:1], paper_key("other").public_jwk]}
    ).faults
    assert "a certificate that the key set does not have" in fault
    (fault,) = verify(paper(), keys()["keys"][0]).faults
    assert "verify with the site's key set" in fault


def forged(told: dict[str, Any], shown: dict[str, Any], look: Look | None = None) -> bytes:
    """A paper that shows one document and carries another, signed by who has the key of papers."""
    look = look or Look()
    carried = json.dumps({"templates": shipped_digest(), "look": look.told()}).encode()
    attached = (
        Attached(SEALED_NAME, sealed(told).encode(), "application/json", "The signed data"),
        Attached(LOOK_NAME, carried, "application/json", "How the pages were drawn", "supplement"),
    )
    drawn = draw_certificate(shown, COUNTS, look, attached, digest(told))
    return sign_paper(drawn, signings_of(told, ()), paper_key())


@pytest.mark.parametrize(
    "change",
    [
        lambda shown: shown["unit"].update(serial="SAMPLE-2"),
        lambda shown: shown.update(verdict="fail"),
        lambda shown: shown["steps"][1]["readings"][0].update(text="8.000 mΩ"),
        lambda shown: shown["steps"].pop(),
        lambda shown: shown.update(number="C-2026-000008"),
        lambda shown: shown["instruments"].clear(),
    ],
)
def test_a_page_that_says_other_than_its_data_is_told_with_the_place(
    change: Callable[[dict[str, Any]], object],
) -> None:
    """Whoever has the key of papers alone cannot have a page say what was never sealed."""
    shown = document()
    change(shown)
    found = verify(forged(document(), shown), keys())
    assert not found.genuine
    assert "does not say what the signed data says" in found.faults[0]


def test_a_page_in_another_language_says_what_the_data_says_or_is_not_genuine() -> None:
    german = Look(language="de")
    found = verify(make_paper(sealed(document()), paper_key(), german), keys())
    assert found.genuine and SAYS_THE_SAME in found.checked
    shown = document()
    shown.update(verdict="fail")
    assert not verify(forged(document(), shown, german), keys()).genuine
    # Pages in one language under a look that tells of the other are not what was drawn.
    carried = json.dumps({"templates": shipped_digest(), "look": Look().told()}).encode()
    attached = (
        Attached(SEALED_NAME, sealed(document()).encode(), "application/json", "The signed data"),
        Attached(LOOK_NAME, carried, "application/json", "How the pages were drawn", "supplement"),
    )
    drawn = draw_certificate(document(), COUNTS, german, attached, digest(document()))
    mixed = sign_paper(drawn, signings_of(document(), ()), paper_key())
    assert not verify(mixed, keys()).genuine


def test_data_that_no_text_says_is_told_and_stops_nobody() -> None:
    told = document()
    told["sequence"]["decision_rule"] = "unheard"
    (fault, *_) = verify(forged(told, document()), keys()).faults
    assert "unheard" in fault or "decision_rule" in fault


def test_the_same_pages_are_the_same_words() -> None:
    assert verify(forged(document(), document()), keys()).genuine
    assert page_texts(paper()) == page_texts(forged(document(), document()))


def test_a_sites_own_template_is_told_as_what_could_not_be_checked() -> None:
    """It may leave things out: that it says what it said is checked, that it says all is not."""
    lies = shipped()["certificate.typ"].replace("#word(data.verdict", '#word("PASS"')
    look = Look(templates={"certificate.typ": lies})
    failed = {**document(), "verdict": "fail", "kind": "nonconformance", "number": "N-2026-000001"}
    found = verify(make_paper(sealed(failed), paper_key(), look), keys())
    assert found.genuine and "own template" in " ".join(found.unchecked)
    assert "word by word" not in " ".join(found.checked)


def test_the_paper_of_another_version_is_told_as_not_compared(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    old = paper()
    monkeypatch.setattr("loricate.certificates.verifying.shipped_digest", lambda: "another")
    found = verify(old, keys())
    assert found.genuine and "templates of another version" in " ".join(found.unchecked)


@pytest.mark.parametrize("look", [None, [], {"templates": ""}, {"look": {}, "templates": "x"}])
def test_a_paper_without_a_look_is_no_paper(look: Any) -> None:
    attached = (
        Attached(SEALED_NAME, sealed().encode(), "application/json", "The signed data"),
        Attached(LOOK_NAME, json.dumps(look).encode(), "application/json", "", "supplement"),
    )
    pdf = sign_paper(
        draw_certificate(document(), COUNTS, Look(), attached), signings_of(document(), ()),
        paper_key(),
    )  # fmt: skip
    (fault,) = verify(pdf, keys()).faults
    assert "look cannot be read" in fault


def test_a_pdf_without_its_data_proves_nothing() -> None:
    bare = draw_certificate(document(), COUNTS, Look())
    (fault,) = verify(bare, keys()).faults
    assert "proves nothing" in fault


def test_a_signature_that_was_made_for_another_number_is_not_this_ones() -> None:
    other = document("C-2026-000008")
    pdf = sign_paper(
        draw_certificate(document(), COUNTS, Look(), (
            Attached(SEALED_NAME, sealed().encode(), "application/json", "The signed data"),
            Attached(LOOK_NAME, b"{}", "application/json", "", "supplement"),
        )), signings_of(other, ()), paper_key(),
    )  # fmt: skip
    (fault,) = verify(pdf, keys()).faults
    assert "does not bear the signatures" in fault
    assert digest(other) != digest(document())


def test_a_signature_has_room_for_whatever_certificates_a_site_has(tmp_path: Path) -> None:
    """Its own certificate may be long, and others vouch for it."""
    key = replace(long_key(), others=tuple(long_key().certificate for _ in range(4)))
    both = {"keys": [site_key().public_jwk, key.public_jwk]}
    pdf = make_paper(sealed(document()), key, Look())
    assert verify(pdf, both).genuine
    assert "Signature is Valid" in signatures_of(pdf, tmp_path)


def long_key() -> PaperKey:
    """A key whose certificate is for three hundred names and has a long one itself."""
    private = ec.generate_private_key(ec.SECP256R1())
    parts = [x509.NameAttribute(NameOID.ORGANIZATIONAL_UNIT_NAME, f"{n}" * 60) for n in range(9)]
    name = x509.Name([*parts, x509.NameAttribute(NameOID.COMMON_NAME, "Quillmere")])
    begin = dt.datetime.now(dt.UTC) - dt.timedelta(days=1)
    usage = new_paper_key("Quillmere").certificate.extensions.get_extension_for_class(x509.KeyUsage)
    names = x509.SubjectAlternativeName([x509.DNSName(f"bench-{n}.example") for n in range(300)])
    certificate = (
        x509.CertificateBuilder(name, name, private.public_key(), x509.random_serial_number())
        .not_valid_before(begin)
        .not_valid_after(begin + dt.timedelta(days=365))
        .add_extension(usage.value, critical=True)
        .add_extension(names, critical=False)
        .sign(private, hashes.SHA256())
    )
    return PaperKey(private, certificate)
