"""Products and limit sets in their numbered revisions."""

import json
import sqlite3
from typing import Any, Literal

from loricate.core.limits.limit_sets import LimitSet
from loricate.core.products.product import Product
from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now

Table = Literal["product", "limit_set"]


def add_document(
    conn: sqlite3.Connection, table: Table, code: str, document: dict[str, Any], account: str
) -> int:
    """Add a revision of a product or limit set; the same text again keeps its revision.

    So does a draft with the figures of a limit set that was released meanwhile.
    """
    document = _current(table, document)
    text = json.dumps(document, sort_keys=True)
    newest = conn.execute(
        f"SELECT revision, document FROM {table} WHERE code = ? ORDER BY revision DESC LIMIT 1",
        (code,),
    ).fetchone()
    if newest is not None:
        kept = _read(table, newest["document"])
        if kept == document or _is_draft_of(document, kept):
            return int(newest["revision"])
    revision = 1 if newest is None else int(newest["revision"]) + 1
    conn.execute(
        f"INSERT INTO {table} (code, revision, document, created_at, created_by)"
        " VALUES (?, ?, ?, ?, ?)",
        (code, revision, text, now(), account),
    )
    audit.note(conn, account, f"add {table.replace('_', ' ')}", code, f"revision {revision}")
    return revision


def _current(table: Table, document: dict[str, Any]) -> dict[str, Any]:
    """A document as it is written today, whenever it was kept; only products have older forms."""
    return Product.in_current_form(document) if table == "product" else document


def current_text(table: Table, text: str) -> str:
    """A document's JSON text as it is written today."""
    return json.dumps(_read(table, text), sort_keys=True) if table == "product" else text


def _read(table: Table, text: str) -> dict[str, Any]:
    return _current(table, json.loads(text))


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
    return _read(table, row["document"]), int(row["revision"])


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


def newest_texts(conn: sqlite3.Connection, table: Table) -> dict[str, tuple[str, int]]:
    """The newest revision of each document: by code, its JSON text and its revision."""
    rows = conn.execute(
        f"SELECT code, max(revision) AS revision, document FROM {table} GROUP BY code ORDER BY code"
    )
    return {row["code"]: (current_text(table, row["document"]), row["revision"]) for row in rows}


def newest_documents(conn: sqlite3.Connection, table: Table) -> dict[str, tuple[Any, int]]:
    """The newest revision of each document: by code, the document and its revision."""
    found = newest_texts(conn, table)
    return {code: (json.loads(text), revision) for code, (text, revision) in found.items()}


def page_of_documents(
    conn: sqlite3.Connection, table: Table, after: str, count: int
) -> dict[str, tuple[Any, int]]:
    """The same for at most ``count`` codes above ``after``."""
    rows = conn.execute(
        f"SELECT code, max(revision) AS revision, document FROM {table} WHERE code > ?"
        " GROUP BY code ORDER BY code LIMIT ?",
        (after, count),
    )
    return {row["code"]: (_read(table, row["document"]), int(row["revision"])) for row in rows}


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
