"""The paper: a document as a PDF that reads like an instrument laboratory's certificate.

Blocks are laid out first, so that each page can say how many there are. Fonts are embedded, the
sealed JSON and a signed digest of the pages are attached (PDF 2.0 associated files).
"""

import hashlib
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import pikepdf
from reportlab import rl_config
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from loricate.certificates.sealing import SiteKey, canonical
from loricate.certificates.verifying import PAGES_NAME, SEALED_NAME, page_digest

PLAIN, BOLD = "Loricate", "Loricate-Bold"
PAGE_SIZES = {"A4": A4, "Letter": LETTER}
INK, SOFT, RULE = HexColor(0x1C2426), HexColor(0x56646A), HexColor(0xB7C2C2)
GOOD, BAD, UNSURE = HexColor(0x1F6B4F), HexColor(0xA3321F), HexColor(0x8A5A00)
MARGIN = 16 * mm
QR_MASK = 3
WORDS = {"pass": "PASS", "fail": "FAIL", "inconclusive": "INCONCLUSIVE", "not_run": "NOT RUN"}


@lru_cache(maxsize=1)
def _register_fonts() -> None:
    for name, file in ((PLAIN, "DejaVuSans.ttf"), (BOLD, "DejaVuSans-Bold.ttf")):
        with resources.as_file(resources.files("loricate.certificates") / "fonts" / file) as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))
    # The library falls back on an unembedded font wherever it is not told otherwise.
    rl_config.canvas_basefontname = PLAIN
    rl_config.useA85 = 0  # streams as they are, not in printable characters
    rl_config.defaultGraphicsFontName = PLAIN


@dataclass(frozen=True, slots=True)
class Block:
    """A piece of the page: its height in points, and how to draw it with its top at y."""

    height: float
    draw: Callable[[Canvas, float], None]


class Sheet:
    """Lays out one document's blocks on pages of one size."""

    def __init__(self, document: dict[str, Any], page_size: str) -> None:
        self.document = document
        self.width, self.height = PAGE_SIZES[page_size]
        self.left, self.right = MARGIN, self.width - MARGIN
        self.span = self.right - self.left

    def blocks(self) -> Iterator[Block]:
        """Every block in order."""
        yield self._head()
        yield self._facts()
        yield self._heading("Readings")
        yield self._table_head()
        for step in self.document["steps"]:
            yield from self._step(step)
        yield self._heading("Instruments")
        for instrument in self.document["instruments"]:
            yield self._line(
                f"{instrument['id']}  {instrument['title']}, serial {instrument['serial']}, "
                f"calibrated {instrument['calibrated']}, due {instrument['due']}, certificate "
                f"{instrument['certificate'] or 'not stated'}"
            )
        yield self._heading("Grounds")
        for line in self._grounds():
            yield self._line(line)
        yield self._signatures()

    def _grounds(self) -> Iterator[str]:
        document = self.document
        rule = document["sequence"]["decision_rule"]
        meaning = {
            "simple": "accepted at the limit (simple acceptance)",
            "guarded": "limits moved in by the uncertainty (guard band)",
        }
        yield (
            f"Sequence {document['sequence']['code']} revision {document['sequence']['revision']}; "
            f"decision rule: {meaning[rule]}; {document['software']}."
        )
        for limit_set in document["limit_sets"]:
            yield (
                f"Limit set {limit_set['code']} revision {limit_set['revision']} "
                f"({limit_set['standard']}): {limit_set['checked']}."
            )
        yield "Levels are as re-measured at the unit. U is the expanded uncertainty, k = 2."
        if document["supersedes"]:
            yield f"This document supersedes {document['supersedes']}, which no longer counts."
        for remark in document["remarks"]:
            about = f" on {remark['step']}" if remark["step"] else ""
            photo = f" (picture {remark['picture'][:12]})" if remark["picture"] else ""
            yield f"Remark{about} by {remark['account']}: {remark['text']}{photo}"
        for condition in document["gate"]:
            if condition["name"] in ("daily check passed", "leads zeroed") and condition["met"]:
                yield f"{condition['name'].capitalize()}: {condition['reason']}"
            if not condition["met"] and document["kind"] == "nonconformance":
                yield f"Not certified: {condition['name']}. {condition['reason']}"

    def _head(self) -> Block:
        document = self.document
        certified = document["kind"] == "certificate"
        title = "Certificate of electrical safety test" if certified else "Nonconformance report"
        tint = _tint(document["verdict"])

        def draw(canvas: Canvas, y: float) -> None:
            canvas.setFillColor(tint)
            canvas.rect(self.left, y - 58, 4, 58, stroke=0, fill=1)
            _text(canvas, self.left + 14, y - 10, document["site"], PLAIN, 9, SOFT)
            _text(canvas, self.left + 14, y - 32, title, BOLD, 17, INK)
            _text(canvas, self.left + 14, y - 50, f"No. {document['number']}", BOLD, 11, INK)
            word = WORDS[document["verdict"]]
            _text(canvas, self.left + 190, y - 50, word, BOLD, 11, tint)
            _draw_qr(canvas, document["verify_url"], self.right - 62, y - 62, 62)

        return Block(74, draw)

    def _facts(self) -> Block:
        document = self.document
        unit, run = document["unit"], document["run"]
        protection = unit["protection_class"]
        rows = [
            ("Unit", f"{unit['title']} ({unit['product']} rev. {unit['product_revision']})"),
            ("Serial", unit["serial"]),
            ("Protection class", protection or "not stated"),
            ("Lot", unit["lot"] or "none"),
            ("Tested", f"{_moment(run['started_at'])[:-4]} to {_moment(run['ended_at'])[11:]}"),
            ("Issued", _moment(document["issued_at"])),
            ("Place", f"{run['bench']}, fixture {run['fixture']}, nest {run['nest']}"),
            ("Tested by", run["operator"]),
        ]

        def draw(canvas: Canvas, y: float) -> None:
            for index, (name, value) in enumerate(rows):
                x = self.left + (index % 2) * self.span / 2
                line = y - 10 - (index // 2) * 13
                _text(canvas, x, line, name, PLAIN, 8, SOFT)
                _text(canvas, x + 78, line, value, BOLD if name == "Serial" else PLAIN, 8.5, INK)

        return Block(13 * ((len(rows) + 1) // 2) + 8, draw)

    def _heading(self, text: str) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            _text(canvas, self.left, y - 15, text, BOLD, 10, INK)

        return Block(20, draw)

    @property
    def _columns(self) -> tuple[float, ...]:
        """Right edges of value, U and limit; left edges of source and verdict."""
        return tuple(self.left + self.span * part for part in (0.36, 0.44, 0.625, 0.645, 0.905))

    def _table_head(self) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            value, spread, limit, source, verdict = self._columns
            base = y - 9
            _text(canvas, self.left, base, "Step and reading", PLAIN, 7.5, SOFT)
            _text(canvas, value, base, "Measured", PLAIN, 7.5, SOFT, "right")
            _text(canvas, spread, base, "U", PLAIN, 7.5, SOFT, "right")
            _text(canvas, limit, base, "Limit", PLAIN, 7.5, SOFT, "right")
            _text(canvas, source, base, "Source of the limit", PLAIN, 7.5, SOFT)
            _text(canvas, verdict, base, "Verdict", PLAIN, 7.5, SOFT)
            _rule(canvas, self.left, self.right, y - 12, 0.8)

        return Block(14, draw)

    def _step(self, step: dict[str, Any]) -> Iterator[Block]:
        conditions = _wrapped(step["conditions"], PLAIN, 6.8, self.span - 12)
        told = " ".join(text for text in (step["note"], *_history(step)) if text)
        shown = conditions + _wrapped(told, PLAIN, 7.2, self.span - 12)

        def draw(canvas: Canvas, y: float) -> None:
            verdict = self._columns[4]
            cause = f" ({step['cause'].replace('_', ' ')})" if step["cause"] else ""
            _text(canvas, self.left, y - 11, step["title"] + cause, BOLD, 8.5, INK)
            word = WORDS[step["verdict"]]
            _text(canvas, verdict, y - 11, word, BOLD, 7.5, _tint(step["verdict"]))
            for index, line in enumerate(shown):
                _text(canvas, self.left + 8, y - 20 - index * 9, line, PLAIN, 6.8, SOFT)

        yield Block(15 + 9 * len(shown), draw)
        for reading in step["readings"]:
            yield self._reading(reading)
        yield Block(3, lambda canvas, y: _rule(canvas, self.left, self.right, y - 1, 0.3))

    def _reading(self, reading: dict[str, Any]) -> Block:
        limit = reading.get("limit", {"text": "", "source": ""})
        room = self._columns[4] - self._columns[3] - 4
        source = _wrapped(limit["source"], PLAIN, 6.6, room)[:2]

        def draw(canvas: Canvas, y: float) -> None:
            value_x, spread_x, limit_x, source_x, verdict_x = self._columns
            base = y - 8.5
            name = reading["name"].replace("_", " ")
            _text(canvas, self.left + 8, base, f"{name}, {reading['instrument']}", PLAIN, 8, INK)
            _text(canvas, value_x, base, reading["text"], PLAIN, 8, INK, "right")
            _text(canvas, spread_x, base, _spread(reading), PLAIN, 7, SOFT, "right")
            size = 8.0 if len(limit["text"]) < 20 else 6.8
            _text(canvas, limit_x, base, limit["text"], PLAIN, size, INK, "right")
            for index, line in enumerate(source):
                lift = 3.2 if len(source) > 1 else 0
                _text(canvas, source_x, base + lift - index * 7, line, PLAIN, 6.6, SOFT)
            if reading["verdict"]:
                tint = _tint(reading["verdict"])
                _text(canvas, verdict_x, base, WORDS[reading["verdict"]], PLAIN, 7, tint)

        return Block(15 if len(source) > 1 else 12, draw)

    def _line(self, text: str) -> Block:
        lines = _wrapped(text, PLAIN, 7.5, self.span)

        def draw(canvas: Canvas, y: float) -> None:
            for index, line in enumerate(lines):
                _text(canvas, self.left, y - 8 - index * 10, line, PLAIN, 7.5, INK)

        return Block(10 * len(lines), draw)

    def _signatures(self) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            for index, role in enumerate(("Tested by", "Approved by (quality)")):
                x = self.left + index * self.span / 2
                _rule(canvas, x, x + self.span * 0.44, y - 38, 0.6)
                _text(canvas, x, y - 48, f"{role}: name, signature, date", PLAIN, 7, SOFT)

        return Block(56, draw)

    def draw(self, canvas: Canvas) -> None:
        """Draw every page."""
        pages: list[list[tuple[float, Block]]] = [[]]
        y = self.height - MARGIN
        for block in self.blocks():
            if y - block.height < MARGIN + 14 and pages[-1]:
                pages.append([])
                y = self.height - MARGIN
            pages[-1].append((y, block))
            y -= block.height
        for number, page in enumerate(pages, start=1):
            for top, block in page:
                block.draw(canvas, top)
            self._foot(canvas, number, len(pages))
            canvas.showPage()

    def _foot(self, canvas: Canvas, number: int, count: int) -> None:
        _rule(canvas, self.left, self.right, MARGIN + 6, 0.5)
        document = self.document
        _text(canvas, self.left, MARGIN - 4, f"Verify at {document['verify_url']}", PLAIN, 7, SOFT)
        foot = f"{document['number']}   page {number} of {count}"
        _text(canvas, self.right, MARGIN - 4, foot, PLAIN, 7, SOFT, "right")


def _history(step: dict[str, Any]) -> Iterator[str]:
    """What came before the readings shown: zero taken off, earlier attempts and why they repeat."""
    for reading in step["readings"]:
        if "as_measured_text" in reading:
            yield f"{reading['name'].capitalize()} with leads: {reading['as_measured_text']}."
    for attempt in step["earlier"]:
        cause = f", {attempt['cause'].replace('_', ' ')}" if attempt["cause"] else ""
        yield f"Attempt {attempt['attempt']}: {WORDS[attempt['verdict']].lower()}{cause}."
    if step["reason"]:
        yield f"Attempt {step['attempt']}, shown here: {step['reason']}."


def _tint(verdict: str) -> Color:
    return {"pass": GOOD, "fail": BAD}.get(verdict, UNSURE)


def _moment(text: str) -> str:
    """An RFC 3339 time to the second, for people: ``2026-11-25 08:30:00 UTC``."""
    return f"{text[:10]} {text[11:19]} UTC" if text else ""


def _spread(reading: dict[str, Any]) -> str:
    if not reading["uncertainty"] or not reading["value"] or reading["bound"] != "exact":
        return ""
    return f"{100 * reading['uncertainty'] / abs(reading['value']):.2g} %"


def _text(
    canvas: Canvas, x: float, y: float, text: str, font: str, size: float, ink: Color,
    side: str = "left",
) -> None:  # fmt: skip
    if not text:
        return
    canvas.setFont(font, size)
    canvas.setFillColor(ink)
    canvas.drawString(x - _width(text, font, size) if side == "right" else x, y, text)


def _rule(canvas: Canvas, left: float, right: float, y: float, width: float) -> None:
    canvas.setStrokeColor(RULE)
    canvas.setLineWidth(width)
    canvas.line(left, y, right, y)


def _wrapped(text: str, font: str, size: float, width: float) -> list[str]:
    lines: list[str] = []
    space, used = _width(" ", font, size), 0.0
    for word in text.split():
        needed = _width(word, font, size)
        if lines and used + space + needed <= width:
            lines[-1] += f" {word}"
            used += space + needed
        else:
            lines.append(word)
            used = needed
    return lines


@lru_cache(maxsize=4096)
def _width(text: str, font: str, size: float) -> float:
    return float(pdfmetrics.stringWidth(text, font, size))


def _draw_qr(canvas: Canvas, text: str, x: float, y: float, size: float) -> None:
    """Draw a QR code as one path of row runs: smaller and faster than a shape a module."""
    from reportlab.graphics.barcode.qrencoder import QRCode, QRErrorCorrectLevel

    code = QRCode(None, QRErrorCorrectLevel.M)
    code.addData(text)
    code.version = code.calculate_version()
    # Any of the eight masks can be read; trying them all for the prettiest takes most of the time.
    code.makeImpl(False, QR_MASK)
    count = code.getModuleCount()
    runs = []
    for row in range(count):
        start = None
        for column in range(count + 1):
            dark = column < count and code.isDark(row, column)
            if dark and start is None:
                start = column
            elif not dark and start is not None:
                runs.append(f"{start} {count - 1 - row} {column - start} 1 re")
                start = None
    canvas.saveState()
    canvas.translate(x, y)
    canvas.scale(size / count, size / count)
    canvas.setFillColor(INK)
    canvas.addLiteral("\n".join([*runs, "f"]))
    canvas.restoreState()


def make_pdf(document: dict[str, Any], sealed: str, key: SiteKey, page_size: str = "A4") -> bytes:
    """Give the bytes of the PDF of a document with its sealed text attached."""
    _register_fonts()
    drawn = io.BytesIO()
    canvas = Canvas(drawn, pagesize=PAGE_SIZES[page_size], invariant=1, pageCompression=1)
    canvas.setTitle(f"{document['number']}, {document['unit']['serial']}")
    canvas.setAuthor(document["site"])
    canvas.setCreator(document["software"])
    canvas.setProducer(document["software"])
    Sheet(document, page_size).draw(canvas)
    canvas.save()
    finished = io.BytesIO()
    with pikepdf.open(drawn) as pdf:
        seal = {
            "number": document["number"],
            "document": hashlib.sha256(canonical(document)).hexdigest(),
            "pages": [page_digest(page) for page in pdf.pages],
        }
        _attach(pdf, SEALED_NAME, sealed.encode(), "application/json", "The signed data")
        _attach(
            pdf, PAGES_NAME, key.sign(canonical(seal)).encode(), "application/jose", "Page seal"
        )
        pdf.Root.Lang = pikepdf.String("en")
        pdf.save(finished, deterministic_id=True)
    return finished.getvalue()


def _attach(pdf: pikepdf.Pdf, name: str, data: bytes, mime: str, about: str) -> None:
    spec = pikepdf.AttachedFileSpec(
        pdf, data, filename=name, mime_type=mime, description=about,
        relationship=pikepdf.Name.Data,
    )  # fmt: skip
    pdf.attachments[name] = spec
    if "/AF" not in pdf.Root:
        pdf.Root.AF = pikepdf.Array()
    pdf.Root.AF.append(pdf.attachments[name].obj)
