"""What the record says, said in another language.

The record is English, sealed as it was said. Its sentences are texts of the catalogue with figures
and names in their places: the English text finds what a sentence tells, the other one says it. What
no text of the catalogue says (somebody wrote it, or an instrument's driver) stays as it is.
"""

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

from fluent.syntax import FluentParser
from fluent.syntax.ast import Message, Placeable, TextElement, VariableReference

from loricate.texts.catalogue import Language, catalogue, source

SENTENCES, POINTS, SETTINGS, CHOICES, REASONS, SOURCES = (
    "told", "point", "setting", "choice", "reason", "source",
)  # fmt: skip
DOUBTS, EXPECTED, WHY, GATE, MOMENTS = "doubt", "expected", "why", "gate", "moment"
ANSWERS, SCOPES, MARKS, HOWS = "answer", "scope", "mark", "how"
_SENTENCE_ENDS = re.compile(r"(?<=[.?!]) (?=\S)")
MOST_SENTENCES = 60  # of one text; what is longer stays as it is from there on
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
    """A text of the catalogue as English sentences are found by it."""

    name: str
    pattern: re.Pattern[str]
    weight: int  # of its own letters: of several that fit, the one that says most itself


@lru_cache(maxsize=8)
def _known(group: str) -> tuple[_Known, ...]:
    """The English texts of a group, those that say most of themselves first."""
    found = []
    for file in ("terms.ftl", "record.ftl"):
        for entry in FluentParser().parse(source("en", file)).body:
            if isinstance(entry, Message) and entry.id.name.startswith(f"{group}-"):
                found.append(_compiled(entry))
    return tuple(sorted(found, key=lambda each: (-each.weight, each.name)))


def _compiled(message: Message) -> _Known:
    name, parts, weight = message.id.name, list[str](), 0
    if message.value is None:
        raise ValueError(f"The text '{name}' is empty.")
    for element in message.value.elements:
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
    return _Known(name, re.compile("".join(parts)), weight)


def figure(text: str, language: Language) -> str:
    """A figure as it is written in a language: ``> 1.5 GΩ`` is ``> 1,5 GΩ`` in German.

    What is no figure, such as a clause or a name, stays as it is.
    """
    if language == "en" or not _FIGURE.fullmatch(text):
        return text
    return _POINT.sub(",", text).replace(" to ", " bis ")


def sentence(text: str, language: Language) -> str:
    """Sentences of the record in a language; each that is not known stays as it is."""
    if language == "en" or not text:
        return text
    return _again(text, language)


@lru_cache(maxsize=4096)
def _again(text: str, language: Language) -> str:
    if (whole := _translated(SENTENCES, text, language)) is not None:
        return whole
    parts = _SENTENCE_ENDS.split(text)
    if not 1 < len(parts) <= MOST_SENTENCES:
        return text
    return " ".join(_each(parts, language))


def _each(parts: Sequence[str], language: Language) -> Iterator[str]:
    """Sentence by sentence; several that are one text of the catalogue together."""
    at = 0
    while at < len(parts):
        for end in range(min(len(parts), at + 5), at, -1):
            said = _translated(SENTENCES, " ".join(parts[at:end]), language)
            if said is not None:
                yield said
                break
        else:
            end = at + 1
            yield parts[at]
        at = end


def is_known(text: str) -> bool:
    """Whether every sentence of a text is one of the catalogue."""
    if _translated(SENTENCES, text, "en") is not None:
        return True
    parts = _SENTENCE_ENDS.split(text)
    reached = {0}
    for at in range(len(parts)):
        if at in reached:
            reached |= {
                end
                for end in range(at + 1, min(len(parts), at + 5) + 1)
                if _translated(SENTENCES, " ".join(parts[at:end]), "en") is not None
            }
    return len(parts) in reached


def _translated(group: str, text: str, language: Language) -> str | None:
    for known in _known(group):
        if (found := known.pattern.fullmatch(text)) is not None:
            told = {name: _told(name, part, language) for name, part in found.groupdict().items()}
            return catalogue(language).say(known.name, told)
    return None


def _told(name: str, part: str, language: Language) -> str:
    """What stands in a place, by the place's name."""
    for begin, say in _SORTS.items():
        if name.startswith(begin):
            return say(part, language)
    return part


def _of(group: str, text: str, language: Language) -> str:
    """A text of a group; a figure, or what is not known, where it is none."""
    if language == "en" or not text:
        return text
    said = _translated(group, text, language)
    return figure(text, language) if said is None else said


def point(name: str, language: Language) -> str:
    """The name of a point, whose parts are the service's words or the product's names."""
    return ", ".join(_of(POINTS, each, language) for each in name.split(", "))


def conditions(text: str, language: Language) -> str:
    """The conditions of a step, each setting's title with its value."""
    if language == "en" or not text:
        return text
    parts = text.split(", ")
    for at in range(len(parts) - 1, 0, -1):  # a title that has a comma itself
        if _title_of(f"{parts[at - 1]}, {parts[at]}") not in (None, _title_of(parts[at - 1])):
            parts[at - 1 : at + 1] = [f"{parts[at - 1]}, {parts[at]}"]
    return ", ".join(_setting(each, language) for each in parts)


def _title_of(text: str) -> _Known | None:
    """The setting whose title a condition begins with, the longest of several."""
    for known in _known(SETTINGS):
        found = known.pattern.match(text)
        if found is not None and text[found.end() : found.end() + 1] == " ":
            return known
    return None


def _setting(text: str, language: Language) -> str:
    known = _title_of(text)
    if known is None:
        return _choices(text, language)
    value = text[known.weight + 1 :]
    return f"{catalogue(language).say(known.name)} {_choices(value, language)}"


def _choices(text: str, language: Language) -> str:
    return "+".join(_of(CHOICES, each, language) for each in text.split("+"))


def left_out(text: str, language: Language) -> str:
    """What a step leaves out, and its reason after a colon."""
    what, colon, reason = text.rpartition(": ")
    points = "; ".join(point(each, language) for each in what.split("; "))
    return f"{points}{colon}{_of(REASONS, reason, language)}"


def limit_source(text: str, language: Language) -> str:
    """Where a limit is from: the clause as it is cited, what is added in words."""
    return _of(SOURCES, text, language)


def correction(reason: str, language: Language) -> str:
    """For what a reading was corrected."""
    return _of(WHY, reason, language)


def requirement(name: str, language: Language) -> str:
    """The name of a requirement of the gate."""
    return _of(GATE, name, language)


def reason(text: str, language: Language) -> str:
    """Why a unit is not certified: the requirement, and what it says."""
    name, colon, said = text.partition(": ")
    own = _of(GATE, f"{name[:1].lower()}{name[1:]}", language)
    if own.casefold() == name.casefold():
        return sentence(text, language)
    return f"{own[:1].upper()}{own[1:]}{colon}{sentence(said, language)}"


def line(text: str, language: Language) -> str:
    """A line of a procedure: when it was told, and what people wrote, as they wrote it."""
    moment, colon, told = text.partition(": ")
    own = _of(MOMENTS, f"{moment[:1].lower()}{moment[1:]}", language) if colon else ""
    if own.casefold() == moment.casefold() or not own:
        return _of(ANSWERS, text, language)
    return f"{own[:1].upper()}{own[1:]}{colon}{told}"


def scope(text: str, language: Language) -> str:
    """Of what a report is."""
    return _of(SCOPES, text, language)


def mark(text: str, language: Language) -> str:
    """What is marked in a curve."""
    return _of(MARKS, text, language)


def fault(cause: str, at: str, text: str, language: Language) -> str:
    """What was found wrong; a cause and its point where no sentence says more."""
    words = cause.replace("_", " ")
    if text != f"{words[:1].upper()}{words[1:]}: {at}.":
        return sentence(text, language)
    said = catalogue(language).term("cause", cause)
    return f"{said[:1].upper()}{said[1:]}: {point(at, language)}."


def _own(group: str) -> Callable[[str, Language], str]:
    """One or more of the service's words, which may begin a sentence."""

    def one(word: str, language: Language) -> str:
        said = catalogue(language).term(group, word[:1].lower() + word[1:])
        return said[:1].upper() + said[1:] if word[:1].isupper() else said

    def say(words: str, language: Language) -> str:
        return ", ".join(one(word, language) for word in words.split(", "))

    return say


def _list(text: str, language: Language) -> str:
    words = catalogue(language)
    for english, name in ((" and ", "list-and"), (" or ", "list-or")):
        text = text.replace(english, f" {words.say(name)} ")
    return text


def _expected(text: str, language: Language) -> str:
    """What a product asks for, each with the kinds of test in brackets."""
    return "; ".join(_one_expected(each, language) for each in text.split("; "))


def _one_expected(text: str, language: Language) -> str:
    purpose, bracket, kinds = text.removesuffix(")").rpartition(" (")
    if not bracket:
        return text
    either = f" {catalogue(language).say('list-or')} "
    named = either.join(_own("kind")(each, language) for each in kinds.split(" or "))
    return f"{_of(EXPECTED, purpose, language)} ({named})"


_SORTS: dict[str, Callable[[str, Language], str]] = {
    "value": figure,
    "point": point,
    "quantity": _own("quantity"),
    "kind": _own("kind"),
    "state": _own("state"),
    "outcome": _own("outcome"),
    "cause": _own("cause"),
    "paper": _own("document"),
    "names": _list,
    "expected": _expected,
    "cited": limit_source,
    "doubt": lambda text, language: _of(DOUBTS, text, language),
    "how": lambda text, language: _of(HOWS, text, language),
}
