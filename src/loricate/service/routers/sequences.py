"""Sequences: list, show, compare; store as a draft, release, withdraw."""

import sqlite3

from fastapi import Request, Response

from loricate.api.definitions import (
    AcceptedNote,
    DifferenceOut,
    Document,
    ReleaseGrounds,
    ReleaseNote,
    SequenceInShort,
    SequenceOut,
    SequenceRevision,
    SequenceSummary,
    Stored,
    Withdrawal,
)
from loricate.core.differences import differences
from loricate.core.errors import Finding
from loricate.core.sequences.steps import Sequence as SequenceDocument
from loricate.core.toml_text import read_sequence_text, written
from loricate.papers.label import draw_label
from loricate.records import sequences
from loricate.records.errors import NotFound
from loricate.records.sequences import SequenceRecord, SequenceRow
from loricate.service import releasing
from loricate.service.errors import NotReady
from loricate.service.routers.access import After, APage, Number, Revision, TheDesk, make_router
from loricate.service.routers.changes import IfMatch
from loricate.service.routers.showing import difference, step_summary
from loricate.service.sign_in import Definer, Person, Reader

router = make_router("/sequences", "sequences")
TOML = "application/toml"
FILE_BODY = {"requestBody": {"required": True, "content": {TOML: {"schema": {"type": "string"}}}}}


def _in_short(record: SequenceRecord | SequenceRow) -> dict[str, str | int]:
    return {name: getattr(record, name) for name in SequenceInShort.model_fields}


def _sees_drafts(person: Person) -> bool:
    return person.account.role != "operator"


def _visible(
    conn: sqlite3.Connection, person: Person, code: str, revision: int | None
) -> SequenceRecord:
    """A revision, the newest by default; for an operator of the released ones. Raises NotFound."""
    if revision is None and not _sees_drafts(person):
        return sequences.released_sequence(conn, code)
    record = sequences.get_sequence(conn, code, revision)
    if record.status == "draft" and not _sees_drafts(person):
        raise NotFound("sequence", f"{code} revision {record.revision}")
    return record


@router.get("", response_model=list[SequenceSummary])
async def list_sequences(
    person: Reader, desk: TheDesk, page: APage, after: After = ""
) -> list[SequenceSummary]:
    """The newest revision of every sequence, by code; an operator sees released ones only."""
    released = not _sees_drafts(person)
    found = await desk.store.read(
        lambda conn: sequences.list_sequences(conn, after, page.look_for, released=released)
    )
    rows = page.cut(found, "after", lambda row: row.code)
    return [SequenceSummary(**_in_short(row), step_count=row.step_count) for row in rows]


@router.get("/{code}", response_model=SequenceOut)
async def show_sequence(
    code: str, person: Reader, desk: TheDesk, response: Response, revision: Revision = None
) -> SequenceOut:
    """One revision of a sequence, the newest by default; for an operator the newest released."""

    def read(conn: sqlite3.Connection) -> SequenceOut:
        record = _visible(conn, person, code, revision)
        response.headers["ETag"] = record.etag
        return SequenceOut(
            **_in_short(record),
            steps=[step_summary(step) for step in sequences.steps_of(conn, record)],
            document=record.document,
            release=_note(record),
        )

    return await desk.store.read(read)


def _note(record: SequenceRecord) -> ReleaseNote | None:
    if record.released_at is None:
        return None
    return ReleaseNote(
        released_at=record.released_at,
        released_by=record.released_by or "",
        why=record.release.get("why", ""),
        accepted=[AcceptedNote(**each) for each in record.release.get("accepted", [])],
    )


@router.get("/{code}/revisions", response_model=list[SequenceRevision])
async def list_sequence_revisions(
    code: str, person: Reader, desk: TheDesk
) -> list[SequenceRevision]:
    """Every revision of a sequence, newest first."""
    found = await desk.store.read(lambda conn: sequences.list_revisions(conn, code))
    return [
        SequenceRevision(
            revision=each.revision,
            status=each.status,
            created_at=each.created_at,
            created_by=each.created_by,
            release=_note(each),
            withdrawn_by=each.withdrawn_by or "",
            withdrawn_why=each.withdrawn_why,
        )
        for each in found
        if each.status != "draft" or _sees_drafts(person)
    ]


@router.get(
    "/{code}/label",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
async def print_label(code: str, person: Reader, desk: TheDesk) -> Response:
    """A label with the sequence's code as Code 128 and QR code, as a PDF of 62 mm by 29 mm."""
    record = await desk.store.read(lambda conn: _visible(conn, person, code, None))
    pdf = await desk.drawing.do(draw_label, record.code, record.title, desk.plan.site, desk.look)
    headers = {"Content-Disposition": f'inline; filename="{record.code}-label.pdf"'}
    return Response(pdf, media_type="application/pdf", headers=headers)


@router.get("/{code}/file", response_class=Response, responses={200: {"content": {TOML: {}}}})
async def show_sequence_file(
    code: str, person: Reader, desk: TheDesk, revision: Revision = None
) -> Response:
    """A revision as a TOML file, the newest by default; stored again it is no new revision."""
    record = await desk.store.read(lambda conn: _visible(conn, person, code, revision))
    text = await desk.study.do(written, record.document, SequenceDocument)
    headers = {"Content-Disposition": f'attachment; filename="{code.lower()}.toml"'}
    return Response(text, media_type=TOML, headers=headers)


@router.post("/read", response_model=Document, openapi_extra=FILE_BODY)
async def read_sequence_file(request: Request, person: Reader, desk: TheDesk) -> Document:
    """Read a TOML file into a document, whatever is still wrong with its steps; stores nothing."""
    data = await request.body()
    try:
        text = data.decode()
    except UnicodeDecodeError as error:
        raise NotReady.because(
            [Finding("file", "is not UTF-8 text", "save it as that.")]
        ) from error
    return await desk.study.do(read_sequence_text, text, field="file")


@router.get("/{code}/differences", response_model=list[DifferenceOut])
async def compare_sequences(
    code: str, old: Number, new: Number, person: Reader, desk: TheDesk
) -> list[DifferenceOut]:
    """What differs between two revisions of a sequence, step by step."""
    before = await desk.store.read(lambda conn: _visible(conn, person, code, old))
    after = await desk.store.read(lambda conn: _visible(conn, person, code, new))
    found = await desk.study.do(differences, before.document, after.document)
    return [difference(each) for each in found]


@router.post("", response_model=Stored, status_code=201)
async def store_draft(
    document: Document, person: Definer, desk: TheDesk, if_match: IfMatch = None
) -> Stored:
    """Store a sequence as a draft; with If-Match only if nobody changed it meanwhile."""
    return _stored(await releasing.keep_draft(document, person.name, if_match, desk))


@router.post("/{code}/release", response_model=Stored)
async def release_sequence(
    code: str, grounds: ReleaseGrounds, person: Definer, desk: TheDesk
) -> Stored:
    """Freeze the draft for use: with a clean review, or a reason for each finding left."""
    return _stored(await releasing.release(code, grounds, person.name, desk))


@router.post("/{code}/withdraw", response_model=Stored)
async def withdraw_sequence(
    code: str, withdrawal: Withdrawal, person: Definer, desk: TheDesk
) -> Stored:
    """Take a released revision, the newest by default, out of use; its runs keep it."""
    return _stored(await releasing.withdraw(code, withdrawal, person.name, desk))


def _stored(record: SequenceRecord) -> Stored:
    return Stored(code=record.code, revision=record.revision, etag=record.etag)
