"""What a certificate's PDF costs."""

import io
import tempfile
import time
from pathlib import Path

from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas

from figures.demo_documents import certificate_document
from figures.pairs import ratio_of_pairs
from loricate.certificates.drawing import BOLD, PLAIN
from loricate.certificates.paper import make_pdf
from loricate.certificates.sealing import seal
from loricate.certificates.site_key import make_site_key

ROUNDS, PAIRS = 5, 9
LINES = 40


def certificate_cpu() -> float:
    """CPU of one certificate, seal and attachments included, over that of a bare page.

    The bare page has as many lines of text in the same two embedded fonts.
    """
    document = certificate_document()
    with tempfile.TemporaryDirectory() as folder:
        key = make_site_key(Path(folder) / "site-key.pem")
    text = [
        f"{step['title']} {reading['quantity']} {reading['text']} {reading['limit']['source']}"
        for step in document["steps"]
        for reading in step["readings"]
    ]

    def ours() -> float:
        begun = time.process_time()
        for _ in range(ROUNDS):
            make_pdf(document, seal(document, key), key)
        return time.process_time() - begun

    def bare() -> float:
        begun = time.process_time()
        for _ in range(ROUNDS):
            canvas = Canvas(io.BytesIO(), pagesize=A4, invariant=1, pageCompression=1)
            for number in range(LINES):
                canvas.setFont(PLAIN if number % 3 else BOLD, 8)
                canvas.drawString(40, 800 - number * 14, text[number % len(text)])
            canvas.showPage()
            canvas.save()
        return time.process_time() - begun

    return ratio_of_pairs(ours, bare, PAIRS)
