"""Reading papers as others do: Poppler's text, fonts, pictures and signatures."""

import subprocess
from pathlib import Path
from xml.etree import ElementTree

import numpy
import zxingcpp
from PIL import Image


def text_of(pdf: bytes, folder: Path, *options: str) -> str:
    """What Poppler reads on the pages, in reading order."""
    return _said(["pdftotext", *options], pdf, folder, ["-"])


def words_outside(pdf: bytes, folder: Path) -> list[str]:
    """The words that do not stand on their page from edge to edge."""
    told = ElementTree.fromstring(_said(["pdftotext", "-bbox"], pdf, folder, ["-"]))
    return [
        word.text or ""
        for page in told.iter("{*}page")
        for word in page.iter("{*}word")
        if float(word.attrib["xMin"]) < 0
        or float(word.attrib["xMax"]) > float(page.attrib["width"])
        or float(word.attrib["yMin"]) < 0
        or float(word.attrib["yMax"]) > float(page.attrib["height"])
    ]


def fonts_of(pdf: bytes, folder: Path) -> list[list[str]]:
    """The rows of Poppler's list of fonts, cut at blanks."""
    return [line.split() for line in _said(["pdffonts"], pdf, folder).splitlines()[2:]]


def signatures_of(pdf: bytes, folder: Path) -> str:
    """What Poppler says of the signatures."""
    return _said(["pdfsig"], pdf, folder)


def pictures_of(pdf: bytes, folder: Path) -> int:
    """How many photos are on the pages, as Poppler counts them."""
    return sum(
        " image " in line for line in _said(["pdfimages", "-list"], pdf, folder).splitlines()
    )


def codes_of(pdf: bytes, folder: Path, dots: int = 150) -> dict[str, str]:
    """The codes that a scanner reads on the first page, by their symbology."""
    picture = folder / "page"
    (folder / "paper.pdf").write_bytes(pdf)
    subprocess.run(
        ["pdftoppm", "-r", str(dots), "-gray", "-singlefile", folder / "paper.pdf", picture],
        check=True,
    )
    with Image.open(picture.with_suffix(".pgm")) as image:
        found = zxingcpp.read_barcodes(numpy.asarray(image))
    return {each.format.name: each.text for each in found}


def _said(command: list[str], pdf: bytes, folder: Path, after: list[str] | None = None) -> str:
    path = folder / "paper.pdf"
    path.write_bytes(pdf)
    done = subprocess.run(
        [*command, str(path), *(after or [])], capture_output=True, text=True, check=False
    )
    return done.stdout
