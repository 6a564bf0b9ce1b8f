"""Reports that the whole site has by name."""

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from loricate.records import audit
from loricate.records.errors import NotFound
from loricate.records.stamps import now


@dataclass(frozen=True, slots=True)
class ReportTemplate:
    """A report by its name; ``plan`` as it was asked."""

    name: str
    plan: dict[str, Any]
    account: str
    kept_at: str


_SELECT = "SELECT name, plan, account, kept_at FROM report_template"


def keep_template(conn: sqlite3.Connection, name: str, plan: dict[str, Any], account: str) -> None:
    """Keep a report under a name, in the place of one that had it."""
    conn.execute(
        "INSERT OR REPLACE INTO report_template (name, plan, account, kept_at) VALUES (?, ?, ?, ?)",
        (name, json.dumps(plan), account, now()),
    )
    audit.note(conn, account, "keep report", name, json.dumps(plan, ensure_ascii=False))


def drop_template(conn: sqlite3.Connection, name: str, account: str) -> None:
    """Keep a report no longer; raises NotFound."""
    if conn.execute("DELETE FROM report_template WHERE name = ?", (name,)).rowcount == 0:
        raise NotFound("kept report", name)
    audit.note(conn, account, "drop report", name)


def list_templates(conn: sqlite3.Connection) -> list[ReportTemplate]:
    """All of them, by name."""
    return [_kept(row) for row in conn.execute(f"{_SELECT} ORDER BY name")]


def get_template(conn: sqlite3.Connection, name: str) -> ReportTemplate:
    """The report that has a name; raises NotFound."""
    row = conn.execute(f"{_SELECT} WHERE name = ?", (name,)).fetchone()
    if row is None:
        raise NotFound("kept report", name)
    return _kept(row)


def _kept(row: sqlite3.Row) -> ReportTemplate:
    return ReportTemplate(row["name"], json.loads(row["plan"]), row["account"], row["kept_at"])
