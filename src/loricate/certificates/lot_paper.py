"""The summary of a lot as a PDF: its yields, each unit's latest verdict, and which units wait."""

import io
from collections.abc import Iterator, Mapping
from typing import Any

from reportlab.pdfgen.canvas import Canvas

from loricate.certificates.drawing import (
    BOLD,
    INK,
    PAGE_SIZES,
    PLAIN,
    SOFT,
    WORDS,
    Block,
    Sheet,
    draw_rule,
    draw_text,
    moment_text,
    register_fonts,
    tint_of,
)


class LotSheet(Sheet):
    """The summary of a lot, as the records give it."""

    def __init__(
        self, lot: Mapping[str, Any], site: str, made_at: str, software: str, page_size: str
    ) -> None:
        super().__init__(page_size)
        self.lot, self.site, self.made_at, self.software = lot, site, made_at, software

    def blocks(self) -> Iterator[Block]:
        lot = self.lot
        yield self._head()
        yield self.facts(self._rows())
        yield self.heading("Units")
        if lot["units"]:
            yield self._table_head()
        for unit in lot["units"]:
            yield self._unit(unit)
        if lot["waiting_count"]:
            yield self.heading(f"Waiting: {lot['waiting_count']}")
            yield self.line(", ".join(lot["waiting"]) or "Known by the pattern only.")
        yield self.heading("Grounds")
        yield self.line(
            "A unit counts once. First pass: tested units that passed the first time, no step "
            "repeated; final: tested units whose latest verdict is pass. Aborted and interrupted "
            f"tests are no verdict. {self.software}."
        )
        yield self.signatures(("Summed up by", "Released by (quality)"))

    def foot(self) -> tuple[str, str]:
        return f"As it stood at {moment_text(self.made_at)}", f"Lot {self.lot['code']}"

    def _head(self) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            draw_text(canvas, self.left, y - 10, self.site, PLAIN, 9, SOFT)
            draw_text(canvas, self.left, y - 32, "Lot summary", BOLD, 17, INK)
            draw_text(canvas, self.left, y - 50, f"Lot {self.lot['code']}", BOLD, 11, INK)
            draw_text(canvas, self.right, y - 50, self.lot["state"], BOLD, 11, INK, "right")

        return Block(66, draw)

    def _rows(self) -> list[tuple[str, str]]:
        lot = self.lot
        return [
            ("Product", lot["product"]),
            ("Order number", lot["order_number"] or "none"),
            ("Serials", lot["serials"]),
            ("Quantity", str(lot["expected"])),
            ("Opened", f"{moment_text(lot['created_at'])[:-4]}, {lot['created_by']}"),
            ("Closed", moment_text(lot["closed_at"] or "") or "not yet"),
            ("Tested", f"{lot['tested']} of {lot['expected']}"),
            ("Passed, failed", f"{lot['passed']}, {lot['failed']}"),
            ("First-pass yield", _share(lot["first_pass_yield"])),
            ("Final yield", _share(lot["final_yield"])),
        ]

    @property
    def _columns(self) -> tuple[float, ...]:
        return tuple(self.left + self.span * part for part in (0.0, 0.34, 0.62, 0.74))

    def _table_head(self) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            heads = ("Serial", "Latest verdict", "Times", "Document")
            for x, head in zip(self._columns, heads, strict=True):
                draw_text(canvas, x, y - 9, head, PLAIN, 7.5, SOFT)
            draw_rule(canvas, self.left, self.right, y - 12, 0.8)

        return Block(14, draw)

    def _unit(self, unit: Mapping[str, Any]) -> Block:
        verdict = WORDS[unit["verdict"]]
        cause = f" ({unit['cause'].replace('_', ' ')})" if unit["cause"] else ""

        def draw(canvas: Canvas, y: float) -> None:
            serial_x, verdict_x, times_x, document_x = self._columns
            base = y - 9
            draw_text(canvas, serial_x, base, unit["serial"], PLAIN, 8, INK)
            draw_text(canvas, verdict_x, base, verdict + cause, BOLD, 7.5, tint_of(unit["verdict"]))
            draw_text(canvas, times_x, base, str(unit["times"]), PLAIN, 8, INK)
            draw_text(canvas, document_x, base, unit["certificate"] or "", PLAIN, 8, INK)

        return Block(12, draw)


def _share(part: float | None) -> str:
    return "none tested yet" if part is None else f"{part * 100:.1f} %"


def make_lot_pdf(
    lot: Mapping[str, Any], site: str, made_at: str, software: str, page_size: str = "A4"
) -> bytes:
    """Give the bytes of a lot's summary; ``made_at`` is RFC 3339."""
    register_fonts()
    drawn = io.BytesIO()
    canvas = Canvas(drawn, pagesize=PAGE_SIZES[page_size], invariant=1, pageCompression=1)
    canvas.setTitle(f"Lot {lot['code']}, summary")
    canvas.setAuthor(site)
    canvas.setCreator(software)
    canvas.setProducer(software)
    LotSheet(lot, site, made_at, software, page_size).draw(canvas)
    canvas.save()
    return drawn.getvalue()
