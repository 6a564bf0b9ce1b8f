"""What papers cost: one by one, of a load, and when they are verified."""

import io
import json
import tempfile
import time
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import typst
from asn1crypto import x509
from joserfc.jwk import OKPKey
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign.validation import validate_pdf_signature
from pyhanko_certvalidator import ValidationContext

from figures.demo_documents import certificate_document
from figures.pairs import ratio_of_pairs
from loricate.certificates.making import make_paper
from loricate.certificates.paper_checking import certificates_of
from loricate.certificates.paper_key import PaperKey, new_paper_key
from loricate.certificates.paper_signing import SITE_FIELD, Signing, sign_paper
from loricate.certificates.sealing import SiteKey, Sort, opened, seal
from loricate.certificates.verifying_many import verify_files
from loricate.papers.look import Look
from loricate.papers.typesetting import fonts

ROUNDS, PAIRS, LINES = 5, 7, 60
FILES = 1000  # different ones; each is verified once
BARE = """#set document(title: "bare", date: auto)
#set page(margin: 16mm)
#set text(font: "DejaVu Sans", size: 8pt)
#for each in json("data.json") [#each.plain *#each.bold* #linebreak()]
"""


@lru_cache(maxsize=1)
def keys() -> tuple[SiteKey, PaperKey]:
    """A key for documents and one for papers."""
    site = SiteKey(OKPKey.generate_key("Ed25519", auto_kid=False))
    return site, new_paper_key("Quillmere Apparatus")


def numbered(number: int) -> dict[str, Any]:
    """The figure's document by another number, so that nothing is drawn from memory."""
    document = certificate_document()
    name = f"C-2026-{number:06}"
    return {**document, "number": name, "verify_url": f"http://127.0.0.1:8640/verify/{name}"}


def bare_paper(document: dict[str, Any]) -> bytes:
    """A bare Typst page of the same lines, in the same fonts and form, with the same signature."""
    lines = [
        {
            "plain": f"{step['title']} {reading['quantity']} {document['number']}",
            "bold": f"{reading['text']} {reading['limit']['source']}",
        }
        for step in document["steps"]
        for reading in step["readings"]
    ]
    lines = (lines * (LINES // len(lines) + 1))[:LINES]
    compiled: Any = typst.compile
    pdf = compiled(
        {"main.typ": BARE.encode(), "data.json": json.dumps(lines).encode()},
        font_paths=fonts(),
        ignore_system_fonts=True,
        pdf_standards="a-4f",
        timestamp=0,
    )
    return sign_paper(pdf, [Signing(SITE_FIELD, "Issued", "Quillmere Apparatus")], keys()[1])


def our_paper(document: dict[str, Any]) -> bytes:
    """The paper as it is issued: sealed, drawn, attached, signed."""
    site, papers = keys()
    return make_paper(seal(document, site), papers, Look())


_number = iter(range(1, 10**9))


def _cpu_of(make: Callable[[dict[str, Any]], bytes]) -> float:
    documents = [numbered(next(_number)) for _ in range(ROUNDS)]
    begun = time.process_time()
    for document in documents:
        make(document)
    return time.process_time() - begun


def certificate_cpu() -> float:
    """CPU of one paper, seal and attachments included, over a bare page with as many lines.

    Both are drawn by Typst in the same fonts, as PDF/A-4f, and signed with the same key.
    """
    our_paper(numbered(next(_number)))
    bare_paper(numbered(next(_number)))
    return ratio_of_pairs(lambda: _cpu_of(our_paper), lambda: _cpu_of(bare_paper), PAIRS)


def verify_many() -> float:
    """Verifying 1,000 papers as the command does it, over checking their two signatures alone.

    Wall clock: the command uses every processor, as whoever waits for it wants; the bare check one.
    """
    site, paper_key = keys()
    both = {"keys": [site.public_jwk, paper_key.public_jwk]}
    trusted = certificates_of(both)
    with tempfile.TemporaryDirectory() as folder:
        paths = [Path(folder) / f"{number}.pdf" for number in range(FILES)]
        for number, path in enumerate(paths, start=1):
            path.write_bytes(our_paper(numbered(number)))
        begun = time.perf_counter()
        if not all(found.genuine for _, found in verify_files(paths, both)):
            raise AssertionError("a sound paper did not verify")
        ours_s = time.perf_counter() - begun
        begun = time.perf_counter()
        for path in paths:
            pdf = path.read_bytes()
            if not (_is_signed(pdf, trusted) and _is_sealed(pdf, site)):
                raise AssertionError("a sound signature did not verify")
        return ours_s / (time.perf_counter() - begun)


def _is_signed(pdf: bytes, trusted: list[x509.Certificate]) -> bool:
    (signature,) = PdfFileReader(io.BytesIO(pdf)).embedded_signatures
    context = ValidationContext(trust_roots=trusted, allow_fetching=False)
    return bool(validate_pdf_signature(signature, context).bottom_line)


def _is_sealed(pdf: bytes, site: SiteKey) -> bool:
    import pikepdf

    with pikepdf.open(io.BytesIO(pdf)) as found:
        sealed = json.loads(found.attachments["document.json"].get_file().read_bytes())
    return bool(opened(sealed["jws"], site.public_jwk, Sort.DOCUMENT))
