"""Accounts and their sessions."""

import sqlite3
from dataclasses import dataclass

from loricate.records.errors import NotFound
from loricate.records.store import new_id, now


@dataclass(frozen=True, slots=True)
class Account:
    """A person who may sign in, unless the account is closed."""

    id: str
    name: str
    full_name: str
    role: str
    password_hash: str
    created_at: str
    closed_at: str | None
    must_change: bool
    signed_in_at: str | None


_FIELDS = tuple(Account.__dataclass_fields__)


def _account(row: sqlite3.Row | None) -> Account | None:
    if row is None:
        return None
    found = {name: row[name] for name in _FIELDS}
    return Account(**{**found, "must_change": bool(found["must_change"])})


def put_account(
    conn: sqlite3.Connection,
    name: str,
    full_name: str,
    role: str,
    password_hash: str,
    must_change: bool = False,
) -> None:
    """Add an account, or give an existing one a new password, role and full name."""
    conn.execute(
        "INSERT INTO account (id, name, full_name, role, password_hash, created_at, must_change)"
        " VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (name)"
        " DO UPDATE SET full_name = excluded.full_name, role = excluded.role,"
        " password_hash = excluded.password_hash, must_change = excluded.must_change,"
        " closed_at = NULL",
        (new_id(), name, full_name, role, password_hash, now(), int(must_change)),
    )


def find_account(conn: sqlite3.Connection, name: str) -> Account | None:
    """The account of this name, or None."""
    return _account(conn.execute("SELECT * FROM account WHERE name = ?", (name,)).fetchone())


def get_account(conn: sqlite3.Connection, name: str) -> Account:
    """The account of this name; raises NotFound."""
    found = find_account(conn, name)
    if found is None:
        raise NotFound("account", name)
    return found


def list_accounts(conn: sqlite3.Connection) -> list[Account]:
    """Every account by name, the closed ones last."""
    rows = conn.execute("SELECT * FROM account ORDER BY closed_at IS NOT NULL, name")
    return [found for found in map(_account, rows) if found is not None]


def page_of_accounts(conn: sqlite3.Connection, after: str, count: int) -> list[Account]:
    """At most ``count`` accounts by name, above ``after``."""
    rows = conn.execute(
        "SELECT * FROM account WHERE name > ? COLLATE NOCASE ORDER BY name COLLATE NOCASE LIMIT ?",
        (after, count),
    )
    return [found for found in map(_account, rows) if found is not None]


def set_password(
    conn: sqlite3.Connection, name: str, password_hash: str, must_change: bool
) -> None:
    """Give an account another password."""
    conn.execute(
        "UPDATE account SET password_hash = ?, must_change = ? WHERE name = ?",
        (password_hash, int(must_change), name),
    )


def set_person(
    conn: sqlite3.Connection, name: str, full_name: str, role: str, is_closed: bool
) -> None:
    """Change who an account stands for, what it may, and whether it is closed."""
    conn.execute(
        "UPDATE account SET full_name = ?, role = ?,"
        " closed_at = CASE WHEN ? THEN coalesce(closed_at, ?) END WHERE name = ?",
        (full_name, role, int(is_closed), now(), name),
    )


def note_sign_in(conn: sqlite3.Connection, name: str) -> None:
    """Keep when it was."""
    conn.execute("UPDATE account SET signed_in_at = ? WHERE name = ?", (now(), name))


def add_session(
    conn: sqlite3.Connection, digest: str, account_id: str, csrf: str, expires_at: str
) -> None:
    """Keep a session by the digest of its secret; drops those that have expired."""
    conn.execute("DELETE FROM session WHERE expires_at < ?", (now(),))
    conn.execute(
        "INSERT INTO session (digest, account_id, csrf, created_at, expires_at)"
        " VALUES (?, ?, ?, ?, ?)",
        (digest, account_id, csrf, now(), expires_at),
    )


def find_session(conn: sqlite3.Connection, digest: str) -> tuple[Account, str] | None:
    """The account and CSRF secret of an unexpired session of an open account, or None."""
    row = conn.execute(
        "SELECT account.*, session.csrf FROM session JOIN account ON account.id = account_id"
        " WHERE digest = ? AND expires_at > ? AND closed_at IS NULL",
        (digest, now()),
    ).fetchone()
    account = _account(row)
    return None if account is None else (account, str(row["csrf"]))


def drop_session(conn: sqlite3.Connection, digest: str) -> None:
    """Sign out."""
    conn.execute("DELETE FROM session WHERE digest = ?", (digest,))


def drop_sessions(conn: sqlite3.Connection, name: str, but: str = "") -> int:
    """Sign an account out everywhere, but for one session; gives how many ended."""
    ended = conn.execute(
        "DELETE FROM session WHERE digest <> ? AND account_id ="
        " (SELECT id FROM account WHERE name = ?)",
        (but, name),
    )
    return ended.rowcount
