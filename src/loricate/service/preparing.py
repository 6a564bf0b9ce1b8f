"""Having a sequence document studied: made ready against what is stored, read for mistakes."""

import asyncio
import sqlite3
from collections.abc import Sequence
from typing import Any

from loricate.core.errors import DocumentError, Finding
from loricate.core.sequences.ready import ReadySequence, SequenceFacts, facts_of
from loricate.core.sequences.steps import MOST_STEPS
from loricate.records import definitions, pictures, sequences
from loricate.records.sequences import Pinned, SequenceRecord
from loricate.service.desk import Desk
from loricate.service.studying import (
    Material,
    Reading,
    ReviewAt,
    Texts,
    make_ready,
    review_document,
    review_stored,
    study,
)


async def studied(document: dict[str, Any], desk: Desk) -> SequenceFacts:
    """The document in short; raises DocumentError, also for a picture that is not kept."""
    facts = await desk.study.do(study, await _material(document, desk), field="steps")
    await _refuse_lacking(facts, desk)
    return facts


async def rehearsable(document: dict[str, Any], steps: Sequence[str], desk: Desk) -> ReadySequence:
    """The document ready for a rehearsal of the steps named, of all when none is."""
    material = await _material(document, desk, tuple(steps))
    await desk.study.do(study, material, field="steps")  # what is refused is refused over there
    ready = await asyncio.to_thread(make_ready, material)
    await _refuse_lacking(facts_of(ready), desk)
    return ready


async def reviewed_document(document: dict[str, Any], desk: Desk, nests: int = 4) -> Reading:
    """Review what is not stored, against the newest limit sets."""
    material = await _material(document, desk)
    at = ReviewAt(desk.bench.capabilities, nests, desk.plan.earthed)
    reading = await desk.study.do(review_document, material, at, field="steps")
    await _refuse_lacking(reading.facts, desk)
    return reading


async def reviewed_record(record: SequenceRecord, desk: Desk, nests: int = 4) -> Reading:
    """Review a stored revision, with the limit sets that it pinned."""

    def look(conn: sqlite3.Connection) -> tuple[Pinned, Texts]:
        return sequences.pinned(conn, record), sequences.reviewed_texts(conn, record)

    texts, limit_sets = await desk.store.read(look)
    at = ReviewAt(desk.bench.capabilities, nests, desk.plan.earthed)
    return await desk.study.do(review_stored, texts, limit_sets, at, field="steps")


async def _material(
    document: dict[str, Any], desk: Desk, rehearsed: tuple[str, ...] | None = None
) -> Material:
    steps = document.get("steps")
    if isinstance(steps, list) and len(steps) > MOST_STEPS:  # before it goes anywhere
        message = f"has {len(steps)} entries", f"at most {MOST_STEPS} are taken."
        raise DocumentError("sequence", (Finding("steps", *message),))

    def look(conn: sqlite3.Connection) -> tuple[Texts, Texts]:
        return (
            definitions.newest_texts(conn, "product"),
            definitions.newest_texts(conn, "limit_set"),
        )

    return Material(document, *await desk.store.read(look), rehearsed)


async def _refuse_lacking(facts: SequenceFacts, desk: Desk) -> None:
    """Raise DocumentError for pictures that are not kept here."""

    def look(conn: sqlite3.Connection) -> tuple[Finding, ...]:
        return tuple(
            Finding(
                place,
                f"'{picture}' is not kept by this service",
                "add the file with `loricate sequence add`, which sends its pictures.",
            )
            for place, picture in facts.pictures
            if not pictures.has_picture(conn, picture)
        )

    if findings := await desk.store.read(look):
        raise DocumentError(f"sequence '{facts.code}'", findings)
