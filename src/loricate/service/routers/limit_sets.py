"""Limit sets: list, show, add, release; what differs between revisions."""

import sqlite3

from fastapi import APIRouter, Response

from loricate.api.definitions import DifferenceOut, Document, Release, RevisionOut, Stored
from loricate.core.differences import differences
from loricate.core.limit_sets import LimitSet
from loricate.core.sequences import read_document
from loricate.records import audit, definitions
from loricate.service.problems import WrongState
from loricate.service.routers.access import TheDesk
from loricate.service.routers.changes import IfMatch, refuse_if_changed
from loricate.service.routers.showing import difference
from loricate.service.sign_in import Definer, Reader

router = APIRouter(prefix="/limit-sets", tags=["limit sets"])


@router.get("", response_model=list[Document])
async def list_limit_sets(person: Reader, desk: TheDesk) -> list[Document]:
    """Every limit set's newest revision."""
    found = await desk.store.read(lambda conn: definitions.newest_documents(conn, "limit_set"))
    return [{**document, "revision": revision} for document, revision in found.values()]


@router.post("", response_model=Stored, status_code=201)
async def add_limit_set(
    document: Document, person: Definer, desk: TheDesk, if_match: IfMatch = None
) -> Stored:
    """Add a limit set or a revision of one; with If-Match only if that is still the newest."""
    limits = read_document(LimitSet, document, "limit set")

    def keep(conn: sqlite3.Connection) -> int:
        refuse_if_changed(conn, "limit_set", limits.code, if_match)
        return definitions.add_document(conn, "limit_set", limits.code, document, person.name)

    return Stored(code=limits.code, revision=await desk.store.write(keep))


@router.get("/{code}", response_model=Document)
async def show_limit_set(
    code: str, person: Reader, desk: TheDesk, response: Response, revision: int | None = None
) -> Document:
    """One revision of a limit set, the newest by default."""
    document, number = await desk.store.read(
        lambda conn: definitions.get_document(conn, "limit_set", code, revision)
    )
    response.headers["ETag"] = f'"{number}"'
    return {**document, "revision": number}


@router.get("/{code}/revisions", response_model=list[RevisionOut])
async def list_limit_set_revisions(code: str, person: Reader, desk: TheDesk) -> list[RevisionOut]:
    """Every revision of a limit set, newest first."""
    found = await desk.store.read(lambda conn: definitions.list_revisions(conn, "limit_set", code))
    return [RevisionOut(**each) for each in found]


@router.get("/{code}/differences", response_model=list[DifferenceOut])
async def compare_limit_sets(
    code: str, old: int, new: int, person: Reader, desk: TheDesk
) -> list[DifferenceOut]:
    """What differs between two revisions of a limit set, item by item."""
    before, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "limit_set", code, old)
    )
    after, _ = await desk.store.read(
        lambda conn: definitions.get_document(conn, "limit_set", code, new)
    )
    return [difference(each) for each in differences(before, after)]


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
