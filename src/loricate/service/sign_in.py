"""Who is asking: passwords, bearer tokens, browser sessions with CSRF secrets, and roles."""

import asyncio
import datetime as dt
import hashlib
import hmac
import secrets
import sqlite3
import time
from collections import defaultdict, deque
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Annotated, Literal

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from fastapi import Depends, Request

from loricate.records import accounts, audit
from loricate.records.accounts import Account
from loricate.records.store import Store
from loricate.service.problems import NotAllowed, NotSignedIn, TooManyAttempts

COOKIE, CSRF_HEADER = "loricate_session", "X-Loricate-CSRF"
SESSION_HOURS = 12
ATTEMPTS, WINDOW_S = 5, 60.0

LOCK_AFTER, LOCK_MINUTES = 10, 15

Permission = Literal["read", "run", "define", "audit"]
ALLOWED: dict[Permission, frozenset[str]] = {
    "read": frozenset({"operator", "engineer", "quality"}),
    "run": frozenset({"operator", "engineer"}),
    "define": frozenset({"engineer"}),
    "audit": frozenset({"engineer", "quality"}),
}

hasher = PasswordHasher()


@lru_cache(maxsize=1)
def _nobody() -> str:
    """What is verified when there is no such account, so that the time taken does not tell."""
    return hasher.hash(secrets.token_urlsafe())


@dataclass(frozen=True, slots=True)
class Person:
    """A signed-in account; ``csrf`` is empty for bearer tokens."""

    account: Account
    digest: str
    csrf: str
    by_cookie: bool

    @property
    def name(self) -> str:
        """The account's name."""
        return self.account.name


class AttemptLimiter:
    """Counts failed sign-ins by account and by address over a sliding minute."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._failures: dict[str, deque[float]] = defaultdict(deque)

    def check(self, *keys: str) -> None:
        """Raise TooManyAttempts when one of the keys has failed too often."""
        oldest = self._clock() - WINDOW_S
        for key, failures in list(self._failures.items()):
            while failures and failures[0] < oldest:
                failures.popleft()
            if not failures:
                del self._failures[key]
            elif key in keys and len(failures) >= ATTEMPTS:
                raise TooManyAttempts(int(failures[0] - oldest) + 1)

    def failed(self, *keys: str) -> None:
        """Count a failure."""
        for key in keys:
            self._failures[key].append(self._clock())


def digest_of(secret: str) -> str:
    """The digest under which a session is kept."""
    return hashlib.sha256(secret.encode()).hexdigest()


async def sign_in(
    store: Store, limiter: AttemptLimiter, name: str, password: str, address: str
) -> tuple[Account, str, str, str]:
    """Check a password and begin a session: account, secret, CSRF secret, expiry.

    Raises NotSignedIn for a wrong name or password (without saying which) and TooManyAttempts.
    """
    keys = (f"name {name.casefold()}", f"address {address}")
    limiter.check(*keys)
    account = await store.read(lambda conn: accounts.find_account(conn, name))
    if account is not None and account.is_locked:
        raise NotSignedIn(
            f"{account.name} is locked after {LOCK_AFTER} failures, for {LOCK_MINUTES} minutes at "
            "most; wait, or ask an engineer for a new password."
        )
    known = account
    try:
        stored = account.password_hash if account else await asyncio.to_thread(_nobody)
        await asyncio.to_thread(hasher.verify, stored, password)
    except VerificationError:
        account = None
    if account is None or account.closed_at is not None:
        limiter.failed(*keys)
        if known is not None:
            await store.write(partial(_note_failure, known.name, address))
        raise NotSignedIn("The name or the password is wrong; check both and try again.")
    secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    expires = dt.datetime.now(dt.UTC) + dt.timedelta(hours=SESSION_HOURS)
    expires_at = expires.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    found = account

    def keep(conn: sqlite3.Connection) -> None:
        accounts.note_sign_in(conn, found.name)
        accounts.add_session(conn, digest_of(secret), found.id, csrf, expires_at)
        audit.note(conn, found.name, "sign in", found.name, address)

    await store.write(keep)
    return account, secret, csrf, expires_at


def _note_failure(name: str, address: str, conn: sqlite3.Connection) -> None:
    until = dt.datetime.now(dt.UTC) + dt.timedelta(minutes=LOCK_MINUTES)
    locked_until = until.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    if accounts.note_failure(conn, name, LOCK_AFTER, locked_until):
        audit.note(conn, "service", "lock account", name, f"{LOCK_AFTER} failures, {address}")


async def signed_in(request: Request) -> Person:
    """The person who asks; raises NotSignedIn, or NotAllowed without the CSRF secret."""
    header = request.headers.get("authorization", "")
    by_cookie = not header
    secret = (
        request.cookies.get(COOKIE, "") if by_cookie else header.removeprefix("Bearer ").strip()
    )
    if not secret:
        raise NotSignedIn("Sign in first: `loricate sign-in`, or the console's sign-in page.")
    digest = digest_of(secret)
    store: Store = request.app.state.desk.store
    session = await store.read(lambda conn: accounts.find_session(conn, digest))
    if session is None:
        raise NotSignedIn("The sign-in has expired or was ended; sign in again.")
    account, csrf = session
    if by_cookie and request.method not in ("GET", "HEAD", "OPTIONS"):
        given = request.headers.get(CSRF_HEADER, "")
        if not hmac.compare_digest(given, csrf):
            raise NotAllowed(f"The request lacks its {CSRF_HEADER} header; reload the console.")
    return Person(account, digest, csrf if by_cookie else "", by_cookie)


def may(permission: Permission) -> Callable[[Person], Awaitable[Person]]:
    """Make the dependency that lets only roles with ``permission`` in."""

    async def check(person: Annotated[Person, Depends(signed_in)]) -> Person:
        if person.account.must_change:
            raise NotAllowed(
                f"{person.name} has a one-time password; change it first: "
                "`loricate account password`, or the console's page for it."
            )
        if person.account.role not in ALLOWED[permission]:
            roles = " or ".join(sorted(ALLOWED[permission]))
            raise NotAllowed(
                f"{person.name} is signed in as {person.account.role}; this takes the role {roles}."
            )
        return person

    return check


SignedIn = Annotated[Person, Depends(signed_in)]
Auditor = Annotated[Person, Depends(may("audit"))]
Reader = Annotated[Person, Depends(may("read"))]
Runner = Annotated[Person, Depends(may("run"))]
Definer = Annotated[Person, Depends(may("define"))]
