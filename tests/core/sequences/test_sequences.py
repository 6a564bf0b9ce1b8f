"""Sequence documents: what is refused, where it says the fault is, and what it becomes."""

from collections.abc import Callable
from typing import Any

import jsonschema
import pytest

from loricate.core.errors import DocumentError
from loricate.core.limits.limit_sets import LimitSet
from loricate.core.measuring.grading import Verdict
from loricate.core.measuring.readings import Measurand
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence
from loricate.core.sequences.schema import sequence_schema
from loricate.core.sequences.steps import Sequence

Document = dict[str, Any]
LimitSets = dict[str, tuple[LimitSet, int]]


def test_the_demo_sequence_is_good(sequence: ReadySequence) -> None:
    assert [step.kind.name for step in sequence.steps] == [
        "visual", "ground_bond", "insulation", "withstand", "leakage",
    ]  # fmt: skip


def test_a_limit_from_a_set_carries_its_source(sequence: ReadySequence) -> None:
    limit = sequence.steps[1].limits[Measurand("resistance")]
    assert limit.maximum == 0.2
    assert limit.source.text == "IEC 60335-1:2010 Annex A"
    assert (limit.source.limit_set, limit.source.revision) == ("IEC-60335-1-A", 1)
    assert limit.source.checked == ""


def test_an_engineers_own_figure_names_its_ground(sequence: ReadySequence) -> None:
    source = sequence.steps[2].limits[Measurand("resistance")].source
    assert source.text == "Quillmere drawing DC40-E-011, note 4"


def test_own_figures_beside_a_cited_set_are_marked(sequence: ReadySequence) -> None:
    limit = sequence.steps[3].limits[Measurand("current")]
    assert (limit.minimum, limit.maximum) == (0.4e-3, 5e-3)
    assert limit.source.engineer == "figure set by the engineer"


def change(path: str, value: object) -> Callable[[Document], None]:
    """Make a change to a document: the last part of the path is set, or removed with None."""

    def apply(document: Document) -> None:
        place: Any = document
        *way, last = [int(part) if part.isdigit() else part for part in path.split(".")]
        for part in way:
            place = place[part]
        if value is None:
            del place[last]
        else:
            place[last] = value

    return apply


@pytest.mark.parametrize(
    ("path", "value", "field", "says"),
    [
        ("steps.1.kind", "hipott", "steps[1].kind", "choose one of clips, continuity"),
        ("steps.2.id", "earth", "steps[2].id", "steps[1] already"),
        ("steps.3.settings.levl", "1 kV", "steps[3].settings.levl", "not a known key"),
        ("steps.3.settings.level", "1 kΩ", "steps[3].settings.level", "is a resistance"),
        ("steps.3.settings.level", "-1 kV", "steps[3].settings.level", "greater than 0"),
        ("steps.3.settings.level", None, "steps[3].settings.level", "is missing"),
        ("steps.3.settings.high", ["L", "N2"], "steps[3].settings.high", "no terminal 'N2'"),
        ("steps.4.limits.current", {"maximum": "500 mΩ"}, "steps[4].limits.current", "resistance"),
        ("steps.4.limits.amps", {"maximum": "5 mA"}, "steps[4].limits.amps", "grades no 'amps'"),
        ("steps.4.limits.current", {}, "steps[4].limits.current", "neither"),
        ("steps.4.limits", {}, "steps[4].limits", "at least one of current, peak_current"),
        ("steps.1.limits.resistance.source", "NO/x", "steps[1].limits.resistance", "no limit set"),
        (
            "steps.1.limits.resistance.source", "IEC-60335-1-A/nothing",
            "steps[1].limits.resistance", "no item 'nothing'",
        ),
        (
            "steps.1.limits.resistance.source", "IEC-60335-1-A/withstand-basic",
            "steps[1].limits.resistance", "limits a current",
        ),
        (
            "steps.3.limits.current", {"minimum": "5 mA", "maximum": "1 mA"},
            "steps[3].limits.current", "swap them",
        ),
        (
            "steps.3.limits.current", {"minimum": "0.4 mA", "source": "us"},
            "steps[3].limits.current.maximum", "the output is cut at it",
        ),
        ("steps.0.lead_in", "1 s", "steps[0].lead_in", "a visual step connects nothing"),
        ("steps.1.repeat", {"times": 2, "needed": 3}, "steps[1].repeat", "ask for at most 2"),
        ("steps.1.across", "once", "steps[1].across", "measures each unit"),
        ("steps.1.across", "some", "steps[1].across", "'each', 'together' or 'once'"),
        ("product", "DC-41", "product", "no product 'DC-41'"),
        ("colour", "red", "colour", "not a known key"),
        ("steps.0.settings.questions", [], "steps[0].settings.questions", "at least 1"),
        ("format", "loricate-sequence/9", "format", "loricate-sequence/2"),
        ("steps", [], "steps", "at least 1"),
    ],
)  # fmt: skip
def test_a_fault_is_named_with_its_path_and_remedy(
    sequence_document: Document,
    product: Product,
    limit_sets: LimitSets,
    path: str,
    value: object,
    field: str,
    says: str,
) -> None:
    change(path, value)(sequence_document)
    with pytest.raises(DocumentError) as refused:
        prepare(sequence_document, {product.code: product}, limit_sets)
    found = {finding.path: finding.message for finding in refused.value.findings}
    assert any(field == place or place.startswith(field) for place in found), found
    assert any(says in message for message in found.values()), found


def test_a_former_document_is_read_as_it_was(
    sequence_document: Document, product: Product, limit_sets: LimitSets
) -> None:
    former = change("format", "loricate-sequence/1")
    former(sequence_document)
    change("steps.1.settle", "40 ms")(sequence_document)
    change("steps.2.settings.settle", "2 s")(sequence_document)
    today = Sequence.in_current_form(sequence_document)
    assert today["format"] == "loricate-sequence/2" and Sequence.in_current_form(today) == today
    assert today["steps"][1]["lead_in"] == "40 ms" and "settle" not in today["steps"][1]
    steps = prepare(sequence_document, {product.code: product}, limit_sets).steps
    assert (steps[1].lead_in_s, steps[2].values["settle"]) == (0.04, 2.0)
    change("steps.1.lead_in", "1 s")(sequence_document)
    with pytest.raises(DocumentError, match=r"steps\[1\].settle"):
        prepare(sequence_document, {product.code: product}, limit_sets)
    faulty: tuple[object, ...] = (0, {}, [7], "steps")
    for broken in faulty:
        with pytest.raises(DocumentError, match="steps"):
            prepare({**sequence_document, "steps": broken}, {product.code: product}, limit_sets)


def test_every_fault_is_told_at_once(
    sequence_document: Document, product: Product, limit_sets: LimitSets
) -> None:
    change("steps.1.kind", "nope")(sequence_document)
    change("steps.3.settings.level", "1 A")(sequence_document)
    with pytest.raises(DocumentError) as refused:
        prepare(sequence_document, {product.code: product}, limit_sets)
    assert len(refused.value.findings) == 2


def test_what_is_no_document_is_refused(product: Product, limit_sets: LimitSets) -> None:
    with pytest.raises(DocumentError):
        prepare("steps", {product.code: product}, limit_sets)


def test_the_published_schema_agrees_with_the_code(sequence_document: Document) -> None:
    validator = jsonschema.Draft202012Validator(sequence_schema())
    validator.validate(sequence_document)
    for path, value in (
        ("steps.3.settings.levl", "1 kV"), ("steps.1.kind", "nope"), ("steps.3.settings.level", 5),
        ("steps.4.limits", {"amps": {"maximum": "1 A"}}),
    ):  # fmt: skip
        wrong = {
            **sequence_document,
            "steps": [dict(entry) for entry in sequence_document["steps"]],
        }
        for entry in wrong["steps"]:
            entry["settings"] = dict(entry["settings"])
        change(path, value)(wrong)
        assert not validator.is_valid(wrong), path


def test_verdicts_are_words() -> None:
    assert [str(verdict) for verdict in Verdict] == ["pass", "fail", "inconclusive", "not_run"]
