"""Drawing paper: embedded fonts, blocks on pages, and the marks that every sheet shares."""

import re
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from reportlab import rl_config
from reportlab.lib.colors import Color, HexColor
from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

PLAIN, BOLD = "Loricate", "Loricate-Bold"
PAGE_SIZES = {"A4": A4, "Letter": LETTER}
INK, SOFT, RULE = HexColor(0x1C2426), HexColor(0x56646A), HexColor(0xB7C2C2)
GOOD, BAD, UNSURE = HexColor(0x1F6B4F), HexColor(0xA3321F), HexColor(0x8A5A00)
MARGIN = 16 * mm
QR_MASK = 3
WORDS = {"pass": "PASS", "fail": "FAIL", "inconclusive": "INCONCLUSIVE", "not_run": "NOT RUN"}


@lru_cache(maxsize=1)
def register_fonts() -> None:
    """Embed our fonts, once a process."""
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


class Sheet(ABC):
    """Lays out blocks on pages of one size, so that each page can say how many there are."""

    def __init__(self, page_size: str) -> None:
        self.width, self.height = PAGE_SIZES[page_size]
        self.left, self.right = MARGIN, self.width - MARGIN
        self.span = self.right - self.left

    @abstractmethod
    def blocks(self) -> Iterator[Block]:
        """Every block in order."""

    @abstractmethod
    def foot(self) -> tuple[str, str]:
        """What stands at the foot of each page: to the left, and before the page's number."""

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
        left, right = self.foot()
        draw_rule(canvas, self.left, self.right, MARGIN + 6, 0.5)
        draw_text(canvas, self.left, MARGIN - 4, left, PLAIN, 7, SOFT)
        foot = f"{right}   page {number} of {count}"
        draw_text(canvas, self.right, MARGIN - 4, foot, PLAIN, 7, SOFT, "right")

    def heading(self, text: str) -> Block:
        """A heading."""

        def draw(canvas: Canvas, y: float) -> None:
            draw_text(canvas, self.left, y - 15, text, BOLD, 10, INK)

        return Block(20, draw)

    def line(self, text: str) -> Block:
        """A line of text, as many lines as it needs."""
        lines = wrapped(text, PLAIN, 7.5, self.span)

        def draw(canvas: Canvas, y: float) -> None:
            for index, line in enumerate(lines):
                draw_text(canvas, self.left, y - 8 - index * 10, line, PLAIN, 7.5, INK)

        return Block(10 * len(lines), draw)

    def facts(self, rows: Sequence[tuple[str, str]], strong: str = "") -> Block:
        """Names and values in two columns; the value named ``strong`` stands out."""

        def draw(canvas: Canvas, y: float) -> None:
            for index, (name, value) in enumerate(rows):
                x = self.left + (index % 2) * self.span / 2
                line = y - 10 - (index // 2) * 13
                draw_text(canvas, x, line, name, PLAIN, 8, SOFT)
                draw_text(canvas, x + 78, line, value, BOLD if name == strong else PLAIN, 8.5, INK)

        return Block(13 * ((len(rows) + 1) // 2) + 8, draw)

    def signatures(self, roles: Sequence[str]) -> Block:
        """A line to sign on for each role."""

        def draw(canvas: Canvas, y: float) -> None:
            for index, role in enumerate(roles):
                x = self.left + index * self.span / 2
                draw_rule(canvas, x, x + self.span * 0.44, y - 29, 0.6)
                draw_text(canvas, x, y - 38, f"{role}: name, signature, date", PLAIN, 7, SOFT)

        return Block(42, draw)


def tint_of(verdict: str) -> Color:
    """The colour of a verdict; its word always stands with it."""
    return {"pass": GOOD, "fail": BAD}.get(verdict, UNSURE)


def moment_text(text: str) -> str:
    """An RFC 3339 time to the second, for people: ``2026-11-25 08:30:00 UTC``."""
    return f"{text[:10]} {text[11:19]} UTC" if text else ""


def draw_text(
    canvas: Canvas,
    x: float,
    y: float,
    text: str,
    font: str,
    size: float,
    ink: Color,
    side: str = "left",
) -> None:
    """Draw a text from x, or up to x with ``side`` right; nothing for an empty one."""
    if not text:
        return
    canvas.setFont(font, size)
    canvas.setFillColor(ink)
    canvas.drawString(x - _width(text, font, size) if side == "right" else x, y, text)


def draw_rule(canvas: Canvas, left: float, right: float, y: float, width: float) -> None:
    """Draw a line across."""
    canvas.setStrokeColor(RULE)
    canvas.setLineWidth(width)
    canvas.line(left, y, right, y)


def wrapped(text: str, font: str, size: float, width: float) -> list[str]:
    """Break a text into lines that are no wider than ``width`` points."""
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


def qr_rows(text: str) -> list[str]:
    """A text as a QR code: rows of ``1`` for dark modules and ``0`` for light ones."""
    from reportlab.graphics.barcode.qrencoder import QRCode, QRErrorCorrectLevel

    code = QRCode(None, QRErrorCorrectLevel.M)
    code.addData(text)
    code.version = code.calculate_version()
    # Any of the eight masks can be read; trying them all for the prettiest takes most of the time.
    code.makeImpl(False, QR_MASK)
    across = range(code.getModuleCount())
    return ["".join("1" if code.isDark(row, each) else "0" for each in across) for row in across]


def draw_qr(canvas: Canvas, text: str, x: float, y: float, size: float) -> None:
    """Draw a QR code as one path of row runs: smaller and faster than a shape a module."""
    rows = qr_rows(text)
    count = len(rows)
    runs = [
        f"{dark.start()} {count - 1 - number} {len(dark.group())} 1 re"
        for number, row in enumerate(rows)
        for dark in re.finditer("1+", row)
    ]
    canvas.saveState()
    canvas.translate(x, y)
    canvas.scale(size / count, size / count)
    canvas.setFillColor(INK)
    canvas.addLiteral("\n".join([*runs, "f"]))
    canvas.restoreState()
