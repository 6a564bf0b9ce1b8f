"""Trying a sequence before it is used: check, review, challenge. Nothing is stored."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Query

from loricate.api.definitions import (
    ChallengeOut,
    Checked,
    Document,
    ReviewFindingOut,
    ReviewOut,
)
from loricate.core.limits.limit_sets import LimitSets
from loricate.records import definitions, sequences
from loricate.service.challenging import unit_file
from loricate.service.desk import Desk
from loricate.service.preparing import reviewed_document, reviewed_record, studied
from loricate.service.routers.access import Revision, TheDesk, make_router
from loricate.service.sign_in import Definer, Reader
from loricate.service.studying import Reading

router = make_router("/sequences", "sequences")


@router.post("/check", response_model=Checked)
async def check_sequence(document: Document, person: Reader, desk: TheDesk) -> Checked:
    """Check a sequence document against the stored products and limit sets; stores nothing."""
    facts = await studied(document, desk)
    return Checked(code=facts.code, steps=facts.steps, programmed_s=facts.programmed_s)


def _shown(reading: Reading, nests: int) -> ReviewOut:
    return ReviewOut(
        code=reading.facts.code,
        nests=nests,
        load_s=reading.load_s,
        findings=[
            ReviewFindingOut(
                severity=each.severity,
                step=each.step,
                rule=each.rule,
                reason=each.reason,
                remedy=each.remedy,
            )
            for each in reading.findings
        ],
    )


Nests = Annotated[int, Query(ge=1, le=64, description="Units in a load")]


@router.post("/review", response_model=ReviewOut)
async def review_document(
    document: Document, person: Reader, desk: TheDesk, nests: Nests = 4
) -> ReviewOut:
    """Read a sequence document for mistakes, on this bench; stores nothing."""
    return _shown(await reviewed_document(document, desk, nests), nests)


@router.get("/{code}/review", response_model=ReviewOut)
async def review_sequence(
    code: str, person: Reader, desk: TheDesk, revision: Revision = None, nests: Nests = 4
) -> ReviewOut:
    """Read a stored sequence for mistakes, on this bench, with the limit sets that it pinned."""
    record = await desk.store.read(lambda conn: sequences.get_sequence(conn, code, revision))
    return _shown(await reviewed_record(record, desk, nests), nests)


async def _challenge(
    document: Document,
    product: Document,
    limit_sets: LimitSets,
    desk: Desk,
    asked: "Asked",
) -> ChallengeOut:
    request = {
        "sequence": document,
        "product": product,
        "limit_sets": {
            code: (each.model_dump(mode="json", exclude_none=True), revision)
            for code, (each, revision) in limit_sets.items()
        },
        "accuracy": {
            role: {name: each.model_dump() for name, each in instruments[0].accuracy.items()}
            for role, instruments in desk.bench.capabilities.items()
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


@router.post("/challenge", response_model=ChallengeOut)
async def challenge_document(
    document: Document, person: Definer, desk: TheDesk, asked: Annotated[Asked, Depends()]
) -> ChallengeOut:
    """Run a sequence document against stand-in units with each fault; stores nothing."""
    facts = await studied(document, desk)
    product, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "product", facts.product)
    )
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    return await _challenge(document, product, limit_sets, desk, asked)


@router.post("/{code}/challenge", response_model=ChallengeOut)
async def challenge_sequence(
    code: str,
    person: Definer,
    desk: TheDesk,
    asked: Annotated[Asked, Depends()],
    revision: Revision = None,
) -> ChallengeOut:
    """Run a stored sequence against stand-in units with each fault of its product."""
    record = await desk.store.read(lambda conn: sequences.get_sequence(conn, code, revision))
    product, _ = await desk.store.read(
        lambda conn: definitions.get_document(
            conn, "product", record.product, record.product_revision
        )
    )
    limit_sets = await desk.store.read(lambda conn: sequences.pinned_limit_sets(conn, record))
    return await _challenge(record.document, product, limit_sets, desk, asked)
