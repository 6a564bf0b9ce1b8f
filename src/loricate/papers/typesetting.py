"""Typesetting: a template and its data become a PDF/A-4f, tagged, with what is attached to it.

Text is data, never markup: it reaches the template as JSON. What the fonts cannot show, and what
would change how its neighbours are read, stands on the paper by its number: ``‹U+4E2D›``.
"""

import datetime as dt
import hashlib
import json
import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Any

import typst
from fontTools.ttLib import TTFont

from loricate.papers.look import TEMPLATES, Look
from loricate.papers.pictures import NoPicture, in_svg
from loricate.texts.catalogue import FILES, LANGUAGES, source

STANDARD = "a-4f"  # ISO 19005-4, with files attached; it is PDF 2.0
FONT_FILES = ("DejaVuSans.ttf", "DejaVuSans-Bold.ttf")
# What the typesetter raises where it meets a defect of its own; it is no Exception, so that nobody
# catches it unasked, and cannot be sent to another process.
PANIC = "PanicException"
# A run this long with no place to break would leave its column; it may break after every eighth.
_RUN = re.compile(r"[^\s/.:-]{24,}")
_BREAK = "\u200b"
_PACKAGE = re.compile(r'"@[\w-]+/')
_PLACE = re.compile(r"(?P<file>[\w./-]+\.typ):(?P<line>\d+):(?P<column>\d+)")


class TemplateFault(ValueError):
    """A template has a mistake: where, and what."""

    def __init__(self, file: str, line: int, column: int, reason: str) -> None:
        super().__init__(file, line, column, reason)
        self.file, self.line, self.column, self.reason = file, line, column, reason

    def __str__(self) -> str:
        where = f"{self.file}, line {self.line}, column {self.column}" if self.line else self.file
        return f"{where}: {self.reason}"


@dataclass(frozen=True, slots=True)
class Attached:
    """A file that a paper carries; ``relation`` as in PDF 2.0: source, data, supplement."""

    name: str
    data: bytes
    mime: str
    about: str
    relation: str = "source"


@lru_cache(maxsize=1)
def shipped() -> dict[str, str]:
    """The templates that ship, by file name."""
    folder = resources.files("loricate.papers") / "templates"
    return {name: (folder / name).read_text(encoding="utf-8") for name in TEMPLATES}


@lru_cache(maxsize=1)
def shipped_digest() -> str:
    """By which it is known with which templates and texts a paper was made (SHA-256)."""
    texts = {f"{each}/{file}": source(each, file) for each in LANGUAGES for file in FILES}
    shown = json.dumps({**shipped(), **texts}, sort_keys=True)
    return hashlib.sha256(shown.encode()).hexdigest()


@lru_cache(maxsize=1)
def fonts() -> typst.Fonts:
    """The fonts that ship; no other is used, so that pages are the same everywhere."""
    folder = resources.files("loricate.papers") / "fonts"
    return typst.Fonts(include_system_fonts=False, font_paths=[str(folder)])


@lru_cache(maxsize=1)
def _drawable() -> frozenset[int]:
    """The code points that every font has."""
    folder = Path(str(resources.files("loricate.papers"))) / "fonts"
    tables = []
    for file in FONT_FILES:
        with TTFont(folder / file, lazy=True) as font:
            tables.append(frozenset(font.getBestCmap()))
    return frozenset.intersection(*tables)


def showable(text: str) -> str:
    """A text as the fonts can show it, whatever it holds."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(map(_shown, unicodedata.normalize("NFC", text)))


@lru_cache(maxsize=4096)
def _shown(sign: str) -> str:
    category = unicodedata.category(sign)
    if sign in "\t\n\r\v\f\x85" or category in ("Zs", "Zl", "Zp"):
        return " "
    is_plain = category not in ("Cc", "Cf", "Cs", "Co", "Cn")
    if is_plain and ord(sign) in _drawable():
        return sign
    return f"‹U+{ord(sign):04X}›"


def _breakable(text: str) -> str:
    if len(text) < 24:
        return text
    return _RUN.sub(lambda run: re.sub(".{8}(?=.)", rf"\g<0>{_BREAK}", run[0]), text)


def _all_showable(data: Any) -> Any:
    if isinstance(data, str):
        return _breakable(showable(data))
    if isinstance(data, Mapping):
        return {name: _all_showable(each) for name, each in data.items()}
    if isinstance(data, list | tuple):
        return [_all_showable(each) for each in data]
    return data


def typeset(
    template: str,
    data: Mapping[str, Any],
    look: Look,
    at: str,
    files: Mapping[str, bytes] | None = None,
    attached: Sequence[Attached] = (),
) -> bytes:
    """Give the PDF that a template makes of its data; the same gives the same bytes.

    ``at`` is the time that the document bears (RFC 3339), ``files`` drawings that the template
    shows. Raises TemplateFault.
    """
    sources = {**shipped(), **look.templates}
    given: dict[str, bytes] = {name: text.encode() for name, text in sources.items()}
    given |= files or {}
    if look.logo:
        try:
            is_drawing = look.logo_suffix == "svg"
            given[look.logo_file] = look.logo if is_drawing else in_svg(look.logo)
        except NoPicture as error:
            raise TemplateFault(look.logo_file, 0, 0, str(error)) from error
    given["data.json"] = json.dumps(_all_showable({**data, "look": look.shown})).encode()
    attaching = []
    for index, each in enumerate(attached):
        given[f"attached/{index}"] = each.data
        attaching.append(
            f"#pdf.attach({json.dumps(each.name)}, read({json.dumps(f'attached/{index}')}, "
            f"encoding: none), relationship: {json.dumps(each.relation)}, "
            f"mime-type: {json.dumps(each.mime)}, description: {json.dumps(each.about)})\n"
        )
    for name, text in look.templates.items():
        if (found := _PACKAGE.search(text)) is not None:
            line = text.count("\n", 0, found.start()) + 1
            column = found.start() - text.rfind("\n", 0, found.start())
            raise TemplateFault(name, line, column, "packages cannot be had; copy what you need.")
    given["main.typ"] = f"{''.join(attaching)}#include {json.dumps(template)}\n".encode()
    moment = int(dt.datetime.fromisoformat(at).timestamp())
    try:
        return _compiled(given, moment)
    except typst.TypstError as error:
        raise _fault(template, error) from error
    except BaseException as error:
        if type(error).__name__ != PANIC:
            raise
        raise TemplateFault(template, 0, 0, f"the typesetter broke down ({error})") from None


def _compiled(given: dict[str, bytes], moment: int) -> bytes:
    compiled: Any = typst.compile  # its types know no sources by name
    made = compiled(
        given,
        root=str(resources.files("loricate.papers") / "fonts"),  # nothing else can be read
        font_paths=fonts(),
        ignore_system_fonts=True,
        pdf_standards=STANDARD,
        timestamp=moment,
    )
    if not isinstance(made, bytes):
        raise TypeError("The typesetter gave no file.")
    return made


def _fault(template: str, error: typst.TypstError) -> TemplateFault:
    told = str(getattr(error, "diagnostic", "") or error)
    reason = str(getattr(error, "message", "") or error).strip().splitlines()[0]
    place = _PLACE.search(told)
    if place is None:
        return TemplateFault(template, 0, 0, reason)
    return TemplateFault(
        place["file"].rpartition("/")[2], int(place["line"]), int(place["column"]) + 1, reason
    )
