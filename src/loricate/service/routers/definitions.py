"""What products and limit sets share: list, store, show, and compare revisions of a document."""

import sqlite3

from fastapi import APIRouter, Response
from pydantic import BaseModel

from loricate.api.definitions import DifferenceOut, Document, RevisionOut, Stored
from loricate.core.differences import differences
from loricate.core.documents import read_document
from loricate.records import definitions
from loricate.records.definitions import Table
from loricate.service.routers.access import After, APage, Number, Revision, TheDesk, make_router
from loricate.service.routers.changes import IfMatch, refuse_if_changed
from loricate.service.routers.showing import difference
from loricate.service.sign_in import Definer, Reader


def document_routes(table: Table, model: type[BaseModel], prefix: str, tag: str) -> APIRouter:
    """The routes of one sort of document; ``model`` has a ``code``."""
    router = make_router(prefix, tag)
    name = table.replace("_", " ")

    @router.get("", response_model=list[Document], name=f"list_{table}s")
    async def list_documents(
        person: Reader, desk: TheDesk, page: APage, after: After = ""
    ) -> list[Document]:
        """The newest revision of every one, by code."""
        found = await desk.store.read(
            lambda conn: definitions.page_of_documents(conn, table, after, page.look_for)
        )
        rows = page.cut(list(found.items()), "after", lambda row: row[0])
        return [{**document, "revision": revision} for _, (document, revision) in rows]

    @router.post("", response_model=Stored, status_code=201, name=f"add_{table}")
    async def add_document(
        document: Document, person: Definer, desk: TheDesk, if_match: IfMatch = None
    ) -> Stored:
        """Add one, or a revision of one; with If-Match only if that is still the newest."""
        code: str = read_document(model, document, name).model_dump()["code"]

        def keep(conn: sqlite3.Connection) -> int:
            refuse_if_changed(conn, table, code, if_match)
            return definitions.add_document(conn, table, code, document, person.name)

        return Stored(code=code, revision=await desk.store.write(keep))

    @router.get("/{code}", response_model=Document, name=f"show_{table}")
    async def show_document(
        code: str, person: Reader, desk: TheDesk, response: Response, revision: Revision = None
    ) -> Document:
        """One revision, the newest by default."""
        document, number = await desk.store.read(
            lambda conn: definitions.get_document(conn, table, code, revision)
        )
        response.headers["ETag"] = f'"{number}"'
        return {**document, "revision": number}

    @router.get(
        "/{code}/revisions", response_model=list[RevisionOut], name=f"list_{table}_revisions"
    )
    async def list_revisions(code: str, person: Reader, desk: TheDesk) -> list[RevisionOut]:
        """Every revision, newest first; a product's have no status."""
        found = await desk.store.read(lambda conn: definitions.list_revisions(conn, table, code))
        return [RevisionOut(**each) for each in found]

    @router.get(
        "/{code}/differences", response_model=list[DifferenceOut], name=f"compare_{table}_revisions"
    )
    async def compare_revisions(
        code: str, old: Number, new: Number, person: Reader, desk: TheDesk
    ) -> list[DifferenceOut]:
        """What differs between two revisions, entry by entry."""

        def look(conn: sqlite3.Connection) -> tuple[Document, Document]:
            before, _ = definitions.get_document(conn, table, code, old)
            after, _ = definitions.get_document(conn, table, code, new)
            return before, after

        found = await desk.study.do(differences, *await desk.store.read(look))
        return [difference(each) for each in found]

    return router
