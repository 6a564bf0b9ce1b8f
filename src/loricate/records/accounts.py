"""Accounts and their sessions."""

import sqlite3
from dataclasses import astuple, dataclass

from loricate.records.errors import NotFound
from loricate.records.stamps import new_id, now

_ACCOUNT = (
    "id, name, full_name, role, password_hash, created_at, closed_at, must_change, signed_in_at,"
    " code_secret"
)


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
    code_secret: str = ""

    @property
    def has_codes(self) -> bool:
        """Whether a one-time code goes with its password."""
        return self.code_secret != ""


@dataclass(frozen=True, slots=True)
class Session:
    """A sign-in that has not ended: from where, by what, and when it was last used."""

    id: str
    digest: str
    csrf: str
    address: str
    agent: str
    created_at: str
    used_at: str
    expires_at: str


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
        " closed_at = NULL, code_secret = ''",
        (new_id(), name, full_name, role, password_hash, now(), int(must_change)),
    )


def find_account(conn: sqlite3.Connection, name: str) -> Account | None:
    """The account of this name, or None."""
    row = conn.execute(f"SELECT {_ACCOUNT} FROM account WHERE name = ?", (name,)).fetchone()
    return _account(row)


def get_account(conn: sqlite3.Connection, name: str) -> Account:
    """The account of this name; raises NotFound."""
    found = find_account(conn, name)
    if found is None:
        raise NotFound("account", name)
    return found


def list_accounts(conn: sqlite3.Connection) -> list[Account]:
    """Every account by name, the closed ones last."""
    rows = conn.execute(f"SELECT {_ACCOUNT} FROM account ORDER BY closed_at IS NOT NULL, name")
    return [found for found in map(_account, rows) if found is not None]


def page_of_accounts(conn: sqlite3.Connection, after: str, count: int) -> list[Account]:
    """At most ``count`` accounts by name, above ``after``."""
    rows = conn.execute(
        f"SELECT {_ACCOUNT} FROM account WHERE name > ? COLLATE NOCASE"
        " ORDER BY name COLLATE NOCASE LIMIT ?",
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


def add_session(conn: sqlite3.Connection, account_id: str, session: Session) -> None:
    """Keep a session by the digest of its secret; drops those that have expired."""
    conn.execute("DELETE FROM session WHERE expires_at < ?", (now(),))
    conn.execute(
        "INSERT INTO session (account_id, id, digest, csrf, address, agent, created_at, used_at,"
        " expires_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (account_id, *astuple(session)),
    )


_OF_SESSION = ", ".join(f"session.{name}" for name in Session.__dataclass_fields__)


def _session(row: sqlite3.Row) -> Session:
    return Session(*(row[name] for name in Session.__dataclass_fields__))


def find_session(
    conn: sqlite3.Connection, digest: str, used_since: str
) -> tuple[Account, Session] | None:
    """The account and session, if neither is over nor unused since a moment, or None."""
    row = conn.execute(
        f"SELECT account_id, {_OF_SESSION} FROM session"
        " WHERE digest = ? AND expires_at > ? AND used_at > ?",
        (digest, now(), used_since),
    ).fetchone()
    if row is None:
        return None
    found = conn.execute(
        f"SELECT {_ACCOUNT} FROM account WHERE id = ? AND closed_at IS NULL", (row["account_id"],)
    )
    account = _account(found.fetchone())
    return None if account is None else (account, _session(row))


def sessions_of(conn: sqlite3.Connection, name: str, used_since: str) -> list[Session]:
    """An account's sessions that have not ended, the one used last first."""
    rows = conn.execute(
        f"SELECT {_OF_SESSION} FROM session JOIN account ON account.id = account_id"
        " WHERE name = ? AND expires_at > ? AND used_at > ? ORDER BY used_at DESC",
        (name, now(), used_since),
    )
    return [_session(row) for row in rows]


def note_use(conn: sqlite3.Connection, digest: str, at: str) -> None:
    """Keep when a session was last used."""
    conn.execute("UPDATE session SET used_at = max(used_at, ?) WHERE digest = ?", (at, digest))


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


def drop_session_of(conn: sqlite3.Connection, name: str, session_id: str) -> None:
    """End one session of an account; raises NotFound."""
    ended = conn.execute(
        "DELETE FROM session WHERE id = ? AND account_id = (SELECT id FROM account WHERE name = ?)",
        (session_id, name),
    )
    if not ended.rowcount:
        raise NotFound("session of yours", session_id)


def count_open(conn: sqlite3.Connection, role: str, but: str = "") -> int:
    """How many open accounts have a role, leaving one out by its id."""
    (found,) = conn.execute(
        "SELECT count(*) FROM account WHERE role = ? AND closed_at IS NULL AND id <> ?", (role, but)
    ).fetchone()
    return int(found)


def set_code_secret(conn: sqlite3.Connection, name: str, secret: str) -> None:
    """Have one-time codes go with an account's password; an empty secret ends that."""
    conn.execute("UPDATE account SET code_secret = ?, code_used = 0 WHERE name = ?", (secret, name))


def use_code(conn: sqlite3.Connection, name: str, step: int) -> bool:
    """Take the code of a time step; no for one that was taken, or is older than one that was."""
    taken = conn.execute(
        "UPDATE account SET code_used = ? WHERE name = ? AND code_used < ?", (step, name, step)
    )
    return taken.rowcount == 1
