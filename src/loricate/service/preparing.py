"""Making a sequence document ready against what is stored, and reading it for mistakes."""

import sqlite3
from collections.abc import Sequence
from typing import Any

from loricate.core.errors import DocumentError, Finding
from loricate.core.limit_sets import LimitSets
from loricate.core.rehearsing import prepare_rehearsal
from loricate.core.review import Reviewed
from loricate.core.sequences import ReadySequence, prepare
from loricate.records import definitions, pictures
from loricate.service.desk import Desk


async def prepared(
    document: dict[str, Any], desk: Desk, rehearsed: Sequence[str] | None = None
) -> ReadySequence:
    """The document ready to run; raises DocumentError, also for a picture that is not kept.

    With ``rehearsed`` it is made ready for a rehearsal of the steps named, of all when it is empty.
    """
    products = await desk.store.read(definitions.known_products)
    limit_sets = await desk.store.read(definitions.known_limit_sets)
    if rehearsed is None:
        ready = prepare(document, products, limit_sets)
    else:
        ready = prepare_rehearsal(document, rehearsed, products, limit_sets)

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


def under_review(
    ready: ReadySequence, limit_sets: LimitSets, desk: Desk, nests: int = 4
) -> Reviewed:
    """A sequence as the review sees it, on this bench."""
    return Reviewed(ready, limit_sets, desk.bench.capabilities(), nests)
