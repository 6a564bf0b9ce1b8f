"""How a site's papers look: page, zone, logo, colours, texts, lines to sign on, templates.

A look is plain data, so that a paper can carry its own and be drawn again anywhere.
"""

import base64
import binascii
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Self, get_args

from loricate.papers.wording import PaperWords
from loricate.texts.catalogue import Language

PAGES = {"A4": "a4", "Letter": "us-letter"}
COLOURS = {
    "ink": "#1c2426",
    "soft": "#56646a",
    "rule": "#b7c2c2",
    "good": "#1f6b4f",
    "bad": "#a3321f",
    "unsure": "#8a5a00",
}
TEXTS = (
    "certificate", "nonconformance", "lot", "report", "tested_by", "approved_by", "summed_up_by",
    "released_by", "technician", "client", "above", "below",
)  # fmt: skip
OWN_ALONE = ("above", "below")  # paragraphs above the readings and below the grounds: a site's own
SIGNATURES = {
    "certificate": ("tested_by", "approved_by"),
    "nonconformance": ("tested_by", "approved_by"),
    "lot": ("summed_up_by", "released_by"),
    "report": ("technician", "client"),
}
TEMPLATES = ("certificate.typ", "report.typ", "steps.typ", "lot.typ", "label.typ", "look.typ")
LOGO_SUFFIXES = ("png", "jpg", "svg")
MOST_LOGO_BYTES, MOST_TEMPLATE_BYTES = 200_000, 100_000


class LookRefused(ValueError):
    """What should be a look is none."""


@dataclass(frozen=True, slots=True)
class Look:
    """What a site chose for its papers; ``signatures`` are further lines to sign on."""

    page: str = "A4"
    zone: str = "UTC"
    logo: bytes = b""
    logo_suffix: str = ""
    colours: Mapping[str, str] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)
    signatures: tuple[str, ...] = ()
    templates: Mapping[str, str] = field(default_factory=dict)
    language: Language = "en"

    def text(self, name: str) -> str:
        """A text of the site's, or the one that ships."""
        shipped = "" if name in OWN_ALONE else self.words.say(f"paper-{name}")
        return self.texts.get(name, shipped)

    @property
    def words(self) -> PaperWords:
        """What its papers say, in its language."""
        return PaperWords(self.language)

    @property
    def with_shipped_templates(self) -> "Look":
        """The same look, drawn by the templates that ship."""
        return replace(self, templates={})

    @property
    def logo_file(self) -> str:
        """What the logo is called beside the templates, whatever it came as; empty without one."""
        return "logo.svg" if self.logo else ""

    @property
    def shown(self) -> dict[str, Any]:
        """What a template is told of it."""
        return {
            "page": PAGES[self.page],
            "language": self.language,
            "logo": self.logo_file,
            "colours": {**COLOURS, **self.colours},
        }

    def told(self) -> dict[str, Any]:
        """The look as a paper carries it."""
        return {
            "page": self.page,
            "zone": self.zone,
            "logo": base64.b64encode(self.logo).decode(),
            "logo_suffix": self.logo_suffix,
            "colours": dict(self.colours),
            "texts": dict(self.texts),
            "signatures": list(self.signatures),
            "templates": dict(self.templates),
            "language": self.language,
        }

    @classmethod
    def read(cls, told: Any) -> Self:
        """The look that a paper carries; raises LookRefused for what is none."""
        try:
            look = cls(
                told["page"],
                told["zone"],
                base64.b64decode(told["logo"], validate=True),
                told["logo_suffix"],
                _texts(told["colours"], COLOURS),
                _texts(told["texts"], TEXTS),
                tuple(str(each) for each in told["signatures"]),
                _texts(told["templates"], TEMPLATES),
                told.get("language", "en"),  # former papers say none
            )
        except (KeyError, TypeError, AttributeError, binascii.Error, ValueError) as error:
            raise LookRefused(f"its look has another form ({error})") from error
        if look.page not in PAGES or (look.logo and look.logo_suffix not in LOGO_SUFFIXES):
            raise LookRefused("its look has a page or a logo of another form")
        if look.language not in get_args(Language):
            raise LookRefused("its look has a language that is none of those known")
        return look


def _texts(told: Mapping[str, Any], known: Any) -> dict[str, str]:
    return {name: str(text) for name, text in told.items() if name in known}
