"""Products, limit sets and sequences in their numbered revisions."""

import json
import sqlite3
from dataclasses import dataclass
from typing import Any, Literal

from loricate.core.limit_sets import LimitSet
from loricate.core.products import Product
from loricate.core.sequences import ReadySequence, prepare
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.store import now

Table = Literal["product", "limit_set"]


@dataclass(frozen=True, slots=True)
class SequenceRecord:
    """A stored revision of a sequence."""

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


def add_document(
    conn: sqlite3.Connection, table: Table, code: str, document: dict[str, Any], account: str
) -> int:
    """Add a revision of a product or limit set; the same text again keeps its revision.

    So does a draft with the figures of a limit set that was released meanwhile.
    """
    text = json.dumps(document, sort_keys=True)
    newest = conn.execute(
        f"SELECT revision, document FROM {table} WHERE code = ? ORDER BY revision DESC LIMIT 1",
        (code,),
    ).fetchone()
    if newest is not None and (
        newest["document"] == text or _is_draft_of(document, json.loads(newest["document"]))
    ):
        return int(newest["revision"])
    revision = 1 if newest is None else int(newest["revision"]) + 1
    conn.execute(
        f"INSERT INTO {table} (code, revision, document, created_at, created_by)"
        " VALUES (?, ?, ?, ?, ?)",
        (code, revision, text, now(), account),
    )
    audit.note(conn, account, f"add {table.replace('_', ' ')}", code, f"revision {revision}")
    return revision


def _is_draft_of(document: dict[str, Any], released: dict[str, Any]) -> bool:
    """Whether a document is what was released, before somebody checked and released it."""
    if document.get("status", "draft") != "draft" or document.get("checked", ""):
        return False
    own = {"status": released.get("status"), "checked": released.get("checked")}
    return released.get("status") == "released" and {**document, **own} == released


def get_document(
    conn: sqlite3.Connection, table: Table, code: str, revision: int | None = None
) -> tuple[dict[str, Any], int]:
    """A revision of a document, the newest by default, with its number; raises NotFound."""
    row = conn.execute(
        f"SELECT revision, document FROM {table} WHERE code = ?1 AND (?2 IS NULL OR revision = ?2)"
        " ORDER BY revision DESC LIMIT 1",
        (code, revision),
    ).fetchone()
    if row is None:
        what = code if revision is None else f"{code} revision {revision}"
        raise NotFound(table.replace("_", " "), what)
    return json.loads(row["document"]), int(row["revision"])


def list_revisions(conn: sqlite3.Connection, table: Table, code: str) -> list[dict[str, Any]]:
    """Every revision of a document, newest first; raises NotFound."""
    rows = conn.execute(
        f"SELECT revision, document, created_at, created_by FROM {table} WHERE code = ?"
        " ORDER BY revision DESC",
        (code,),
    ).fetchall()
    if not rows:
        raise NotFound(table.replace("_", " "), code)
    return [
        {
            "revision": int(row["revision"]),
            "status": json.loads(row["document"]).get("status", ""),
            "created_at": row["created_at"],
            "created_by": row["created_by"],
        }
        for row in rows
    ]


def newest_documents(conn: sqlite3.Connection, table: Table) -> dict[str, tuple[Any, int]]:
    """The newest revision of each document: by code, the document and its revision."""
    rows = conn.execute(
        f"SELECT code, max(revision) AS revision, document FROM {table} GROUP BY code ORDER BY code"
    )
    return {row["code"]: (json.loads(row["document"]), int(row["revision"])) for row in rows}


def known_products(conn: sqlite3.Connection) -> dict[str, Product]:
    """The newest revision of each product."""
    return {
        code: Product.model_validate(document)
        for code, (document, _) in newest_documents(conn, "product").items()
    }


def known_limit_sets(conn: sqlite3.Connection) -> dict[str, tuple[LimitSet, int]]:
    """The newest revision of each limit set, with its number."""
    return {
        code: (LimitSet.model_validate(document), revision)
        for code, (document, revision) in newest_documents(conn, "limit_set").items()
    }


def add_sequence(
    conn: sqlite3.Connection, ready: ReadySequence, document: dict[str, Any], account: str
) -> SequenceRecord:
    """Add a sequence as a released revision; the same document again keeps its revision.

    The revision pins the product's and limit sets' revisions that it was checked against.
    """
    text = json.dumps(document, sort_keys=True)
    product_revision = newest_documents(conn, "product")[ready.product.code][1]
    pinned = {code: revision for code, (_, revision) in known_limit_sets(conn).items()}
    cited = {limit.source.limit_set for step in ready.steps for limit in step.limits.values()}
    limit_revisions = json.dumps({code: pinned[code] for code in sorted(cited) if code in pinned})
    newest = conn.execute(
        "SELECT * FROM sequence WHERE code = ? ORDER BY revision DESC LIMIT 1", (ready.code,)
    ).fetchone()
    if newest is not None and (
        (newest["document"], newest["product_revision"], newest["limit_revisions"])
        == (text, product_revision, limit_revisions)
    ):
        return _sequence(newest)
    revision = 1 if newest is None else int(newest["revision"]) + 1
    conn.execute(
        "INSERT INTO sequence (code, revision, status, title, product, product_revision, document,"
        " limit_revisions, created_at, created_by) VALUES (?, ?, 'released', ?, ?, ?, ?, ?, ?, ?)",
        (ready.code, revision, ready.title, ready.product.code, product_revision, text,
         limit_revisions, now(), account),
    )  # fmt: skip
    audit.note(conn, account, "add sequence", ready.code, f"revision {revision}, released")
    return get_sequence(conn, ready.code, revision)


def _sequence(row: sqlite3.Row) -> SequenceRecord:
    found = dict(row)
    found["document"] = json.loads(found["document"])
    found["limit_revisions"] = json.loads(found["limit_revisions"])
    return SequenceRecord(**found)


def list_sequences(conn: sqlite3.Connection) -> list[SequenceRecord]:
    """The newest revision of each sequence, by code."""
    rows = conn.execute(
        "SELECT * FROM sequence AS s WHERE revision ="
        " (SELECT max(revision) FROM sequence WHERE code = s.code) ORDER BY code"
    )
    return [_sequence(row) for row in rows]


def get_sequence(
    conn: sqlite3.Connection, code: str, revision: int | None = None
) -> SequenceRecord:
    """A revision of a sequence, the newest by default; raises NotFound."""
    row = conn.execute(
        "SELECT * FROM sequence WHERE code = ? AND (?2 IS NULL OR revision = ?2)"
        " ORDER BY revision DESC LIMIT 1",
        (code, revision),
    ).fetchone()
    if row is None:
        raise NotFound("sequence", code if revision is None else f"{code} revision {revision}")
    return _sequence(row)


def ready_sequence(conn: sqlite3.Connection, record: SequenceRecord) -> ReadySequence:
    """Make a stored revision ready to run with the product and limits that it pinned."""
    product_row = conn.execute(
        "SELECT document FROM product WHERE code = ? AND revision = ?",
        (record.product, record.product_revision),
    ).fetchone()
    product = Product.model_validate_json(product_row["document"])
    limit_sets = pinned_limit_sets(conn, record)
    return prepare(record.document, {product.code: product}, limit_sets)


def pinned_limit_sets(
    conn: sqlite3.Connection, record: SequenceRecord
) -> dict[str, tuple[LimitSet, int]]:
    """The limit sets of a stored revision, as it was checked against them."""
    found = {}
    for code, revision in record.limit_revisions.items():
        row = conn.execute(
            "SELECT document FROM limit_set WHERE code = ? AND revision = ?", (code, revision)
        ).fetchone()
        found[code] = (LimitSet.model_validate_json(row["document"]), revision)
    return found
