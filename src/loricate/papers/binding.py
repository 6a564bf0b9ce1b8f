"""Reports of many units as one file: a first sheet that says of what, then a report a unit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pyhanko.pdf_utils.generic import (
    ArrayObject,
    DictionaryObject,
    NameObject,
    NumberObject,
    TextStringObject,
)
from pyhanko.pdf_utils.incremental_writer import IncrementalPdfFileWriter
from pyhanko.pdf_utils.reader import PdfFileReader

from loricate.core.depths import Depth
from loricate.papers.look import Look
from loricate.papers.sheet import Fact, heads_in, sheet_words, sign_line
from loricate.papers.typesetting import typeset
from loricate.papers.wording import local, tint_of

TEMPLATE = "lot.typ"  # it lists units, and leaves room to sign
HEADS = ("serial", "verdict", "nest", "document")
MOST_AT_ONCE = 20  # reports that are held together
# Of a page what is drawn; the rest leads to the whole of its file.
SHOWN = ("/Type", "/MediaBox", "/Resources", "/Contents", "/Rotate")


@dataclass(frozen=True, slots=True)
class Cover:
    """What the first sheet tells."""

    title: str
    site: str
    software: str
    drawn_at: str
    drawn_by: str
    scope: Sequence[str]
    depth: Depth
    failed_only: bool
    left_out: Sequence[str]
    units: Sequence[Mapping[str, Any]]  # serial, verdict, cause, nest, document, revoked


def draw_cover(cover: Cover, look: Look) -> bytes:
    """The PDF of the first sheet; raises TemplateFault."""
    title, words, count = cover.title or look.text("report"), look.words, len(cover.units)
    say = words.say
    passed = sum(each["verdict"] == "pass" for each in cover.units)
    depth = say(f"depth-{cover.depth}")
    facts = (
        Fact("units", say("cover-passed", count=count, passed=passed)),
        Fact("of", "; ".join(words.of("scope", each) for each in cover.scope) or say("cover-all")),
        Fact("tells", say("depth-only-failed", depth=depth) if cover.failed_only else depth),
        Fact("drawn", f"{local(cover.drawn_at, look.zone)}, {cover.drawn_by}"),
        Fact("software", cover.software),
    )
    told = {
        "title": title,
        "about": say("cover-of-units", title=title, count=count),
        "site": cover.site,
        "heading": title,
        "number": title,
        "number_line": say("cover-units", count=count),
        "state": "",
        "tint": "plain",
        "has_code": False,
        "foot": say("cover-foot"),
        "warnings": [words.sentence(each) for each in cover.left_out],
        "facts": [each.told(words) for each in facts],
        "above": look.text("above"),
        "heads": heads_in(words, HEADS),
        "units": [
            {
                "serial": unit["serial"],
                "verdict": words.verdict(unit["verdict"]) + words.cause_after(unit["cause"]),
                "tint": tint_of(unit["verdict"]),
                "times": str(unit["nest"]),
                "document": say("is-revoked", number=unit["document"])
                if unit["revoked"]
                else unit["document"],
            }
            for unit in cover.units
        ],
        "waiting": [],
        "grounds": [say("cover-about")],
        "signatures": [sign_line(look, each) for each in look.signatures],
        "words": {
            **sheet_words(words, cover.site, ""),
            "units": say("part-units"),
            "waiting": "",
            "grounds": say("part-about"),
        },
    }
    return typeset(TEMPLATE, told, look, cover.drawn_at)


def bind(first: bytes, parts: Sequence[tuple[str, Path]], to: Path) -> None:
    """Put reports behind a first sheet, each with its mark in the outline.

    ``parts`` are what each is called, and its file. Some at a time are added to the end of the file
    as incremental updates (ISO 32000-2), so that only those are ever held. Tags for screen readers
    are those of single reports; the bound one has none.
    """
    to.write_bytes(first)
    marks: list[tuple[str, int]] = []
    for begin in range(0, max(len(parts), 1), MOST_AT_ONCE):
        own = parts[begin : begin + MOST_AT_ONCE]
        with to.open("rb+") as file:
            writer = IncrementalPdfFileWriter(file, strict=False)
            for name in ("/StructTreeRoot", "/MarkInfo", "/Outlines", "/Metadata", "/Names"):
                writer.root.pop(name, None)
            for called, path in own:
                marks.append((called, _append(writer, path)))
            if begin + MOST_AT_ONCE >= len(parts):
                _mark(writer, marks)
            writer.update_root()
            writer.write_in_place()


def _append(writer: IncrementalPdfFileWriter, path: Path) -> int:
    """Add the pages of a file; gives how many were there before."""
    pages = writer.root["/Pages"]
    kids, before = pages["/Kids"], int(pages["/Count"])
    with path.open("rb") as source:
        reader = PdfFileReader(source, strict=False)
        count = int(reader.root["/Pages"]["/Count"])
        for number in range(count):
            page = reader.find_page_for_modification(number)[0].get_object()
            made = DictionaryObject(
                {
                    NameObject(name): writer.import_object(page.raw_get(name))
                    for name in page
                    if name in SHOWN
                }
            )
            made[NameObject("/Parent")] = writer.root.raw_get("/Pages")
            kids.append(writer.add_object(made))
    pages[NameObject("/Count")] = NumberObject(before + count)
    writer.update_container(pages)
    writer.update_container(kids)
    return before


def _mark(writer: IncrementalPdfFileWriter, marks: Sequence[tuple[str, int]]) -> None:
    """Make the outline: a line a report, in their order."""
    if not marks:
        return
    kids = writer.root["/Pages"]["/Kids"]
    outline = DictionaryObject({NameObject("/Type"): NameObject("/Outlines")})
    whole = writer.add_object(outline)
    items = [
        DictionaryObject(
            {
                NameObject("/Title"): TextStringObject(called),
                NameObject("/Parent"): whole,
                NameObject("/Dest"): ArrayObject([kids.raw_get(page), NameObject("/Fit")]),
            }
        )
        for called, page in marks
    ]
    places = [writer.add_object(each) for each in items]
    for number, item in enumerate(items):
        if number:
            item[NameObject("/Prev")] = places[number - 1]
        if number + 1 < len(items):
            item[NameObject("/Next")] = places[number + 1]
    outline[NameObject("/First")], outline[NameObject("/Last")] = places[0], places[-1]
    outline[NameObject("/Count")] = NumberObject(len(items))
    writer.root[NameObject("/Outlines")] = whole
