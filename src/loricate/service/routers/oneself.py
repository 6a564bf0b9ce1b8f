"""What concerns oneself: the password, one-time codes, and where one is signed in."""

import datetime as dt
import sqlite3

from loricate.api.people import CodeSetup, CodeTyped, PasswordChange, PasswordTyped, SessionOut
from loricate.core.errors import Finding
from loricate.records import accounts, audit
from loricate.service.codes import CodeSecret, step_of
from loricate.service.desk import Desk
from loricate.service.errors import NotReady, WrongState
from loricate.service.guessing import ATTEMPTS, Allowance
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import Person, SignedIn

router = make_router("", "oneself")


async def _check_password(person: Person, desk: Desk, field: str, password: str) -> None:
    with desk.limiter.attempt(Allowance(f"own {person.name.casefold()}", ATTEMPTS)):
        if not await desk.hashing.fits(person.account.password_hash, password):
            message = "is not the present password", "type the one you signed in with."
            raise NotReady.because([Finding(field, *message)])


@router.post("/password", status_code=204)
async def change_password(body: PasswordChange, person: SignedIn, desk: TheDesk) -> None:
    """Change one's own password; other sessions of the account end."""
    await _check_password(person, desk, "present", body.present)
    if body.next == body.present:
        raise NotReady.because([Finding("next", "is the present password", "choose another.")])
    hashed = await desk.hashing.hash(body.next)

    def keep(conn: sqlite3.Connection) -> None:
        accounts.set_password(conn, person.name, hashed, must_change=False)
        accounts.drop_sessions(conn, person.name, but=person.session.digest)
        audit.note(conn, person.name, "change password", person.name)

    await desk.store.write(keep)


@router.get("/sessions", response_model=list[SessionOut])
async def list_sessions(person: SignedIn, desk: TheDesk) -> list[SessionOut]:
    """Where one is signed in, the session used last first."""
    since = desk.door.used_since
    found = await desk.store.read(lambda c: accounts.sessions_of(c, person.name, since))
    return [
        SessionOut(
            id=each.id,
            is_this=each.id == person.session.id,
            address=each.address,
            agent=each.agent,
            created_at=each.created_at,
            used_at=each.used_at,
            expires_at=each.expires_at,
        )
        for each in found
    ]


@router.delete("/sessions/{session}", status_code=204)
async def end_session(session: str, person: SignedIn, desk: TheDesk) -> None:
    """End one of one's own sessions."""

    def keep(conn: sqlite3.Connection) -> None:
        accounts.drop_session_of(conn, person.name, session)
        audit.note(conn, person.name, "end session", person.name)

    await desk.store.write(keep)


@router.post("/sign-out-everywhere", status_code=204)
async def sign_out_everywhere(person: SignedIn, desk: TheDesk) -> None:
    """End every session of one's account, this one as well."""

    def keep(conn: sqlite3.Connection) -> None:
        ended = accounts.drop_sessions(conn, person.name)
        audit.note(conn, person.name, "sign out everywhere", person.name, f"{ended} sessions")

    await desk.store.write(keep)


@router.post("/codes", response_model=CodeSetup, status_code=201)
async def begin_codes(body: PasswordTyped, person: SignedIn, desk: TheDesk) -> CodeSetup:
    """Set up one-time codes: gives what an authenticator needs, once. Nothing changes yet."""
    await _check_password(person, desk, "password", body.password)
    if person.account.has_codes:
        raise WrongState("One-time codes go with your password already; end them first.")
    made = CodeSecret.new(person.name, desk.plan.site)
    desk.codes[person.name] = made
    return CodeSetup(secret=made.secret, uri=made.uri, qr=made.rows)


@router.post("/codes/confirm", status_code=204)
async def confirm_codes(body: CodeTyped, person: SignedIn, desk: TheDesk) -> None:
    """Have codes go with the password from now on: proves with one that they can be made."""
    made = desk.codes.get(person.name)
    if made is None or made.is_old:
        raise WrongState("Set one-time codes up first; what was given before is not kept for long.")
    with desk.limiter.attempt(Allowance(f"own {person.name.casefold()}", ATTEMPTS)):
        step = step_of(made.secret, body.code, dt.datetime.now(dt.UTC))
        if step is None:
            message = "is not the code of now", "check the clock of the device, type the next one."
            raise NotReady.because([Finding("code", *message)])

    def keep(conn: sqlite3.Connection) -> None:
        accounts.set_code_secret(conn, person.name, made.secret)
        accounts.use_code(conn, person.name, step)
        accounts.drop_sessions(conn, person.name, but=person.session.digest)
        audit.note(conn, person.name, "begin one-time codes", person.name)

    await desk.store.write(keep)
    desk.codes.pop(person.name, None)


@router.post("/codes/end", status_code=204)
async def end_codes(body: PasswordTyped, person: SignedIn, desk: TheDesk) -> None:
    """Have the password be enough again."""
    await _check_password(person, desk, "password", body.password)

    def keep(conn: sqlite3.Connection) -> None:
        accounts.set_code_secret(conn, person.name, "")
        audit.note(conn, person.name, "end one-time codes", person.name)

    await desk.store.write(keep)
