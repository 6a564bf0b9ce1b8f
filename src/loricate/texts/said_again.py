"""What the record says, said in another language.

The record is English, sealed as it was said. Its sentences are texts of the catalogue with figures
and names in their places: the English text finds what a sentence tells, the other one says it. What
no text of the catalogue says (somebody wrote it, or an instrument's driver) stays as it is.
"""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fluent.syntax import FluentParser
from fluent.syntax.ast import Message, Placeable, TextElement, VariableReference

from loricate.texts.catalogue import Language, catalogue, source

MOST_LETTERS = 500  # of what is looked up: finding takes a power of it, whoever wrote the text
MOST_TOGETHER = 5  # sentences that are one text of the catalogue
LEAKAGE = "leakage"  # the kind whose points are named by the service's own words
_SENTENCE_ENDS = re.compile(r"(?<=[.?!]) (?=\S)")
_UNITS = r"(?:[fpnµmkMGT]?(?:Ω|V|A|W|VA|F|H|Hz|s|J|Pa|K|Ω·m)|°C|°F|%|min|h|mmHg|kPa|V/s|kV/s)"
_FIGURE = re.compile(
    rf"[<>≥≤±]? ?[-−]?\d+(?:\.\d+)?(?:e[-+]?\d+)?(?: ?{_UNITS})?"
    rf"(?:(?: to |, |\+|; )[<>≥≤±]? ?[-−]?\d+(?:\.\d+)?(?: ?{_UNITS})?)*"
)
_POINT = re.compile(r"(?<=\d)\.(?=\d)")
# A place ends where its sentence does; but for these, in which somebody may have written several.
_WITHIN, _LONG = r"(?:(?![.?!] ).)+?", ("rest", "reason", "expected", "line")


@dataclass(frozen=True, slots=True)
class _Known:
    """A text of the catalogue as English sentences are found by it.

    ``takes`` is the group whose texts a setting's value is of; empty where names and figures are.
    """

    name: str
    pattern: re.Pattern[str]
    weight: int  # of its own letters: of several that fit, the one that says most itself
    takes: str = ""


@lru_cache(maxsize=1)
def _known() -> Mapping[str, tuple[_Known, ...]]:
    """The English texts by group, those that say most of themselves first."""
    found: dict[str, list[_Known]] = {}
    for file in ("terms.ftl", "record.ftl"):
        for entry in FluentParser().parse(source("en", file)).body:
            if isinstance(entry, Message):
                found.setdefault(entry.id.name.partition("-")[0], []).append(_compiled(entry))
    return {
        group: tuple(sorted(own, key=lambda each: (-each.weight, each.name)))
        for group, own in found.items()
    }


def _compiled(message: Message) -> _Known:
    name, parts, weight = message.id.name, list[str](), 0
    for element in message.value.elements if message.value else ():
        match element:
            case TextElement(value=text):
                parts.append(re.escape(text))
                weight += len(text)
            case Placeable(expression=VariableReference(id=told)):
                is_again = f"(?P<{told.name}>" in "".join(parts)
                inside = ".+?" if told.name in _LONG else _WITHIN
                parts.append(f"(?P={told.name})" if is_again else f"(?P<{told.name}>{inside})")
                weight -= told.name in _LONG  # one that takes less for anything goes before it
            case _:
                raise ValueError(f"The text '{name}' is no sentence of figures and names alone.")
    takes = "".join(
        each.value for one in message.attributes if one.id.name == "takes"
        for each in one.value.elements if isinstance(each, TextElement)
    )  # fmt: skip
    return _Known(name, re.compile("".join(parts)), weight, takes)


def _begun(text: str, like: str) -> str:
    """A text that begins with a large letter where another one does."""
    return f"{text[:1].upper()}{text[1:]}" if like[:1].isupper() else text


def _small(text: str) -> str:
    return f"{text[:1].lower()}{text[1:]}"


@dataclass(frozen=True, slots=True)
class Words:
    """What is said in a language: texts of the catalogue, and again what the record says.

    ``kind`` is that of the step that is told of: the points of a leakage step are named by words of
    the service, those of others by the product's own names, which stay.
    """

    language: Language = "en"
    kind: str = ""

    def say(self, name: str, /, **told: str | int) -> str:
        """A text of the catalogue."""
        return catalogue(self.language).say(name, told)

    def term(self, group: str, word: str) -> str:
        """One of the service's own words, such as a cause."""
        return catalogue(self.language).term(group, word)

    def figure(self, text: str) -> str:
        """A figure with its unit: ``> 1.5 GΩ`` is ``> 1,5 GΩ`` in German.

        What is no figure, such as a clause or a name, stays as it is.
        """
        if self.language == "en" or not _FIGURE.fullmatch(text):
            return text
        return _POINT.sub(",", text).replace(" to ", " bis ")

    def sentence(self, text: str) -> str:
        """Sentences of the record; each that is not known stays as it is."""
        return _sentences(self, text) if text and self.language != "en" else text

    def of(self, group: str, text: str) -> str:
        """A text of a group; a figure, or what is not known, where it is none."""
        if self.language == "en" or not text:
            return text
        said = self.found(group, text)
        return self.figure(text) if said is None else said

    def found(self, group: str, text: str) -> str | None:
        """A text of a group as it is found by its English; None for what is none."""
        if len(text) > MOST_LETTERS:
            return None
        for known in _known()[group]:
            if (found := known.pattern.fullmatch(text)) is not None:
                places = found.groupdict().items()
                return self.say(known.name, **{name: self._told(name, at) for name, at in places})
        return None

    def _told(self, place: str, part: str) -> str:
        """What stands in a place, by the place's name."""
        for begin, say in _SORTS.items():
            if place.startswith(begin):
                return say(self, part)
        return part

    def point(self, name: str) -> str:
        """The name of a point."""
        groups = ("leakage", "point") if self.kind == LEAKAGE else ("point",)
        return ", ".join(self._piece(groups, each) for each in name.split(", "))

    def _piece(self, groups: Sequence[str], text: str) -> str:
        for group in groups:
            if (said := self.found(group, text)) is not None:
                return said
        return self.figure(text)

    def conditions(self, text: str) -> str:
        """The conditions of a step, each setting's title with its value."""
        if self.language == "en" or not text:
            return text
        parts = text.split(", ")
        for at in range(len(parts) - 1, 0, -1):  # a title that has a comma itself
            both = f"{parts[at - 1]}, {parts[at]}"
            if _title_of(both) not in (None, _title_of(parts[at - 1])):
                parts[at - 1 : at + 1] = [both]
        return ", ".join(map(self._setting, parts))

    def _setting(self, text: str) -> str:
        known = _title_of(text)
        if known is None:
            return self.figure(text)
        value = text[known.weight + 1 :]
        if known.takes:
            value = "+".join(self.of(known.takes, each) for each in value.split("+"))
        return f"{self.say(known.name)} {self.figure(value)}"

    def left_out(self, text: str) -> str:
        """What a leakage step leaves out, and its reason after a colon."""
        what, colon, reason = text.rpartition(": ")
        points = "; ".join(map(self.point, what.split("; ")))
        return f"{points}{colon}{self.of('reason', reason)}"

    def reason(self, text: str) -> str:
        """Why a unit is not certified: the requirement of the gate, and what it says."""
        name, colon, said = text.partition(": ")
        own = self.found("gate", _small(name))
        if own is None:
            return self.sentence(text)
        return f"{_begun(own, name)}{colon}{self.sentence(said)}"

    def line(self, text: str) -> str:
        """A line of a procedure: when it was told, and what people wrote, as they wrote it."""
        moment, colon, told = text.partition(": ")
        own = self.found("moment", _small(moment)) if colon else None
        if own is None:
            return self.of("answer", text)
        return f"{_begun(own, moment)}{colon}{told}"

    def fault(self, fault: Mapping[str, str]) -> str:
        """What was found wrong; a cause and its point where no sentence says more."""
        cause, point = fault["cause"].replace("_", " "), fault["point"]
        if fault["text"] != f"{cause[:1].upper()}{cause[1:]}: {point}.":
            return self.sentence(fault["text"])
        said = self.term("cause", cause)
        return f"{said[:1].upper()}{said[1:]}: {self.point(point)}."

    def listed(self, texts: Sequence[str]) -> str:
        """Texts as one sentence's list: ``a, b and c``."""
        if len(texts) == 1:
            return texts[0]
        return f"{', '.join(texts[:-1])} {self.say('list-and')} {texts[-1]}"


@lru_cache(maxsize=4096)
def _sentences(words: Words, text: str) -> str:
    return " ".join(said for said, _ in _each(words, text))


def _each(words: Words, text: str) -> Iterator[tuple[str, bool]]:
    """Sentence by sentence, several that are one text together, and whether each is known."""
    parts = _SENTENCE_ENDS.split(text)
    at = 0
    while at < len(parts):
        for end in range(min(len(parts), at + MOST_TOGETHER), at, -1):
            said = words.found("told", " ".join(parts[at:end]))
            if said is not None:
                yield said, True
                break
        else:
            end = at + 1
            yield parts[at], False
        at = end


def is_known(text: str) -> bool:
    """Whether every sentence of a text is one of the catalogue."""
    return all(known for _, known in _each(Words(), text))


def _title_of(text: str) -> _Known | None:
    """The setting whose title a condition begins with, the longest of several."""
    for known in _known()["setting"]:
        found = known.pattern.match(text)
        if found is not None and text[found.end() : found.end() + 1] == " ":
            return known
    return None


def _own(group: str) -> Callable[[Words, str], str]:
    """One or more of the service's words, which may begin a sentence."""

    def say(words: Words, text: str) -> str:
        each = text.split(", ")
        return ", ".join(_begun(words.term(group, _small(one)), one) for one in each)

    return say


def _list(words: Words, text: str) -> str:
    for english in ("and", "or"):
        text = text.replace(f" {english} ", f" {words.say(f'list-{english}')} ")
    return text


def _expected(words: Words, text: str) -> str:
    """What a product asks for, each with the kinds of test in brackets."""
    said = []
    for each in text.split("; "):
        purpose, bracket, kinds = each.removesuffix(")").rpartition(" (")
        either = f" {words.say('list-or')} ".join(
            words.term("kind", kind) for kind in kinds.split(" or ")
        )
        said.append(f"{words.of('expected', purpose)} ({either})" if bracket else each)
    return "; ".join(said)


_SORTS: dict[str, Callable[[Words, str], str]] = {
    "value": Words.figure,
    "point": Words.point,
    "quantity": _own("quantity"),
    "kind": _own("kind"),
    "state": _own("state"),
    "outcome": _own("outcome"),
    "cause": _own("cause"),
    "paper": _own("document"),
    "names": _list,
    "expected": _expected,
    "cited": lambda words, text: words.of("source", text),
    "doubt": lambda words, text: words.of("doubt", text),
    "how": lambda words, text: words.of("how", text),
}
