"""A label with a sequence's code, to be scanned at the bench: Code 128, QR code, and in words.

The label is 62 mm by 29 mm. Both symbols hold the code alone, as a scanner types it.
"""

import io

from reportlab.graphics.barcode.code128 import Code128
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from loricate.certificates.drawing import (
    BOLD,
    INK,
    PLAIN,
    draw_qr,
    draw_text,
    register_fonts,
    wrapped,
)

WIDTH, HEIGHT = 62 * mm, 29 * mm
MARGIN = 2.5 * mm
BAR_HEIGHT = 9 * mm
QR_SIZE = 13 * mm
WIDEST_BAR, NARROWEST_BAR = 0.33 * mm, 0.125 * mm  # 8 dots to the mm is what label printers have
QUIET_BARS = 20  # ISO/IEC 15417 wants ten modules free on each side


def make_label(code: str, title: str) -> bytes:
    """The label as a PDF of one page; the same code and title give the same bytes.

    A code too long for bars that a label printer can draw is on the QR code alone.
    """
    register_fonts()
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(WIDTH, HEIGHT), invariant=1)
    canvas.setTitle(f"Label of {code}")
    top = HEIGHT - MARGIN
    draw_qr(canvas, code, WIDTH - MARGIN - QR_SIZE, top - QR_SIZE, QR_SIZE)
    room = WIDTH - QR_SIZE - 3 * MARGIN
    y = top
    fitting = min(
        10.0, room / pdfmetrics.stringWidth(code, BOLD, 1)
    )  # a code has no place to break
    for size, font, text, most in ((fitting, BOLD, code, 1), (7.0, PLAIN, title, 2)):
        for line in wrapped(text, font, size, room)[:most]:
            y -= size * 1.25
            draw_text(canvas, MARGIN, y, line, font, size, INK)
    modules = Code128(code, barWidth=1, quiet=False).width
    bar = min(WIDEST_BAR, (WIDTH - 2 * MARGIN) / (modules + QUIET_BARS))
    if bar >= NARROWEST_BAR:
        symbol = Code128(code, barWidth=bar, barHeight=BAR_HEIGHT, quiet=False)
        symbol.drawOn(canvas, (WIDTH - symbol.width) / 2, MARGIN)
    canvas.showPage()
    canvas.save()
    return out.getvalue()
