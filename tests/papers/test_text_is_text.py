"""Text is data, never markup: anything Unicode has, in every field of every paper."""

import io
import itertools
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from loricate.papers.certificate import draw_certificate
from loricate.papers.label import draw_label
from loricate.papers.look import Look
from loricate.papers.lot import draw_lot
from loricate.papers.plots import curve_words, plot_curve
from loricate.papers.samples import sample_certificate, sample_lot
from loricate.papers.standing import COUNTS, Standing
from loricate.papers.typesetting import showable
from loricate.papers.wording import ENGLISH
from tests.papers.reading import text_of, words_outside

# Names whose text decides something; every other text is somebody's.
MEANT = {
    "format", "kind", "issued_at", "started_at", "ended_at", "created_at", "at", "zone", "verdict",
    "bound", "decision_rule", "dimension", "made_at", "number", "verify_url", "guarded",
    "calibrated", "due", "side",
}  # fmt: skip
TRICKS = [
    '#panic("run")', "#import sys", "$x$", "*bold* _it_", "= Heading", "\\", "`raw`", "<label>",
    "@ref", "https://a.b", "//c", "/*c", "#", "]", "[", "{", '"', "'", "\x00", "\u202e\u2066",
    "\ufeff", "\ue000", "中文", "🦀", "e\u0301\u0302", "\u202eFAIL", "a\nb", "---", "~",
    "\U000e0001",
    "W" * 400, "\u1f80" * 200, "\x1f" * 100, "a b " * 100, "$\\frac{1}{", "&<>\"'",
]  # fmt: skip
ANY_TEXT = st.text(min_size=1, max_size=60) | st.sampled_from(TRICKS)
ANY_TEXTS = st.lists(ANY_TEXT, min_size=1, max_size=40)
ANY_FIGURE = st.none() | st.floats(allow_nan=False, allow_infinity=False, width=32)


def told(value: Any, texts: Iterator[str], name: str = "") -> Any:
    """The same document with other texts wherever a text is somebody's own."""
    if isinstance(value, Mapping):
        return {key: told(each, texts, key) for key, each in value.items()}
    if isinstance(value, list):
        return [told(each, texts, name) for each in value]
    return next(texts) if isinstance(value, str) and name not in MEANT else value


def standing_of(texts: Iterator[str]) -> Standing:
    act = {"number": "X-2026-000001", "issued_at": "2026-11-26T09:00:00.000Z"}
    by = {"account": next(texts), "name": next(texts), "role": next(texts)}
    return Standing(
        "C-2026-000009",
        {**act, "reason": next(texts), "revoked_by": by},
        ({**act, "approved_by": by},),
    )


@settings(max_examples=20, deadline=None)
@given(ANY_TEXTS, st.sampled_from(["certificate", "nonconformance"]), st.booleans())
def test_in_a_certificate(given_texts: list[str], kind: str, is_revoked: bool) -> None:
    texts = itertools.cycle(given_texts)
    standing = standing_of(texts) if is_revoked else COUNTS
    pdf = draw_certificate(told(sample_certificate(kind), texts), standing, Look())
    assert pdf.startswith(b"%PDF-2.0")


@settings(max_examples=20, deadline=None)
@given(ANY_TEXTS)
def test_in_a_lots_summary(given_texts: list[str]) -> None:
    texts = itertools.cycle(given_texts)
    pdf = draw_lot(told(sample_lot(), texts), standing_of(texts), Look())
    assert pdf.startswith(b"%PDF-2.0")


@settings(max_examples=20, deadline=None)
@given(ANY_TEXT, ANY_TEXT)
def test_on_a_label_and_it_stays_one_label(name: str, site: str) -> None:
    with pikepdf.open(io.BytesIO(draw_label("DC40-FINAL", name, site, Look()))) as pdf:
        assert len(pdf.pages) == 1


@settings(max_examples=20, deadline=None)
@given(
    ANY_TEXTS,
    st.lists(st.tuples(ANY_FIGURE, ANY_FIGURE), max_size=6),
    st.lists(st.tuples(st.floats(-1e30, 1e30), ANY_TEXT), max_size=3),
    ANY_FIGURE,
)
def test_in_a_curve_whose_drawing_keeps_its_size(
    given_texts: list[str],
    samples: list[tuple[float | None, float | None]],
    marks: list[tuple[float, str]],
    limit: float | None,
) -> None:
    """Whatever its axes and marks are called, and whatever was sampled."""
    texts = itertools.cycle(given_texts)
    name = next(texts)
    curve = {
        "point": next(texts),
        "x": {"name": next(texts), "dimension": "time", "values": [x for x, _ in samples]},
        "columns": [
            {"name": each, "dimension": dimension, "values": [y for _, y in samples]}
            for each, dimension in ((name, "resistance"), (next(texts), next(texts)))
        ],
        "marks": [{"x": x, "text": text} for x, text in marks],
    }
    limits = [{"quantity": name, "minimum": limit, "maximum": limit, "caution_below": 1.0}]
    assert plot_curve(curve, limits, ENGLISH).startswith(b"<?xml")
    assert curve_words(curve, ENGLISH).startswith("Curve")


@pytest.mark.parametrize("trick", TRICKS, ids=map(ascii, range(len(TRICKS))))
def test_what_is_written_like_markup_stands_there_whole_as_written(
    trick: str, tmp_path: Path
) -> None:
    """Whole: no column and no page cuts it off, and it stands on the page."""
    document = sample_certificate()
    marked = f"before {trick} after"
    document["unit"]["title"] = document["unit"]["serial"] = marked
    document["steps"][1]["title"] = document["steps"][1]["readings"][0]["point"] = marked
    document["steps"][2]["readings"][0]["point"] = document["instruments"][0]["title"] = marked
    pdf = draw_certificate(document, COUNTS, Look())
    assert bare(text_of(pdf, tmp_path, "-raw")).count(bare(showable(marked))) >= 6
    assert words_outside(pdf, tmp_path) == []


def bare(text: str) -> str:
    return "".join(text.replace("\u200b", "").split())


@given(ANY_TEXT)
def test_what_cannot_be_shown_stands_by_its_number_and_turns_nothing_round(text: str) -> None:
    shown = showable(text)
    assert all(sign.isprintable() for sign in shown)
    assert showable(shown) == shown
