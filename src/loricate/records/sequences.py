"""Sequences in their numbered revisions: a draft that may change, released, withdrawn."""

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.core.sequences.preparing import prepare
from loricate.core.sequences.ready import ReadySequence, SequenceFacts
from loricate.core.sequences.released import ReleasedSequence, StepAsDone, as_released, step_as_done
from loricate.core.sequences.steps import Sequence as SequenceDocument
from loricate.records import audit
from loricate.records.definitions import current_text, newest_texts
from loricate.records.errors import NotFound
from loricate.records.stamps import now

_COLUMNS = (
    "code, revision, status, title, product, product_revision, document, limit_revisions,"
    " created_at, created_by, edits, edited_at, edited_by, released_at, released_by, release,"
    " withdrawn_at, withdrawn_by, withdrawn_why, resolved"
)


@dataclass(frozen=True, slots=True)
class SequenceRecord:
    """A stored revision of a sequence.

    ``release`` holds its grounds and ``resolved`` what was made of it, once it is released.
    """

    code: str
    revision: int
    status: str
    title: str
    product: str
    product_revision: int
    document: dict[str, Any]
    limit_revisions: dict[str, int]
    created_at: str
    created_by: str
    edits: int
    edited_at: str | None
    edited_by: str | None
    released_at: str | None
    released_by: str | None
    release: dict[str, Any]
    withdrawn_at: str | None
    withdrawn_by: str | None
    withdrawn_why: str
    resolved: str

    @property
    def etag(self) -> str:
        """What changes whenever the revision's content does (RFC 9110)."""
        return _etag(self.revision, self.edits)

    @property
    def last_edited_by(self) -> str:
        """Who changed it last."""
        return self.edited_by or self.created_by


@dataclass(frozen=True, slots=True)
class SequenceRow:
    """A revision in a list: nothing of it is made ready for that."""

    code: str
    revision: int
    status: str
    title: str
    product: str
    created_at: str
    created_by: str
    edits: int
    step_count: int

    @property
    def etag(self) -> str:
        """As of the whole revision."""
        return _etag(self.revision, self.edits)


def _etag(revision: int, edits: int) -> str:
    return f'"{revision}.{edits}"'


def _record(row: sqlite3.Row) -> SequenceRecord:
    found = dict(row)
    for name in ("document", "limit_revisions", "release"):
        found[name] = json.loads(found[name] or "{}")
    found["document"] = SequenceDocument.in_current_form(found["document"])
    return SequenceRecord(**found)


def _newest(conn: sqlite3.Connection, code: str) -> SequenceRecord | None:
    row = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence WHERE code = ? ORDER BY revision DESC LIMIT 1", (code,)
    ).fetchone()
    return None if row is None else _record(row)


def store_draft(
    conn: sqlite3.Connection, facts: SequenceFacts, document: dict[str, Any], account: str
) -> SequenceRecord:
    """Store a sequence as a draft: over the newest revision if that is one, else as a new one.

    The revision pins the product's and limit sets' revisions that it was checked against. The same
    document against the same ones again changes nothing.
    """
    text = json.dumps(SequenceDocument.in_current_form(document), sort_keys=True)
    product_revision = newest_texts(conn, "product")[facts.product][1]
    known = {code: revision for code, (_, revision) in newest_texts(conn, "limit_set").items()}
    limit_revisions = {code: known[code] for code in facts.cited if code in known}
    newest = _newest(conn, facts.code)
    if newest is not None and (
        (json.dumps(newest.document, sort_keys=True), newest.product_revision)
        == (text, product_revision)
        and newest.limit_revisions == limit_revisions
        and newest.status != "withdrawn"
    ):
        return newest
    content = (facts.title, facts.product, product_revision, text, json.dumps(limit_revisions))
    if newest is not None and newest.status == "draft":
        conn.execute(
            "UPDATE sequence SET title = ?, product = ?, product_revision = ?, document = ?,"
            " limit_revisions = ?, edits = edits + 1, edited_at = ?, edited_by = ?"
            " WHERE code = ? AND revision = ?",
            (*content, now(), account, facts.code, newest.revision),
        )
        audit.note(conn, account, "change draft", facts.code, f"revision {newest.revision}")
        return get_sequence(conn, facts.code, newest.revision)
    revision = 1 if newest is None else newest.revision + 1
    conn.execute(
        "INSERT INTO sequence (code, revision, status, title, product, product_revision, document,"
        " limit_revisions, created_at, created_by) VALUES (?, ?, 'draft', ?, ?, ?, ?, ?, ?, ?)",
        (facts.code, revision, *content, now(), account),
    )
    audit.note(conn, account, "add draft", facts.code, f"revision {revision}")
    return get_sequence(conn, facts.code, revision)


def release(
    conn: sqlite3.Connection, code: str, revision: int, grounds: Mapping[str, Any], account: str
) -> SequenceRecord:
    """Freeze a draft: from now on it may be run. ``grounds`` are kept with it."""
    conn.execute(
        "UPDATE sequence SET status = 'released', released_at = ?, released_by = ?, release = ?"
        " WHERE code = ? AND revision = ? AND status = 'draft'",
        (now(), account, json.dumps(grounds, ensure_ascii=False), code, revision),
    )
    keep_resolved(conn, get_sequence(conn, code, revision))
    detail = f"revision {revision}: {grounds.get('why', '')}"
    audit.note(conn, account, "release sequence", code, detail)
    return get_sequence(conn, code, revision)


def withdraw(
    conn: sqlite3.Connection, code: str, revision: int, why: str, account: str
) -> SequenceRecord:
    """Take a revision out of use; what ran under it keeps it."""
    conn.execute(
        "UPDATE sequence SET status = 'withdrawn', withdrawn_at = ?, withdrawn_by = ?,"
        " withdrawn_why = ? WHERE code = ? AND revision = ?",
        (now(), account, why, code, revision),
    )
    audit.note(conn, account, "withdraw sequence", code, f"revision {revision}: {why}")
    return get_sequence(conn, code, revision)


MANY = 100_000  # when all are wanted


def list_sequences(
    conn: sqlite3.Connection, after: str = "", count: int = MANY, *, released: bool = False
) -> list[SequenceRow]:
    """The newest revision of each sequence, by code above ``after``.

    Whatever its status, or the newest that is ``released`` of those that have one.
    """
    only = " AND status = 'released'" if released else ""
    rows = conn.execute(
        "SELECT code, revision, status, title, product, created_at, created_by, edits,"
        " coalesce(json_array_length(document, '$.steps'), 0) AS step_count"
        " FROM sequence AS s WHERE code > ? AND revision ="
        f" (SELECT max(revision) FROM sequence WHERE code = s.code{only}) ORDER BY code LIMIT ?",
        (after, count),
    )
    return [SequenceRow(**dict(row)) for row in rows]


def released_sequences(conn: sqlite3.Connection) -> list[SequenceRecord]:
    """The newest released revision of each sequence that has one, whole."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence AS s WHERE revision = (SELECT max(revision)"
        " FROM sequence WHERE code = s.code AND status = 'released') ORDER BY code"
    )
    return [_record(row) for row in rows]


def list_revisions(conn: sqlite3.Connection, code: str) -> list[SequenceRecord]:
    """Every revision of a sequence, newest first; raises NotFound."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence WHERE code = ? ORDER BY revision DESC", (code,)
    ).fetchall()
    if not rows:
        raise NotFound("sequence", code)
    return [_record(row) for row in rows]


def get_sequence(
    conn: sqlite3.Connection, code: str, revision: int | None = None
) -> SequenceRecord:
    """A revision of a sequence, the newest by default; raises NotFound."""
    row = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence WHERE code = ?1 AND (?2 IS NULL OR revision = ?2)"
        " ORDER BY revision DESC LIMIT 1",
        (code, revision),
    ).fetchone()
    if row is None:
        raise NotFound("sequence", code if revision is None else f"{code} revision {revision}")
    return _record(row)


def released_sequence(conn: sqlite3.Connection, code: str) -> SequenceRecord:
    """The newest released revision of a sequence; raises NotFound when there is none."""
    get_sequence(conn, code)
    row = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence WHERE code = ? AND status = 'released'"
        " ORDER BY revision DESC LIMIT 1",
        (code,),
    ).fetchone()
    if row is None:
        raise NotFound("released revision of sequence", code)
    return _record(row)


@dataclass(frozen=True, slots=True)
class Pinned:
    """The texts of a stored revision, and of the product and limit sets that it pinned."""

    document: str
    product: str
    limit_sets: tuple[tuple[str, str, int], ...]  # code, text, revision


def pinned(conn: sqlite3.Connection, record: SequenceRecord) -> Pinned:
    """What a stored revision is made ready from."""
    (product,) = conn.execute(
        "SELECT document FROM product WHERE code = ? AND revision = ?",
        (record.product, record.product_revision),
    ).fetchone()
    limit_sets = tuple(
        (code, _limit_set_text(conn, code, revision), revision)
        for code, revision in record.limit_revisions.items()
    )
    return Pinned(json.dumps(record.document), current_text("product", product), limit_sets)


def ready_sequence(conn: sqlite3.Connection, record: SequenceRecord) -> ReadySequence:
    """Make a stored revision ready to run with the product and limits that it pinned."""
    return made_ready(pinned(conn, record))


@lru_cache(maxsize=64)
def made_ready(texts: Pinned) -> ReadySequence:
    """What is stored, made ready once: each listing and each look at a run asks for it."""
    known = Product.model_validate_json(texts.product)
    limit_sets = {
        code: (LimitSet.model_validate_json(text), revision)
        for code, text, revision in texts.limit_sets
    }
    return prepare(json.loads(texts.document), {known.code: known}, limit_sets)


def _limit_set_text(conn: sqlite3.Connection, code: str, revision: int) -> str:
    row = conn.execute(
        "SELECT document FROM limit_set WHERE code = ? AND revision = ?", (code, revision)
    ).fetchone()
    return str(row["document"])


def keep_resolved(conn: sqlite3.Connection, record: SequenceRecord) -> None:
    """Keep what a revision resolves to; raises DocumentError where it cannot be made ready."""
    resolved = as_released(ready_sequence(conn, record), pinned_limit_sets(conn, record))
    conn.execute(
        "UPDATE sequence SET resolved = ? WHERE code = ? AND revision = ?",
        (resolved.model_dump_json(), record.code, record.revision),
    )


def unresolved(conn: sqlite3.Connection) -> list[SequenceRecord]:
    """The revisions that were released and are not resolved."""
    rows = conn.execute(
        f"SELECT {_COLUMNS} FROM sequence WHERE status <> 'draft' AND resolved = ''"
    )
    return [_record(row) for row in rows]


def released_as(conn: sqlite3.Connection, code: str, revision: int) -> ReleasedSequence:
    """A revision as it was resolved at its release; raises NotFound where that is not known."""
    row = conn.execute(
        "SELECT resolved FROM sequence WHERE code = ? AND revision = ?", (code, revision)
    ).fetchone()
    if row is None or not row["resolved"]:
        raise NotFound("release of sequence", f"{code} revision {revision}")
    return _released(row["resolved"])


def steps_of(conn: sqlite3.Connection, record: SequenceRecord) -> tuple[StepAsDone, ...]:
    """The steps of a revision: as it was released, or as a draft is now."""
    if record.resolved:
        return _released(record.resolved).steps
    return tuple(step_as_done(step) for step in ready_sequence(conn, record).steps)


@lru_cache(maxsize=64)
def _released(text: str) -> ReleasedSequence:
    return ReleasedSequence.model_validate_json(text)


def pinned_limit_sets(
    conn: sqlite3.Connection, record: SequenceRecord
) -> dict[str, tuple[LimitSet, int]]:
    """The limit sets of a stored revision, as it was checked against them."""
    return {
        code: (LimitSet.model_validate_json(_limit_set_text(conn, code, revision)), revision)
        for code, revision in record.limit_revisions.items()
    }


def reviewed_texts(conn: sqlite3.Connection, record: SequenceRecord) -> dict[str, tuple[str, int]]:
    """The limit sets that a review holds a stored revision against: those it pinned, and all else.

    What it does not cite may say all the same how such a product is tested.
    """
    own = {
        code: (_limit_set_text(conn, code, revision), revision)
        for code, revision in record.limit_revisions.items()
    }
    return {**newest_texts(conn, "limit_set"), **own}
