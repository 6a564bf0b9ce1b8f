"""The catalogue is whole in every language, and what the record says keeps its meaning."""

import importlib
import pkgutil
import re
from collections.abc import Iterator
from enum import StrEnum
from typing import Annotated, Literal, get_args, get_origin

import pytest
from fluent.syntax import FluentParser
from fluent.syntax.ast import Junk, Message, VariableReference
from fluent.syntax.visitor import Visitor
from hypothesis import given
from hypothesis import strategies as st

import loricate.core.kinds
from loricate.core.kinds.kind import KINDS
from loricate.core.measuring.grading import Cause, Verdict
from loricate.texts.catalogue import FILES, LANGUAGES, Language, NoText, catalogue, source
from loricate.texts.said_again import MOST_LETTERS, Words, is_known


class Places(Visitor):
    """The names of the places in a text."""

    def __init__(self) -> None:
        self.found: set[str] = set()

    def visit_VariableReference(self, node: VariableReference) -> None:
        self.found.add(node.id.name)


def texts(language: Language, file: str) -> dict[str, set[str]]:
    """The texts of a file by name, with their places; none of it is unreadable."""
    found: dict[str, set[str]] = {}
    for entry in FluentParser().parse(source(language, file)).body:
        assert not isinstance(entry, Junk), entry.content
        if isinstance(entry, Message):
            assert entry.id.name not in found, f"{entry.id.name} is there twice"
            places = Places()
            places.visit(entry)
            found[entry.id.name] = places.found
    return found


GERMAN = Words("de")
RECORD = {**texts("en", "record.ftl"), **texts("en", "terms.ftl")}
GROUPS = sorted({name.partition("-")[0] for name in texts("en", "record.ftl")})


@pytest.mark.parametrize("file", FILES)
def test_every_language_has_every_text_with_the_same_places(file: str) -> None:
    english = texts("en", file)
    for language in LANGUAGES:
        assert texts(language, file) == english


@pytest.mark.parametrize("group", [*GROUPS, "point", "setting", "choice", "mark"])
def test_no_two_sentences_are_told_apart_by_their_places_alone(group: str) -> None:
    own = [
        catalogue("en").say(each, dict.fromkeys(RECORD[each], "%"))
        for each in RECORD
        if each.startswith(f"{group}-")
    ]
    assert own and len(set(own)) == len(own)


@pytest.mark.parametrize("name", [each for each in RECORD if each.startswith("told-")])
def test_a_sentence_keeps_everything_that_it_tells(name: str) -> None:
    figures = {
        place: f"{number}.25 mA" if place.startswith("value") else f"X{number}"
        for number, place in enumerate(sorted(RECORD[name]), 3)
    }
    english = catalogue("en").say(name, figures)
    assert is_known(english)
    german = GERMAN.sentence(english)
    assert german == catalogue("de").say(
        name, {place: GERMAN.figure(each) for place, each in figures.items()}
    )
    for place, each in figures.items():
        assert GERMAN.figure(each) in german, place
    # Among other sentences it is found as well.
    among = GERMAN.sentence(f"{english} Nobody knows this one.")
    if english.endswith((".", "?")):
        assert among == f"{german} Nobody knows this one."


def kinds_words() -> Iterator[tuple[str, str]]:
    """The words that kinds of steps bring along: group, word."""
    for module in pkgutil.iter_modules(loricate.core.kinds.__path__):
        importlib.import_module(f"{loricate.core.kinds.__name__}.{module.name}")
    for name, kind in KINDS.items():
        if not kind.__module__.startswith("loricate."):
            continue  # of a test
        yield "kind", name
        yield from (("quantity", each) for each in (*kind.slots, *kind.meters))
        for field, info in kind.model_fields.items():
            if field not in ("question", "questions"):
                yield "setting", info.title or field
            yield from (("choice", each) for each in choices_of(info.annotation))


def choices_of(annotation: object) -> Iterator[str]:
    for part in get_args(annotation):
        if isinstance(part, str) and get_origin(annotation) is not None:
            if not part.endswith(" s") and part not in ("ac", "dc", "iec60601", "iec60990"):
                yield part.replace("_", " ")
        else:
            yield from choices_of(part)


def has_words(annotation: object) -> bool:
    """Whether a setting may be one of the service's words, whatever else may be in it."""
    if isinstance(annotation, type):
        return issubclass(annotation, (bool, StrEnum))
    if get_origin(annotation) is Literal:
        return True
    is_model = get_origin(annotation) is Annotated
    parts = get_args(annotation)[:1] if is_model else get_args(annotation)
    return any(has_words(part) for part in parts)


def test_what_a_setting_names_of_the_product_is_no_word_of_ours() -> None:
    """A terminal that is called ``earth`` stays ``earth``; a path of leakage is said."""
    list(kinds_words())
    known: dict[str, bool] = {}
    for kind in KINDS.values():
        if kind.__module__.startswith("loricate."):
            for field, info in kind.model_fields.items():
                known[info.title or field] = known.get(info.title or field, False) or has_words(
                    info.annotation
                )
    marked = {
        catalogue("en").say(entry.id.name): bool(entry.attributes)
        for entry in FluentParser().parse(source("en", "terms.ftl")).body
        if isinstance(entry, Message) and entry.id.name.startswith("setting-")
    }
    asked = {"Question", "Questions"}
    assert {each: marked[each] for each in known if each not in asked} == {
        each: has for each, has in known.items() if each not in asked
    }


SORTS = ("leakage", "choice", "setting", "cause", "quantity")
OURS = [
    catalogue("en").say(each)
    for each in RECORD
    if not RECORD[each]
    and each.partition("-")[0] in SORTS
    and " to " not in catalogue("en").say(each)  # as a pair of names is told
]


@given(st.sampled_from(OURS))
def test_a_product_may_call_its_parts_by_our_words(name: str) -> None:
    assert GERMAN.point(name) == name
    terminals = GERMAN.conditions(f"High terminals {name}+N, Low terminals PE")
    assert terminals == f"Anschlüsse oben {name}+N, Anschlüsse unten PE"


@given(st.sampled_from(["told", "doubt", "source", "expected", "reason"]), st.data())
def test_no_text_takes_long_to_look_up(group: str, data: st.DataObject) -> None:
    """Whoever writes what almost fits, many times over, holds up nobody."""
    name = data.draw(st.sampled_from([each for each in RECORD if each.startswith(f"{group}-")]))
    almost = catalogue("en").say(name, dict.fromkeys(RECORD[name], " "))[:-1]
    text = (almost * 60)[: MOST_LETTERS * 3]
    assert GERMAN.found(group, text) is None or len(text) <= MOST_LETTERS
    GERMAN.sentence(text[:MOST_LETTERS])


def test_every_word_of_every_kind_is_in_the_catalogue() -> None:
    lacking = {
        (group, word)
        for group, word in kinds_words()
        if not catalogue("de").has(f"{group}-{re.sub('[^A-Za-z0-9_]+', '_', word).strip('_')}")
    }
    assert lacking == set()


def test_verdicts_and_causes_are_told_apart_in_every_language() -> None:
    for language in LANGUAGES:
        words = catalogue(language)
        for group in ("verdict", "outcome"):
            assert len({words.say(f"{group}-{each}") for each in Verdict}) == len(Verdict)
        causes = [each for each in Cause if each]
        assert len({words.say(f"cause-{each}") for each in causes}) == len(causes)


@given(st.floats(0, 1e6, allow_nan=False), st.sampled_from(["mΩ", "GΩ", "V", "%", "µA", "s", ""]))
def test_a_figure_says_the_same_number(value: float, unit: str) -> None:
    text = f"> {value:.4g} {unit}".strip()
    german = GERMAN.figure(text)
    assert "." not in german and german.replace(",", ".") == text


@pytest.mark.parametrize(
    "name", ["IEC 60335-1:2010 13.2", "DC40.26.0117", "2026-11-26 08:00:00 +01:00", "1.2.3", "v1.5"]
)
def test_what_is_no_figure_stays_as_it_is(name: str) -> None:
    assert GERMAN.figure(name) == name


@given(st.text(max_size=80))
def test_what_people_wrote_stays_as_they_wrote_it(text: str) -> None:
    written = f"§ {text}"
    assert Words().sentence(written) == written
    if not any(is_known(each) for each in re.split(r"(?<=[.?!]) ", text)):
        assert GERMAN.sentence(written) == written


def test_conditions_points_and_what_is_left_out_are_said_word_by_word() -> None:
    assert GERMAN.conditions("Voltage AC, Test voltage 1.5 kV, Stays earthed, times 4") == (
        "Spannungsart AC, Prüfspannung 1,5 kV, bleibt geerdet, mal 4"
    )
    leakage = Words("de", "leakage")
    point = leakage.point("patient P1, neutral open, reversed")
    assert point == "Patient P1, Neutralleiter offen, vertauscht"
    left = leakage.left_out("earth; touch CASE: the unit has no protective conductor.")
    assert left == "Schutzleiter; Berührung CASE: der Prüfling hat keinen Schutzleiter."


def test_a_text_that_is_not_there_or_lacks_what_it_tells_is_no_text() -> None:
    with pytest.raises(NoText, match="no-such"):
        catalogue("de").say("no-such")
    with pytest.raises(NoText, match="number"):
        catalogue("de").say("number")
