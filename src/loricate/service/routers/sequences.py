"""Sequences: list, show, compare, check and add."""

import sqlite3
from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Depends, Query

from loricate.api.definitions import (
    ChallengeOut,
    Checked,
    DifferenceOut,
    Document,
    ReviewFindingOut,
    ReviewOut,
    SequenceOut,
    SequenceSummary,
    Stored,
)
from loricate.core.differences import differences
from loricate.core.errors import DocumentError, Finding
from loricate.core.limit_sets import LimitSets
from loricate.core.review import Reviewed, review
from loricate.core.review.times import load_s
from loricate.core.sequences import ReadySequence, prepare
from loricate.records import definitions, pictures
from loricate.records.definitions import SequenceRecord
from loricate.service.challenging import unit_file
from loricate.service.desk import Desk
from loricate.service.routers.access import TheDesk
from loricate.service.routers.showing import difference, step_summary
from loricate.service.sign_in import Definer, Reader

router = APIRouter(tags=["sequences"])


async def _prepared(document: Document, desk: Desk) -> ReadySequence:
    """The document ready to run; raises DocumentError, also for a picture that is not kept."""
    products = await desk.store.read(definitions.known_products)
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    ready = prepare(document, products, limit_sets)

    def lacking(conn: sqlite3.Connection) -> tuple[Finding, ...]:
        return tuple(
            Finding(
                f"steps[{index}].cues[{place}].picture",
                f"'{cue.picture}' is not kept by this service; add the file with "
                "`loricate sequence add`, which sends its pictures.",
            )
            for index, step in enumerate(ready.steps)
            for place, cue in enumerate(step.cues)
            if cue.picture and not pictures.has_picture(conn, cue.picture)
        )

    if findings := await desk.store.read(lacking):
        raise DocumentError(f"sequence '{ready.code}'", findings)
    return ready


async def _summary(record: SequenceRecord, desk: TheDesk) -> Document:
    ready = await desk.store.read(lambda conn: definitions.ready_sequence(conn, record))
    return {
        "code": record.code, "revision": record.revision, "status": record.status,
        "title": record.title, "product": record.product, "created_at": record.created_at,
        "created_by": record.created_by,
        "steps": [
            step_summary(step)
            for step in ready.steps
        ],
    }  # fmt: skip


@router.get("/sequences", response_model=list[SequenceSummary])
async def list_sequences(person: Reader, desk: TheDesk) -> list[SequenceSummary]:
    """Every sequence's newest revision."""
    records = await desk.store.read(definitions.list_sequences)
    return [SequenceSummary(**await _summary(record, desk)) for record in records]


@router.get("/sequences/{code}", response_model=SequenceOut)
async def show_sequence(
    code: str, person: Reader, desk: TheDesk, revision: int | None = None
) -> SequenceOut:
    """One revision of a sequence, the newest by default."""
    record = await desk.store.read(lambda conn: definitions.get_sequence(conn, code, revision))
    return SequenceOut(**await _summary(record, desk), document=record.document)


@router.get("/sequences/{code}/differences", response_model=list[DifferenceOut])
async def compare_sequences(
    code: str, old: int, new: int, person: Reader, desk: TheDesk
) -> list[DifferenceOut]:
    """What differs between two revisions of a sequence, step by step."""
    before = await desk.store.read(lambda conn: definitions.get_sequence(conn, code, old))
    after = await desk.store.read(lambda conn: definitions.get_sequence(conn, code, new))
    return [difference(each) for each in differences(before.document, after.document)]


@router.post("/sequences/check", response_model=Checked)
async def check_sequence(document: Document, person: Reader, desk: TheDesk) -> Checked:
    """Check a sequence document against the stored products and limit sets; stores nothing."""
    ready = await _prepared(document, desk)
    programmed = sum(step.programmed_s for step in ready.steps)
    return Checked(code=ready.code, steps=len(ready.steps), programmed_s=programmed)


def _review(ready: ReadySequence, limit_sets: LimitSets, desk: Desk, nests: int) -> ReviewOut:
    reviewed = Reviewed(ready, limit_sets, desk.bench.capabilities(), nests)
    return ReviewOut(
        code=ready.code,
        nests=nests,
        load_s=load_s(reviewed),
        findings=[
            ReviewFindingOut(
                severity=each.severity,
                step=each.step,
                rule=each.rule,
                reason=each.reason,
                remedy=each.remedy,
            )
            for each in review(reviewed)
        ],
    )


Nests = Annotated[int, Query(ge=1, le=64, description="Units in a load")]


@router.post("/sequences/review", response_model=ReviewOut)
async def review_document(
    document: Document, person: Reader, desk: TheDesk, nests: Nests = 4
) -> ReviewOut:
    """Read a sequence document for mistakes, on this bench; stores nothing."""
    ready = await _prepared(document, desk)
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    return _review(ready, limit_sets, desk, nests)


@router.get("/sequences/{code}/review", response_model=ReviewOut)
async def review_sequence(
    code: str, person: Reader, desk: TheDesk, revision: int | None = None, nests: Nests = 4
) -> ReviewOut:
    """Read a stored sequence for mistakes, on this bench, with the limit sets that it pinned."""
    record = await desk.store.read(lambda conn: definitions.get_sequence(conn, code, revision))
    ready = await desk.store.read(lambda conn: definitions.ready_sequence(conn, record))
    limit_sets = await desk.store.read(lambda conn: definitions.pinned_limit_sets(conn, record))
    return _review(ready, limit_sets, desk, nests)


async def _challenge(
    document: Document,
    product: Document,
    limit_sets: LimitSets,
    desk: Desk,
    asked: "Asked",
) -> ChallengeOut:
    capabilities = desk.bench.capabilities()
    request = {
        "sequence": document,
        "product": product,
        "limit_sets": {
            code: (each.model_dump(mode="json", exclude_none=True), revision)
            for code, (each, revision) in limit_sets.items()
        },
        "accuracy": {
            role: {name: each.model_dump() for name, each in capability.accuracy.items()}
            for role, capability in capabilities.items()
        },
        "unit": unit_file(desk.settings.bench_file, str(product["code"])),
        "pairs": asked.pairs,
        "repetitions": asked.repetitions,
        "nests": asked.nests,
    }
    return await desk.challenger.challenge(request)


@dataclass(frozen=True, slots=True)
class Asked:
    """How much a challenge is to try."""

    pairs: Annotated[bool, Query(description="Each two faults together as well")] = False
    repetitions: Annotated[int, Query(ge=0, le=2_000, description="Good units")] = 200
    nests: Nests = 4


@router.post("/sequences/challenge", response_model=ChallengeOut)
async def challenge_document(
    document: Document, person: Definer, desk: TheDesk, asked: Annotated[Asked, Depends()]
) -> ChallengeOut:
    """Run a sequence document against stand-in units with each fault; stores nothing."""
    ready = await _prepared(document, desk)
    product, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", ready.product.code)
    )
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    return await _challenge(document, product, limit_sets, desk, asked)


@router.post("/sequences/{code}/challenge", response_model=ChallengeOut)
async def challenge_sequence(
    code: str,
    person: Definer,
    desk: TheDesk,
    asked: Annotated[Asked, Depends()],
    revision: int | None = None,
) -> ChallengeOut:
    """Run a stored sequence against stand-in units with each fault of its product."""
    record = await desk.store.read(lambda conn: definitions.get_sequence(conn, code, revision))
    product, _ = await desk.store.read(
        lambda conn: definitions.get_document(
            conn, "product", record.product, record.product_revision
        )
    )
    limit_sets = await desk.store.read(lambda conn: definitions.pinned_limit_sets(conn, record))
    return await _challenge(record.document, product, limit_sets, desk, asked)


@router.post("/sequences", response_model=Stored, status_code=201)
async def add_sequence(document: Document, person: Definer, desk: TheDesk) -> Stored:
    """Add a sequence or a new revision of one, released for use."""
    ready = await _prepared(document, desk)
    record = await desk.store.write(
        lambda conn: definitions.add_sequence(conn, ready, document, person.name)
    )
    return Stored(code=record.code, revision=record.revision)
