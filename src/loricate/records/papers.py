"""The papers that were made of documents: by digest, the newest last."""

import sqlite3
from dataclasses import dataclass

from loricate.records.stamps import now

PAPER = "paper"  # the outbox's target for what is to be drawn


@dataclass(frozen=True, slots=True)
class PaperState:
    """How far the paper of a document has come: made, coming, or held up by a problem."""

    state: str
    problem: str = ""


def add_paper(conn: sqlite3.Connection, number: str, digest: str, standing: str) -> None:
    """Keep that a paper was made, and what it says of its document's standing."""
    conn.execute(
        "INSERT INTO paper (number, digest, standing, made_at) VALUES (?, ?, ?, ?)",
        (number, digest, standing, now()),
    )


def newest_paper(conn: sqlite3.Connection, number: str) -> str:
    """The digest of the newest paper of a document; empty while none was made."""
    row = conn.execute(
        "SELECT digest FROM paper WHERE number = ? ORDER BY id DESC LIMIT 1", (number,)
    ).fetchone()
    return "" if row is None else str(row["digest"])


def papers_of(conn: sqlite3.Connection, number: str) -> list[str]:
    """The digests of every paper of a document, the oldest first."""
    rows = conn.execute("SELECT digest FROM paper WHERE number = ? ORDER BY id", (number,))
    return [str(row["digest"]) for row in rows]


def was_made(conn: sqlite3.Connection, number: str, standing: str) -> bool:
    """Whether the newest paper of a document says what its standing is."""
    row = conn.execute(
        "SELECT standing FROM paper WHERE number = ? ORDER BY id DESC LIMIT 1", (number,)
    ).fetchone()
    return row is not None and row["standing"] == standing


def paper_state(conn: sqlite3.Connection, number: str) -> PaperState:
    """How far the paper of a document has come; one that is drawn again is coming."""
    row = conn.execute(
        "SELECT problem FROM outbox WHERE target = ? AND subject = ? AND sent_at IS NULL"
        " ORDER BY id DESC LIMIT 1",
        (PAPER, number),
    ).fetchone()
    if row is not None:
        return PaperState("held_up" if row["problem"] else "coming", str(row["problem"]))
    return PaperState("made" if newest_paper(conn, number) else "none")
