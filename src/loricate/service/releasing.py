"""What becomes of a sequence's revisions: drafts that nobody overwrites, releases, withdrawals."""

import sqlite3
from dataclasses import asdict

from loricate.api.definitions import Document, ReleaseGrounds, Withdrawal
from loricate.core.sequences.release import Accepted, left_findings, open_findings
from loricate.records import accounts, sequences
from loricate.records.errors import NotFound
from loricate.records.sequences import SequenceRecord
from loricate.service.desk import Desk
from loricate.service.errors import ChangedMeanwhile, NotAllowed, NotReady, WrongState
from loricate.service.preparing import reviewed_record, studied


async def keep_draft(
    document: Document, by: str, if_match: str | None, desk: Desk
) -> SequenceRecord:
    """Keep a document as a draft.

    Raises ChangedMeanwhile unless the newest is still what ``if_match`` says, and DocumentError.
    """
    facts = await studied(document, desk)

    def keep(conn: sqlite3.Connection) -> SequenceRecord:
        if if_match is not None:
            _refuse_if_changed(conn, facts.code, if_match)
        return sequences.store_draft(conn, facts, document, by)

    return await desk.store.write(keep)


async def release(code: str, grounds: ReleaseGrounds, by: str, desk: Desk) -> SequenceRecord:
    """Freeze the draft: its review is clean, or each finding that is left has its reason.

    Who changed it last leaves no error in it, and releases nothing where there are two engineers.
    Raises WrongState, NotAllowed, NotReady, and ChangedMeanwhile.
    """
    draft = await desk.store.read(lambda conn: sequences.get_sequence(conn, code))
    if draft.status != "draft":
        raise WrongState(f"Revision {draft.revision} of {code} is {draft.status}; change it first.")
    if draft.last_edited_by == by and await _needs_second_person(desk):
        raise NotAllowed(f"{by} changed the draft last; here a second engineer releases it.")
    found = (await reviewed_record(draft, desk)).findings
    accepted = [Accepted(each.rule, each.step, each.reason) for each in grounds.accepted]
    if still_open := open_findings(found, accepted):
        raise NotReady.because(still_open)
    left = left_findings(found, accepted, by)
    if draft.last_edited_by == by and any(each.severity == "error" for each in left):
        raise NotAllowed(
            f"{by} changed the draft last, and the review finds an error in it; a second "
            "engineer has to leave it with a reason and release."
        )
    kept = {**grounds.model_dump(mode="json"), "left": [asdict(each) for each in left]}

    def keep(conn: sqlite3.Connection) -> SequenceRecord:
        _refuse_if_changed(conn, code, draft.etag)
        return sequences.release(conn, code, draft.revision, kept, by)

    return await desk.store.write(keep)


async def withdraw(code: str, withdrawal: Withdrawal, by: str, desk: Desk) -> SequenceRecord:
    """Take a released revision, the newest by default, out of use; raises WrongState."""

    def keep(conn: sqlite3.Connection) -> SequenceRecord:
        if withdrawal.revision is None:
            record = sequences.released_sequence(conn, code)
        else:
            record = sequences.get_sequence(conn, code, withdrawal.revision)
        if record.status != "released":
            raise WrongState(f"Revision {record.revision} of {code} is {record.status}.")
        return sequences.withdraw(conn, code, record.revision, withdrawal.why, by)

    return await desk.store.write(keep)


def _refuse_if_changed(conn: sqlite3.Connection, code: str, if_match: str) -> None:
    try:
        newest = sequences.get_sequence(conn, code)
        etag, by = newest.etag, newest.last_edited_by
    except NotFound:
        etag, by = '"0.0"', ""
    if if_match.strip() != etag:
        raise ChangedMeanwhile(
            f"{code} was changed by {by or 'somebody'} meanwhile (it is at {etag} now, yours was "
            f"{if_match}). Nothing was overwritten; see the differences, then store yours again."
        )


async def _needs_second_person(desk: Desk) -> bool:
    """Whether whoever changed a draft last may not release it."""
    if desk.settings.second_person is not None:
        return desk.settings.second_person
    return await desk.store.read(lambda conn: accounts.count_open(conn, "engineer")) > 1
