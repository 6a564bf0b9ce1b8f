"""Limit sets, and their release."""

import sqlite3

from loricate.api.definitions import Release, Stored
from loricate.core.limits.limit_sets import LimitSet
from loricate.records import audit, definitions
from loricate.service.errors import WrongState
from loricate.service.routers.access import TheDesk
from loricate.service.routers.definitions import document_routes
from loricate.service.sign_in import Definer

router = document_routes("limit_set", LimitSet, "/limit-sets", "limit sets")


@router.post("/{code}/release", response_model=Stored, status_code=201)
async def release_limit_set(code: str, release: Release, person: Definer, desk: TheDesk) -> Stored:
    """Release the newest revision: a new one with its figures, and who checked them."""

    def keep(conn: sqlite3.Connection) -> int:
        document, revision = definitions.get_document(conn, "limit_set", code)
        if document.get("status") == "released":
            raise WrongState(
                f"Revision {revision} of {code} is released already; revise it, then release again."
            )
        checked = {**document, "status": "released", "checked": release.checked.strip()}
        added = definitions.add_document(conn, "limit_set", code, checked, person.name)
        detail = f"revision {added}: {release.checked}"
        audit.note(conn, person.name, "release limit set", code, detail)
        return added

    return Stored(code=code, revision=await desk.store.write(keep))
