"""The paper: a document as a PDF that reads like an instrument laboratory's certificate.

Blocks are laid out first, so that each page can say how many there are. Fonts are embedded, the
sealed JSON and the seal of the file itself are attached (PDF 2.0 associated files).
"""

import io
import zlib
from collections.abc import Iterator
from typing import Any

import pikepdf
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
    draw_qr,
    draw_rule,
    draw_text,
    moment_text,
    register_fonts,
    tint_of,
    wrapped,
)
from loricate.certificates.paper_seal import PAPER_NAME, PLACE, seal_paper
from loricate.certificates.sealing import SiteKey, digest
from loricate.certificates.verifying import SEALED_NAME

# What the paper says of the gate; the JSON has all of it.
EXPECTED = "expected tests passed"  # only what was left out: the table shows the rest
UPKEEP = ("daily check passed", "leads zeroed")


class CertificateSheet(Sheet):
    """A certificate or nonconformance report."""

    def __init__(self, document: dict[str, Any], page_size: str) -> None:
        super().__init__(page_size)
        self.document = document

    def blocks(self) -> Iterator[Block]:
        """Every block in order."""
        yield self._head()
        yield self._facts()
        yield self.heading("Readings")
        yield self._table_head()
        for step in self.document["steps"]:
            yield from self._step(step)
        yield self.heading("Instruments")
        for instrument in self.document["instruments"]:
            yield self.line(
                f"{instrument['id']}  {instrument['title']}, serial {instrument['serial']}, "
                f"calibrated {instrument['calibrated']}, due {instrument['due']}, certificate "
                f"{instrument['certificate'] or 'not stated'}"
            )
        for name, unseen in self.document.get("unseen", {}).items():
            yield self.line(f"Taken on trust, since {name} cannot say: {', '.join(unseen)}")
        yield self.heading("Grounds")
        for line in self._grounds():
            yield self.line(line)
        yield self.signatures(("Tested by", "Approved by (quality)"))

    def _grounds(self) -> Iterator[str]:
        document = self.document
        rule = document["sequence"]["decision_rule"]
        share = document["sequence"]["decision_r"]
        meaning = {
            "simple": "accepted at the limit (simple acceptance)",
            "guarded": f"limits moved in by r·U (guard band), r = {share or 1:g}",
        }
        yield (
            f"Sequence {document['sequence']['code']} revision {document['sequence']['revision']}; "
            f"decision rule: {meaning[rule]}; {document['software']}."
        )
        by_check: dict[str, list[str]] = {}
        for limit_set in document["limit_sets"]:
            named = (
                f"{limit_set['code']} revision {limit_set['revision']} ({limit_set['standard']})"
            )
            by_check.setdefault(limit_set["checked"], []).append(named)
        for checked, sets in by_check.items():
            yield f"Limit set {', '.join(sets)}: {checked}."
        factor = document["sequence"]["coverage_factor"]
        yield (
            "Levels and times at level are as measured at the unit. U is the expanded uncertainty, "
            f"k = {factor:g}."
        )
        for left in document["sequence"]["findings_left"]:
            about = f"{left['step']}: " if left["step"] else ""
            yield (
                f"Released with a finding left ({left['severity']}). {about}{left['finding']} Left "
                f"by {left['by']}: {left['reason']}"
            )
        if document["supersedes"]:
            yield f"This document supersedes {document['supersedes']}, which no longer counts."
        for remark in document["remarks"]:
            about = f" on {remark['step']}" if remark["step"] else ""
            photo = f" (picture {remark['picture'][:12]})" if remark["picture"] else ""
            yield f"Remark{about} by {remark['account']}: {remark['text']}{photo}"
        met = {each["name"]: each["reason"] for each in document["gate"] if each["met"]}
        if " left out by " in met.get(EXPECTED, ""):
            yield f"{EXPECTED.capitalize()}: {met[EXPECTED]}"
        kept = [f"{name.capitalize()}: {met[name]}" for name in UPKEEP if name in met]
        if kept:
            yield " ".join(kept)
        if document["kind"] == "nonconformance":
            for requirement in document["gate"]:
                if not requirement["met"]:
                    yield f"Not certified: {requirement['name']}. {requirement['reason']}"

    def _head(self) -> Block:
        document = self.document
        certified = document["kind"] == "certificate"
        title = "Certificate of electrical safety test" if certified else "Nonconformance report"
        tint = tint_of(document["verdict"])

        def draw(canvas: Canvas, y: float) -> None:
            canvas.setFillColor(tint)
            canvas.rect(self.left, y - 58, 4, 58, stroke=0, fill=1)
            draw_text(canvas, self.left + 14, y - 10, document["site"], PLAIN, 9, SOFT)
            draw_text(canvas, self.left + 14, y - 32, title, BOLD, 17, INK)
            draw_text(canvas, self.left + 14, y - 50, f"No. {document['number']}", BOLD, 11, INK)
            word = WORDS[document["verdict"]]
            draw_text(canvas, self.left + 190, y - 50, word, BOLD, 11, tint)
            draw_qr(canvas, document["verify_url"], self.right - 62, y - 62, 62)

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
            (
                "Tested",
                f"{moment_text(run['started_at'])[:-4]} to {moment_text(run['ended_at'])[11:]}",
            ),
            ("Issued", moment_text(document["issued_at"])),
            ("Place", f"{run['bench']}, fixture {run['fixture']}, nest {run['nest']}"),
            ("Tested by", run["operator"]),
        ]
        return self.facts(rows, strong="Serial")

    def foot(self) -> tuple[str, str]:
        return f"Verify at {self.document['verify_url']}", self.document["number"]

    @property
    def _columns(self) -> tuple[float, ...]:
        """Right edges of value, U and limit; left edges of source and verdict."""
        return tuple(self.left + self.span * part for part in (0.36, 0.44, 0.625, 0.645, 0.905))

    def _table_head(self) -> Block:
        def draw(canvas: Canvas, y: float) -> None:
            value, spread, limit, source, verdict = self._columns
            base = y - 9
            draw_text(canvas, self.left, base, "Step and reading", PLAIN, 7.5, SOFT)
            draw_text(canvas, value, base, "Measured", PLAIN, 7.5, SOFT, "right")
            draw_text(canvas, spread, base, "U", PLAIN, 7.5, SOFT, "right")
            draw_text(canvas, limit, base, "Limit", PLAIN, 7.5, SOFT, "right")
            draw_text(canvas, source, base, "Source of the limit", PLAIN, 7.5, SOFT)
            draw_text(canvas, verdict, base, "Verdict", PLAIN, 7.5, SOFT)
            draw_rule(canvas, self.left, self.right, y - 12, 0.8)

        return Block(14, draw)

    def _step(self, step: dict[str, Any]) -> Iterator[Block]:
        stated = ", ".join(text for text in (step["conditions"], *_times(step)) if text)
        told = " ".join(text for text in (step["note"], *_history(step)) if text)
        paragraph = ". ".join(text for text in (stated, told) if text)
        shown = wrapped(paragraph, PLAIN, 6.8, self.span - 12)

        def draw(canvas: Canvas, y: float) -> None:
            verdict = self._columns[4]
            cause = f" ({step['cause'].replace('_', ' ')})" if step["cause"] else ""
            draw_text(canvas, self.left, y - 10, step["title"] + cause, BOLD, 8.5, INK)
            word = WORDS[step["verdict"]]
            draw_text(canvas, verdict, y - 10, word, BOLD, 7.5, tint_of(step["verdict"]))
            for index, line in enumerate(shown):
                draw_text(canvas, self.left + 8, y - 19 - index * 9, line, PLAIN, 6.8, SOFT)

        yield Block(14 + 9 * len(shown), draw)
        for repetition in step["repetitions"]:
            yield self._repetition(repetition)
            for reading in step["readings"]:
                if reading["repetition"] == repetition["repetition"] and _is_row(reading):
                    yield self._reading(reading)
        for reading in step["readings"] if not step["repetitions"] else ():
            if _is_row(reading):
                yield self._reading(reading)
        yield Block(3, lambda canvas, y: draw_rule(canvas, self.left, self.right, y - 1, 0.3))

    def _repetition(self, repetition: dict[str, Any]) -> Block:
        cause = f" ({repetition['cause'].replace('_', ' ')})" if repetition["cause"] else ""
        text = f"Repetition {repetition['repetition']}{cause}"

        def draw(canvas: Canvas, y: float) -> None:
            draw_text(canvas, self.left + 8, y - 8.5, text, PLAIN, 8, SOFT)
            tint = tint_of(repetition["verdict"])
            word = WORDS[repetition["verdict"]]
            draw_text(canvas, self._columns[4], y - 8.5, word, PLAIN, 7, tint)

        return Block(11, draw)

    def _reading(self, reading: dict[str, Any]) -> Block:
        limit = reading.get("limit", {"text": "", "source": ""})
        room = self._columns[4] - self._columns[3] - 4
        source = wrapped(limit["source"], PLAIN, 6.6, room)[:2]

        def draw(canvas: Canvas, y: float) -> None:
            value_x, spread_x, limit_x, source_x, verdict_x = self._columns
            base = y - 8.5
            name = f"{named(reading)}, {reading['instrument']}"
            draw_text(canvas, self.left + 8, base, name, PLAIN, 8, INK)
            draw_text(canvas, value_x, base, reading["text"], PLAIN, 8, INK, "right")
            draw_text(canvas, spread_x, base, _spread(reading), PLAIN, 7, SOFT, "right")
            size = 8.0 if len(limit["text"]) < 20 else 6.8
            draw_text(canvas, limit_x, base, limit["text"], PLAIN, size, INK, "right")
            for index, line in enumerate(source):
                lift = 3.2 if len(source) > 1 else 0
                draw_text(canvas, source_x, base + lift - index * 7, line, PLAIN, 6.6, SOFT)
            if reading["verdict"]:
                tint = tint_of(reading["verdict"])
                word = WORDS[reading["verdict"]]
                if reading["guarded"].startswith("conditional"):
                    word = reading["guarded"]
                draw_text(canvas, verdict_x, base, word, PLAIN, 7, tint)

        return Block(14 if len(source) > 1 else 11, draw)


def _is_row(reading: dict[str, Any]) -> bool:
    """Whether a reading has a row: a time that nothing limits is told with the conditions."""
    return reading["quantity"] != "time_at_level" or "limit" in reading


def named(reading: dict[str, Any]) -> str:
    """What a reading is of, in words."""
    return f"{reading['quantity'].replace('_', ' ')} {reading['point']}".strip()


def _times(step: dict[str, Any]) -> Iterator[str]:
    """How long the level stood, as measured, where no limit makes it a row."""
    texts = [each["text"] for each in step["readings"] if not _is_row(each)]
    if texts:
        yield f"at level as measured {', '.join(texts)}"


def _history(step: dict[str, Any]) -> Iterator[str]:
    """What came before the readings shown: values before a correction, earlier attempts and why."""
    uncorrected: dict[str, list[str]] = {}
    for reading in step["readings"]:
        if reading["corrections"]:
            before = reading["corrections"][0]["text"]
            uncorrected.setdefault(named(reading), []).append(before)
    for name, texts in uncorrected.items():
        yield f"{name[:1].upper()}{name[1:]} uncorrected: {', '.join(texts)}."
    for fault in step["faults"]:
        if fault["text"]:
            yield fault["text"]
    for reading in step["readings"]:
        if reading["ungraded"]:
            yield f"{named(reading).capitalize()} is said and not judged: {reading['ungraded']}."
    for attempt in step["earlier"]:
        cause = f", {attempt['cause'].replace('_', ' ')}" if attempt["cause"] else ""
        yield f"Attempt {attempt['attempt']}: {WORDS[attempt['verdict']].lower()}{cause}."
    if step["reason"]:
        yield f"Attempt {step['attempt']}, shown here: {step['reason']}."


def _spread(reading: dict[str, Any]) -> str:
    if not reading["uncertainty"] or not reading["value"] or reading["bound"] != "exact":
        return ""
    percent = 100 * reading["uncertainty"] / abs(reading["value"])
    return f"{float(f'{percent:.2g}'):g} %"  # two digits, never with an exponent


def make_pdf(document: dict[str, Any], sealed: str, key: SiteKey, page_size: str = "A4") -> bytes:
    """Give the bytes of the PDF of a document with its sealed text attached."""
    register_fonts()
    drawn = io.BytesIO()
    canvas = Canvas(drawn, pagesize=PAGE_SIZES[page_size], invariant=1, pageCompression=1)
    canvas.setTitle(f"{document['number']}, {document['unit']['serial']}")
    canvas.setAuthor(document["site"])
    canvas.setCreator(document["software"])
    canvas.setProducer(document["software"])
    CertificateSheet(document, page_size).draw(canvas)
    canvas.save()
    finished = io.BytesIO()
    with pikepdf.open(drawn) as pdf:
        _attach(pdf, SEALED_NAME, sealed.encode(), "application/json", "The signed data")
        _attach(pdf, PAPER_NAME, PLACE, "application/jose", "The seal of this file")
        pdf.Root.Lang = pikepdf.String("en")
        # Streams as they are: the seal's place must stand in the file as it is.
        pdf.save(finished, deterministic_id=True, compress_streams=False)
    return seal_paper(finished.getvalue(), document["number"], digest(document), key)


def _attach(pdf: pikepdf.Pdf, name: str, data: bytes, mime: str, about: str) -> None:
    spec = pikepdf.AttachedFileSpec(
        pdf,
        data,
        filename=name,
        mime_type=mime,
        description=about,
        relationship=pikepdf.Name.Data,
    )
    pdf.attachments[name] = spec
    kept = pdf.attachments[name].obj
    del kept.EF.F.Params.CheckSum  # the seal is filled in later
    if data is not PLACE:
        kept.EF.F.write(zlib.compress(data), filter=pikepdf.Name.FlateDecode)
