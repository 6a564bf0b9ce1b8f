"""Accounts and their sessions."""

import sqlite3
from dataclasses import dataclass

from loricate.records.store import new_id, now


@dataclass(frozen=True, slots=True)
class Account:
    """A person who may sign in."""

    id: str
    name: str
    full_name: str
    role: str
    password_hash: str


def _account(row: sqlite3.Row | None) -> Account | None:
    if row is None:
        return None
    return Account(row["id"], row["name"], row["full_name"], row["role"], row["password_hash"])


def put_account(
    conn: sqlite3.Connection, name: str, full_name: str, role: str, password_hash: str
) -> None:
    """Add an account, or give an existing one a new password, role and full name."""
    conn.execute(
        "INSERT INTO account (id, name, full_name, role, password_hash, created_at)"
        " VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (name)"
        " DO UPDATE SET full_name = excluded.full_name, role = excluded.role,"
        " password_hash = excluded.password_hash",
        (new_id(), name, full_name, role, password_hash, now()),
    )


def find_account(conn: sqlite3.Connection, name: str) -> Account | None:
    """The account of this name, or None."""
    return _account(conn.execute("SELECT * FROM account WHERE name = ?", (name,)).fetchone())


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
    """The account and CSRF secret of an unexpired session, or None."""
    row = conn.execute(
        "SELECT account.*, session.csrf FROM session JOIN account ON account.id = account_id"
        " WHERE digest = ? AND expires_at > ?",
        (digest, now()),
    ).fetchone()
    account = _account(row)
    return None if account is None else (account, str(row["csrf"]))


def drop_session(conn: sqlite3.Connection, digest: str) -> None:
    """Sign out."""
    conn.execute("DELETE FROM session WHERE digest = ?", (digest,))
