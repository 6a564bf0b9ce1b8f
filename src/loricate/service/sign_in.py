"""Who is asking: passwords, bearer tokens, browser sessions with CSRF secrets, and roles."""

import datetime as dt
import hashlib
import hmac
import secrets
import sqlite3
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import Depends, Request

from loricate.records import accounts, audit
from loricate.records.accounts import Account
from loricate.records.store import Store
from loricate.service.guessing import AttemptLimiter, Hashing, allowances
from loricate.service.problems import NotAllowed, NotSignedIn

PERSON = "loricate.person"  # where a request's scope has who was let in
COOKIE, CSRF_HEADER = "loricate_session", "X-Loricate-CSRF"
SESSION_HOURS = 12

Permission = Literal["read", "run", "define", "audit"]
ALLOWED: dict[Permission, frozenset[str]] = {
    "read": frozenset({"operator", "engineer", "quality"}),
    "run": frozenset({"operator", "engineer"}),
    "define": frozenset({"engineer"}),
    "audit": frozenset({"engineer", "quality"}),
}


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

    Raises NotSignedIn for a wrong name or password (without saying which) and TooManyAttempts,
    which says as little. Whoever has signed in from an address before is not held up by guesses
    that others make from elsewhere: nobody can lock somebody else out.
    """
    is_known_there = await store.read(lambda c: audit.has_signed_in(c, name, address))
    with limiter.attempt(*allowances(name, address, is_known_there)):
        account = await store.read(lambda conn: accounts.find_account(conn, name))
        is_right = await hashing.fits(account.password_hash if account else None, password)
        if account is None or account.closed_at is not None or not is_right:
            raise NotSignedIn("The name or the password is wrong; check both and try again.")
    secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    expires = dt.datetime.now(dt.UTC) + dt.timedelta(hours=SESSION_HOURS)
    expires_at = expires.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    found = account

    def keep(conn: sqlite3.Connection) -> None:
        accounts.note_sign_in(conn, found.name)
        accounts.add_session(conn, digest_of(secret), found.id, csrf, expires_at)
        audit.note(conn, found.name, audit.SIGN_IN, found.name, address)

    await store.write(keep)
    return account, secret, csrf, expires_at


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
