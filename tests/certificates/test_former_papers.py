"""Papers of 0.1.0, which have a seal of their own: verified for ever, and every tampering told."""

import io
import json
import sqlite3
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pikepdf
import pytest

from loricate.certificates.making import make_paper
from loricate.certificates.sealing import SiteKey, site_key_of
from loricate.certificates.verifying import verify
from loricate.papers.look import Look
from tests.certificates.made import digest, keys, paper_key
from tests.papers.reading import text_of

KEPT = Path(__file__).parents[1] / "records" / "kept" / "demo-0.1.0.zip"


@pytest.fixture(scope="module")
def kept(tmp_path_factory: pytest.TempPathFactory) -> list[tuple[str, bytes]]:
    """What 0.1.0 issued: sealed texts and papers."""
    folder = tmp_path_factory.mktemp("former")
    with zipfile.ZipFile(KEPT) as archive:
        archive.extract("records.sqlite", folder)
    conn = sqlite3.connect(folder / "records.sqlite")
    rows = conn.execute("SELECT sealed, pdf FROM ledger ORDER BY position").fetchall()
    conn.close()
    return [(str(sealed), bytes(pdf)) for sealed, pdf in rows]


@pytest.fixture(scope="module")
def key() -> SiteKey:
    with zipfile.ZipFile(KEPT) as archive:
        return site_key_of(archive.read("site-key.pem"))


def test_each_verifies_and_says_what_cannot_be_checked(
    kept: list[tuple[str, bytes]], key: SiteKey
) -> None:
    assert len(kept) == 8
    for sealed, pdf in kept:
        found = verify(pdf, key.public_jwk)
        assert found.genuine and "cannot be drawn again" in " ".join(found.unchecked)
        assert verify(sealed.encode(), key.public_jwk).document == found.document


def _saved_again(pdf: bytes) -> bytes:
    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        opened.save(out)
    return out.getvalue()


def _a_bit_turned(pdf: bytes) -> bytes:
    return pdf[:900] + bytes([pdf[900] ^ 1]) + pdf[901:]


@pytest.mark.parametrize("spoil", [_saved_again, _a_bit_turned, lambda pdf: pdf + b" "])
def test_one_that_is_not_byte_for_byte_as_it_was_is_not_genuine(
    kept: list[tuple[str, bytes]], key: SiteKey, spoil: Callable[[bytes], bytes]
) -> None:
    for _, pdf in kept[:2]:
        assert not verify(spoil(pdf), key.public_jwk).genuine


def test_the_paper_of_another_document_is_told(kept: list[tuple[str, bytes]], key: SiteKey) -> None:
    from loricate.certificates.paper_seal import paper_faults

    other: dict[str, Any] = json.loads(kept[1][0])["document"]
    (fault,) = paper_faults(kept[0][1], other, digest(other), key.public_jwk)
    assert "belongs to another certificate" in fault


def test_each_can_be_made_again_as_papers_are_today(
    kept: list[tuple[str, bytes]], key: SiteKey, tmp_path: Path
) -> None:
    both = {"keys": [key.public_jwk, *keys()["keys"]]}
    for sealed, _ in kept:
        pdf = make_paper(sealed, paper_key(), Look(zone="Europe/Vienna"))
        found = verify(pdf, both)
        assert found.genuine and "word by word" in " ".join(found.checked)
        text = text_of(pdf, tmp_path)
        assert found.document["unit"]["serial"] in text and "(was" in text
