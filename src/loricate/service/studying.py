"""Studying a sequence document, as a worker in a process of its own does it: data in, little out.

Documents come as they are stored: the JSON text of each with its revision.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from loricate.core.limits.limit_sets import LimitSet, LimitSets
from loricate.core.products.product import Product
from loricate.core.review import Reviewed, ReviewFinding, review
from loricate.core.review.times import load_s
from loricate.core.sequences.capability import Instruments
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, SequenceFacts, facts_of
from loricate.core.sequences.rehearsing import prepare_rehearsal
from loricate.records.sequences import Pinned, made_ready

Texts = Mapping[str, tuple[str, int]]


@dataclass(frozen=True, slots=True)
class Material:
    """A document, and the products and limit sets that there are for it.

    ``rehearsed`` names the steps that it is to be made ready for, all when it is empty; None is for
    a run.
    """

    document: dict[str, Any]
    products: Texts
    limit_sets: Texts
    rehearsed: tuple[str, ...] | None = None


@dataclass(frozen=True, slots=True)
class ReviewAt:
    """What a sequence is reviewed for: a bench, and how many units a load has."""

    bench: Instruments
    nests: int = 4
    earthed: Mapping[str, Sequence[str]] = field(default_factory=dict)  # by fixture


@dataclass(frozen=True, slots=True)
class Reading:
    """What came of a review: the sequence in short, findings, and how long a load takes in s."""

    facts: SequenceFacts
    findings: tuple[ReviewFinding, ...]
    load_s: float


def make_ready(material: Material) -> ReadySequence:
    """The document ready to run, or to be rehearsed; raises DocumentError."""
    known = {
        code: Product.model_validate_json(text) for code, (text, _) in material.products.items()
    }
    limit_sets = _read(material.limit_sets)
    if material.rehearsed is None:
        return prepare(material.document, known, limit_sets)
    return prepare_rehearsal(material.document, material.rehearsed, known, limit_sets)


def study(material: Material) -> SequenceFacts:
    """The document in short; raises DocumentError."""
    return facts_of(make_ready(material))


def review_document(material: Material, at: ReviewAt) -> Reading:
    """Read a document for mistakes, against the limit sets that there are."""
    return _review(make_ready(material), material.limit_sets, at)


def review_stored(texts: Pinned, limit_sets: Texts, at: ReviewAt) -> Reading:
    """Read a stored revision for mistakes, against these limit sets."""
    return _review(made_ready(texts), limit_sets, at)


def _review(ready: ReadySequence, limit_sets: Texts, at: ReviewAt) -> Reading:
    reviewed = Reviewed(ready, _read(limit_sets), at.bench, at.nests, at.earthed)
    return Reading(facts_of(ready), review(reviewed), load_s(reviewed))


def _read(limit_sets: Texts) -> LimitSets:
    return {code: (_limit_set(text), revision) for code, (text, revision) in limit_sets.items()}


@lru_cache(maxsize=256)
def _limit_set(text: str) -> LimitSet:
    """A limit set of a text, which a worker reads once."""
    return LimitSet.model_validate_json(text)
