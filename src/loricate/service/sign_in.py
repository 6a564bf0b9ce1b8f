"""Who is asking: passwords, bearer tokens, browser sessions with CSRF secrets, and roles."""

import contextlib
import datetime as dt
import hashlib
import hmac
import secrets
import sqlite3
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import Depends, Request

from loricate.certificates.acts import Signer
from loricate.records import accounts, audit
from loricate.records.accounts import Account, Session
from loricate.records.errors import RecordsError
from loricate.records.stamps import new_id
from loricate.records.store import Store
from loricate.service.codes import step_of
from loricate.service.errors import CodeNeeded, NotAllowed, NotSignedIn
from loricate.service.guessing import AttemptLimiter, Hashing, allowances

PERSON = "loricate.person"  # where a request's scope has who was let in
COOKIE, CSRF_HEADER = "loricate_session", "X-Loricate-CSRF"
IDLE_HEADER = "X-Loricate-Idle"  # for how many seconds nobody has touched the console that asks
SESSION_HOURS = 12
NOTED_EACH_S = 60.0  # how often the use of a session is kept

Permission = Literal[
    "read", "run", "define", "audit", "quality", "sum_up", "people", "order", "see_orders"
]
ALLOWED: dict[Permission, frozenset[str]] = {
    "read": frozenset({"operator", "engineer", "quality", "administrator"}),
    "run": frozenset({"operator", "engineer"}),
    "define": frozenset({"engineer"}),
    "audit": frozenset({"engineer", "quality", "administrator"}),
    "quality": frozenset({"quality"}),  # whose signature counts, and who lets records go
    "sum_up": frozenset({"operator", "engineer", "quality"}),
    "order": frozenset({"operator", "engineer", "system"}),
    "see_orders": frozenset({"operator", "engineer", "quality", "administrator", "system"}),
    "people": frozenset({"administrator"}),  # and engineers, while a site has no administrator
}


def allowed_to(role: str, has_administrator: bool) -> list[Permission]:
    """What a role may do."""
    found: list[Permission] = [each for each, roles in ALLOWED.items() if role in roles]
    if role == "engineer" and not has_administrator:
        found.append("people")
    return found


MOST_AGENT, MOST_IDLE_DIGITS = 200, 7


@dataclass(frozen=True, slots=True)
class Place:
    """Where somebody signs in from, and by what program."""

    address: str
    agent: str = ""


@dataclass(frozen=True, slots=True)
class Signed:
    """A fresh session with its secrets."""

    account: Account
    secret: str
    csrf: str
    expires_at: str


@dataclass(frozen=True, slots=True)
class Person:
    """A signed-in account, and the session by which it asks."""

    account: Account
    session: Session
    by_cookie: bool

    @property
    def csrf(self) -> str:
        """What a browser's writes carry; empty for bearer tokens."""
        return self.session.csrf if self.by_cookie else ""

    @property
    def name(self) -> str:
        """The account's name."""
        return self.account.name

    @property
    def signer(self) -> Signer:
        """The person as a document names who acts."""
        return Signer(self.account.name, self.account.full_name, self.account.role)


def digest_of(secret: str) -> str:
    """The digest under which a session is kept."""
    return hashlib.sha256(secret.encode()).hexdigest()


def _text(moment: dt.datetime) -> str:
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def used_since(idle_minutes: float) -> str:
    """A session that was last used before this has ended."""
    return _text(dt.datetime.now(dt.UTC) - dt.timedelta(minutes=idle_minutes))


def may_still_run(idle_minutes: float, conn: sqlite3.Connection, digest: str) -> bool:
    """Whether a session holds, of somebody who may run units."""
    found = accounts.find_session(conn, digest, used_since(idle_minutes))
    return found is not None and found[0].role in ALLOWED["run"] and not found[0].must_change


@dataclass(frozen=True, slots=True)
class Door:
    """What signing in goes by: the records, the hashing, the limits, how long a session idles."""

    store: Store
    hashing: Hashing
    limiter: AttemptLimiter
    idle_minutes: float = 120.0

    @property
    def used_since(self) -> str:
        """A session that was last used before this has ended."""
        return used_since(self.idle_minutes)

    async def sign_in(self, name: str, password: str, code: str, place: Place) -> Signed:
        """Check a password, and a code where one goes with it, and begin a session.

        Raises NotSignedIn for a wrong name or password (without saying which), CodeNeeded, and
        TooManyAttempts, which says as little. Whoever has signed in from an address before is not
        held up by guesses that others make from elsewhere: nobody can lock somebody else out.
        """
        address = place.address
        is_known = await self.store.read(lambda c: audit.has_signed_in(c, name, address))
        with self.limiter.attempt(*allowances(name, address, is_known)):
            account = await self.store.read(lambda conn: accounts.find_account(conn, name))
            is_right = await self.hashing.fits(account.password_hash if account else None, password)
            if account is None or account.closed_at is not None or not is_right:
                raise NotSignedIn("The name or the password is wrong; check both and try again.")
            if account.has_codes and code:
                await self.take_code(account, code)
        if account.has_codes and not code:
            raise CodeNeeded("A one-time code goes with this password; give it as well.")
        return await self._begin(account, place)

    async def take_code(self, account: Account, code: str) -> None:
        """Take a one-time code of an account, once; raises NotSignedIn."""
        step = step_of(account.code_secret, code, dt.datetime.now(dt.UTC))
        if step is not None:
            taken = await self.store.write(lambda conn: accounts.use_code(conn, account.name, step))
            if taken:
                return
        raise NotSignedIn("The code is not the one of now, or was used already; wait for the next.")

    async def _begin(self, account: Account, place: Place) -> Signed:
        secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
        began = dt.datetime.now(dt.UTC)
        ends = _text(began + dt.timedelta(hours=SESSION_HOURS))
        session = Session(
            new_id(),
            digest_of(secret),
            csrf,
            place.address,
            place.agent[:MOST_AGENT],
            _text(began),
            _text(began),
            ends,
        )

        def keep(conn: sqlite3.Connection) -> None:
            accounts.note_sign_in(conn, account.name)
            accounts.add_session(conn, account.id, session)
            audit.note(conn, account.name, audit.SIGN_IN, account.name, place.address)

        await self.store.write(keep)
        return Signed(account, secret, csrf, ends)


def address_of(request: Request) -> str:
    """Where a request comes from."""
    return request.client.host if request.client else ""


def place_of(request: Request) -> Place:
    """Where somebody signs in, and by what program."""
    agent = "".join(each for each in request.headers.get("user-agent", "") if each.isprintable())
    return Place(address_of(request), agent)


def _idle_s(request: Request) -> float:
    told = request.headers.get(IDLE_HEADER, "0")
    return float(told) if told.isdecimal() and len(told) < MOST_IDLE_DIGITS else 0.0


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
    door: Door = request.app.state.desk.door
    read = door.store.read_urgent if is_urgent else door.store.read
    since = "" if is_urgent else door.used_since  # whoever comes back to a run may abort it at once
    found = await read(lambda conn: accounts.find_session(conn, digest, since))
    if found is None:
        raise NotSignedIn("The sign-in has expired or was ended; sign in again.")
    account, session = found
    if by_cookie and request.method not in ("GET", "HEAD", "OPTIONS"):
        given = request.headers.get(CSRF_HEADER, "")
        if not hmac.compare_digest(given.encode(), session.csrf.encode()):
            raise NotAllowed(f"The request lacks its {CSRF_HEADER} header; reload the console.")
    if not is_urgent:
        await _note_use(door.store, session, _idle_s(request))
    return Person(account, session, by_cookie)


async def _note_use(store: Store, session: Session, idle_s: float) -> None:
    """Keep that a session is in use, at times; a console that nobody touches is not using it."""
    used = dt.datetime.now(dt.UTC) - dt.timedelta(seconds=idle_s)
    before = dt.datetime.fromisoformat(session.used_at)
    if (used - before).total_seconds() > NOTED_EACH_S:
        at = _text(used)
        # Whoever asks is answered, whether or not there is room to keep when.
        with contextlib.suppress(RecordsError, sqlite3.Error):
            await store.write(lambda conn: accounts.note_use(conn, session.digest, at))


async def signed_in(request: Request) -> Person:
    """The person whom the doorkeeper let in."""
    person: Person = request.scope[PERSON]
    return person


async def permissions(person: Person, store: Store) -> list[Permission]:
    """What somebody may do here and now."""
    role = person.account.role
    if role != "engineer":
        return allowed_to(role, True)
    found = await store.read(lambda conn: accounts.count_open(conn, "administrator"))
    return allowed_to(role, found > 0)


def may(permission: Permission) -> Callable[[Person, Request], Awaitable[Person]]:
    """Make the dependency that lets only roles with ``permission`` in."""

    async def check(person: Annotated[Person, Depends(signed_in)], request: Request) -> Person:
        if person.account.must_change:
            raise NotAllowed(
                f"{person.name} has a one-time password; change it first: "
                "`loricate account password`, or the console's page for it."
            )
        if permission not in await permissions(person, request.app.state.desk.store):
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
Orderer = Annotated[Person, Depends(may("order"))]
OrderReader = Annotated[Person, Depends(may("see_orders"))]
Definer = Annotated[Person, Depends(may("define"))]
Approver = Annotated[Person, Depends(may("quality"))]
Summer = Annotated[Person, Depends(may("sum_up"))]
Keeper = Annotated[Person, Depends(may("people"))]
