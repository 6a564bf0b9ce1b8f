"""That the records were put back from a backup, and which time was lost by it."""

import sqlite3
from dataclasses import dataclass

from loricate.records import audit
from loricate.records.stamps import now


@dataclass(frozen=True, slots=True)
class Restoring:
    """From the backup's moment to that of the restoring nothing is known any more."""

    backup_at: str
    restored_at: str
    restored_by: str

    def covers(self, at: str) -> bool:
        """Whether a moment lies in the time that was lost."""
        return self.backup_at < at < self.restored_at


def add_restoring(conn: sqlite3.Connection, backup_at: str, by: str) -> None:
    """Keep that these records come from a backup."""
    conn.execute(
        "INSERT INTO restored (backup_at, restored_at, restored_by) VALUES (?, ?, ?)",
        (backup_at, now(), by),
    )
    audit.note(conn, "service", "restore records", by, f"from the backup of {backup_at}")


def restorings(conn: sqlite3.Connection) -> list[Restoring]:
    """Every one, oldest first."""
    rows = conn.execute(
        "SELECT backup_at, restored_at, restored_by FROM restored ORDER BY position"
    )
    return [Restoring(**row) for row in rows]
