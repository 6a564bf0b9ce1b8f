"""Codes to scan, as vector drawings: QR codes (ISO/IEC 18004) and Code 128 (ISO/IEC 15417)."""

import io
import re

import segno
from barcode.codex import Code128
from barcode.writer import SVGWriter

QR_MASK = 3  # any of the eight can be read; trying them all takes most of the time
BAR_MODULE_MM = 0.33
_AS_DIGITS = bytes.maketrans(b"\x00\x01", b"01")


def qr_rows(text: str) -> list[str]:
    """A text as a QR code: rows of ``1`` for dark modules and ``0`` for light ones."""
    code = segno.make(text, error="m", mask=QR_MASK, micro=False, boost_error=False)
    return [bytes(row).translate(_AS_DIGITS).decode() for row in code.matrix]


def qr_code(text: str) -> bytes:
    """A text as a QR code in SVG: one path of row runs, which is drawn faster than modules are."""
    rows = qr_rows(text)
    runs = "".join(
        f"M{dark.start()} {row}h{len(dark.group())}v1h-{len(dark.group())}z"
        for row, modules in enumerate(rows)
        for dark in re.finditer("1+", modules)
    )
    size = len(rows)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {size} {size}" width="{size}" '
        f'height="{size}"><path d="{runs}" fill="#1c2426"/></svg>'
    ).encode()


def bar_modules(text: str) -> int:
    """How many modules a text takes in Code 128, quiet zones apart."""
    return len(Code128(text).build()[0])


def bar_code(text: str) -> bytes:
    """A text as Code 128 in SVG, without words and quiet zones."""
    out = io.BytesIO()
    options = {
        "module_width": BAR_MODULE_MM,
        "module_height": 9.0,
        "quiet_zone": 0,
        "write_text": False,
        "margin_top": 0,
        "margin_bottom": 0,
    }
    Code128(text, writer=SVGWriter()).write(out, options)
    return out.getvalue()
