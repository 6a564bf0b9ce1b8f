"""The catalogue: every text by its name, in each language, in the form of Project Fluent."""

from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

from fluent.runtime import FluentBundle, FluentResource
from fluent.runtime.types import fluent_number

Language = Literal["en", "de"]
LANGUAGES: tuple[Language, ...] = ("en", "de")
FILES = ("terms.ftl", "papers.ftl", "record.ftl")


class NoText(LookupError):
    """The catalogue has no such text, or not all that it tells was given."""


@lru_cache(maxsize=len(LANGUAGES) * len(FILES))
def source(language: Language, file: str) -> str:
    """A file of the catalogue, as it ships."""
    folder = resources.files("loricate.texts") / language
    return (folder / file).read_text(encoding="utf-8")


class Catalogue:
    """The texts of a language."""

    def __init__(self, language: Language) -> None:
        self.language = language
        # Signs that keep two directions of writing apart; both languages are written one way.
        self._bundle = FluentBundle([language], use_isolating=False)
        for file in FILES:
            self._bundle.add_resource(FluentResource(source(language, file)))

    def has(self, name: str) -> bool:
        """Whether there is a text of this name."""
        return self._bundle.has_message(name)

    def say(self, name: str, told: Mapping[str, str | int] | None = None, /, **more: Any) -> str:
        """A text with what it tells filled in; raises NoText."""
        given = {**(told or {}), **more}
        if not self.has(name):
            raise NoText(f"No text '{name}' in {self.language}.")
        value = self._bundle.get_message(name).value
        if value is None:
            raise NoText(f"The text '{name}' in {self.language} is empty.")
        numbered = {
            each: fluent_number(part, useGrouping=False) if isinstance(part, int) else part
            for each, part in given.items()
        }
        text, faults = self._bundle.format_pattern(value, numbered)
        if faults:
            raise NoText(f"The text '{name}' in {self.language}: {faults[0]}.")
        return str(text)

    def term(self, group: str, word: str) -> str:
        """One of the service's own words, such as a cause; of a kind brought along: as it is."""
        name = f"{group}-{word.replace(' ', '_')}"
        return self.say(name) if self.has(name) else word.replace("_", " ")


@lru_cache(maxsize=len(LANGUAGES))
def catalogue(language: Language) -> Catalogue:
    """The catalogue of a language, read once."""
    return Catalogue(language)
