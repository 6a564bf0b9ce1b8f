"""Who is asking: passwords, bearer tokens, browser sessions with CSRF secrets, and roles."""

import asyncio
import datetime as dt
import hashlib
import hmac
import secrets
import sqlite3
import time
from collections import Counter, defaultdict, deque
from collections.abc import Awaitable, Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import Annotated, Literal, TypeVar

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from fastapi import Depends, Request

from loricate.records import accounts, audit
from loricate.records.accounts import Account
from loricate.records.store import Store
from loricate.service.problems import (
    Busy,
    NotAllowed,
    NotSignedIn,
    ServiceError,
    TooManyAttempts,
)

PERSON = "loricate.person"  # where a request's scope has who was let in
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
R = TypeVar("R")


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
    """Counts sign-ins by account and by address: those under way, and failures of a minute."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._failures: dict[str, deque[float]] = defaultdict(deque)
        self._under_way: Counter[str] = Counter()

    @contextmanager
    def attempt(self, *keys: str) -> Iterator[None]:
        """One attempt: it counts from its beginning, and fails if it raises a ServiceError.

        Raises TooManyAttempts when one of the keys has failed too often, or would have if all that
        are under way fail.
        """
        oldest = self._clock() - WINDOW_S
        for key, failures in list(self._failures.items()):
            while failures and failures[0] < oldest:
                failures.popleft()
            if not failures:
                del self._failures[key]
        for key in keys:
            failures = self._failures.get(key, deque())
            if len(failures) + self._under_way[key] >= ATTEMPTS:
                first = failures[0] if failures else self._clock()
                raise TooManyAttempts(int(first - oldest) + 1)
        self._under_way.update(keys)
        try:
            yield
        except ServiceError:
            for key in keys:
                self._failures[key].append(self._clock())
            raise
        finally:
            self._under_way.subtract(keys)
            self._under_way = +self._under_way


class Hashing:
    """Hashing of passwords: a few at once, for each takes 64 MiB and all the processors."""

    def __init__(self, at_once: int = 2, most_waiting: int = 16) -> None:
        self._turn = asyncio.Semaphore(at_once)
        self._room, self._inside = at_once + most_waiting, 0

    async def hash(self, password: str) -> str:
        """The hash of a password."""
        return await self._do(lambda: hasher.hash(password))

    async def fits(self, stored: str | None, password: str) -> bool:
        """Whether a password is the one of a hash; takes as long where there is none."""

        def verify() -> bool:
            try:
                return hasher.verify(_nobody() if stored is None else stored, password)
            except (VerificationError, InvalidHashError):
                return False

        return await self._do(verify) and stored is not None

    async def _do(self, work: Callable[[], R]) -> R:
        if self._inside >= self._room:
            raise Busy("Too many sign in at once; try again in a moment.")
        self._inside += 1
        try:
            async with self._turn:
                return await asyncio.to_thread(work)
        finally:
            self._inside -= 1


def digest_of(secret: str) -> str:
    """The digest under which a session is kept."""
    return hashlib.sha256(secret.encode()).hexdigest()


async def sign_in(
    store: Store,
    hashing: Hashing,
    limiter: AttemptLimiter,
    name: str,
    password: str,
    address: str,
) -> tuple[Account, str, str, str]:
    """Check a password and begin a session: account, secret, CSRF secret, expiry.

    Raises NotSignedIn for a wrong name or password (without saying which) and TooManyAttempts.
    """
    with limiter.attempt(f"name {name.casefold()}", f"address {address}"):
        known = await store.read(lambda conn: accounts.find_account(conn, name))
        if known is not None and known.is_locked:
            raise NotSignedIn(
                f"{known.name} is locked after {LOCK_AFTER} failures, for {LOCK_MINUTES} minutes "
                "at most; wait, or ask an engineer for a new password."
            )
        is_right = await hashing.fits(known.password_hash if known else None, password)
        if known is None or known.closed_at is not None or not is_right:
            if known is not None:
                await store.write(partial(_note_failure, known.name, address))
            raise NotSignedIn("The name or the password is wrong; check both and try again.")
        account = known
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


def address_of(request: Request) -> str:
    """Where a request comes from."""
    return request.client.host if request.client else ""


async def find_person(request: Request, is_urgent: bool = False) -> Person:
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
    read = store.read_urgent if is_urgent else store.read
    session = await read(lambda conn: accounts.find_session(conn, digest))
    if session is None:
        raise NotSignedIn("The sign-in has expired or was ended; sign in again.")
    account, csrf = session
    if by_cookie and request.method not in ("GET", "HEAD", "OPTIONS"):
        given = request.headers.get(CSRF_HEADER, "")
        if not hmac.compare_digest(given.encode(), csrf.encode()):
            raise NotAllowed(f"The request lacks its {CSRF_HEADER} header; reload the console.")
    return Person(account, digest, csrf if by_cookie else "", by_cookie)


async def signed_in(request: Request) -> Person:
    """The person whom the doorkeeper let in."""
    person: Person = request.scope[PERSON]
    return person


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
