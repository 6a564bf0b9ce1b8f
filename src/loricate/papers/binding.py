"""Reports of many units as one file: a first sheet that says of what, then a report a unit."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pikepdf
from pikepdf import OutlineItem

from loricate.core.depths import WORDS, Depth
from loricate.papers.look import Look
from loricate.papers.typesetting import typeset
from loricate.papers.wording import cause_words, local, tint_of, verdict_word

TEMPLATE = "lot.typ"  # it lists units, and leaves room to sign
HEADS = ("Serial", "Verdict", "Nest", "Document")
MOST_AT_ONCE = 50  # files that are open together
ABOUT = (
    "The report of each unit follows, with pages numbered by themselves. Each is drawn from the "
    "record as it is; what was issued and sealed is named by its number."
)
FOOT = "Drawn from the records; it is no certificate and not sealed"


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
    title = cover.title or look.text("report")
    passed = sum(each["verdict"] == "pass" for each in cover.units)
    facts = [
        ("Units", f"{len(cover.units)}, of which {passed} passed"),
        ("Of", "; ".join(cover.scope) or "all units in runs"),
        ("Tells", WORDS[cover.depth] + (", only what did not pass" if cover.failed_only else "")),
        ("Drawn", f"{local(cover.drawn_at, look.zone)}, {cover.drawn_by}"),
        ("Software", cover.software),
    ]
    told = {
        "title": title,
        "about": f"{title} of {len(cover.units)} units",
        "site": cover.site,
        "heading": title,
        "number": title,
        "number_line": f"{len(cover.units)} units",
        "state": "",
        "tint": "plain",
        "has_code": False,
        "foot": FOOT,
        "warnings": list(cover.left_out),
        "facts": [{"name": each[0], "value": each[1], "strong": False} for each in facts],
        "above": look.text("above"),
        "heads": HEADS,
        "units": [
            {
                "serial": unit["serial"],
                "verdict": verdict_word(unit["verdict"]) + cause_words(unit["cause"]),
                "tint": tint_of(unit["verdict"]),
                "times": str(unit["nest"]),
                "document": f"{unit['document']} revoked" if unit["revoked"] else unit["document"],
            }
            for unit in cover.units
        ],
        "waiting": [],
        "grounds": [ABOUT],
        "signatures": [
            {"title": f"{each}: name, signature, date", "signed": ""} for each in look.signatures
        ],
        "words": {
            "page": "page", "of": "of", "units": "Units", "waiting": "", "code": "",
            "grounds": "About this report", "logo": f"Logo of {cover.site}",
        },
    }  # fmt: skip
    return typeset(TEMPLATE, told, look, cover.drawn_at)


def bind(first: bytes, parts: Sequence[tuple[str, Path]], to: Path) -> None:
    """Put reports behind a first sheet, each with its mark in the outline; some at a time.

    ``parts`` are what each is called, and its file.
    """
    folder = to.parent
    bound = folder / "bound-0.pdf"
    bound.write_bytes(first)
    marks: list[tuple[str, int]] = []
    for begin in range(0, len(parts), MOST_AT_ONCE):
        own = folder / f"bound-{begin + 1}.pdf"
        with pikepdf.open(bound) as so_far:
            for name, path in parts[begin : begin + MOST_AT_ONCE]:
                marks.append((name, len(so_far.pages)))
                with pikepdf.open(path) as part:
                    so_far.pages.extend(part.pages)
            so_far.save(own, object_stream_mode=pikepdf.ObjectStreamMode.generate)
        bound.unlink()
        bound = own
    with pikepdf.open(bound) as whole:
        for name in ("/AF", "/MarkInfo", "/StructTreeRoot", "/Metadata"):
            if name in whole.Root:
                del whole.Root[name]  # of the first sheet alone
        with whole.open_outline() as outline:
            outline.root.extend(OutlineItem(name, page) for name, page in marks)
        whole.save(to, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    bound.unlink()
