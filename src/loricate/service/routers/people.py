"""Accounts, one's own password, the audit trail, and the first account of a new site."""

import hmac
import secrets
import sqlite3
from typing import Annotated

from fastapi import Query

from loricate.api.people import (
    AccountChange,
    AccountOut,
    AuditEntry,
    FirstAccountIn,
    NewAccount,
    OneTimePassword,
    PasswordChange,
)
from loricate.core.errors import Finding
from loricate.records import accounts, audit
from loricate.records.accounts import Account
from loricate.service.desk import Desk
from loricate.service.guessing import ATTEMPTS, Allowance
from loricate.service.problems import NotAllowed, NotReady, WrongState
from loricate.service.routers.access import After, APage, Revision, TheDesk, make_router
from loricate.service.sign_in import Auditor, Definer, SignedIn

router = make_router("", "people")


def _shown(account: Account) -> AccountOut:
    state = "closed" if account.closed_at else "open"
    return AccountOut(
        name=account.name,
        full_name=account.full_name,
        role=account.role,
        state=state,
        must_change=account.must_change,
        created_at=account.created_at,
        signed_in_at=account.signed_in_at,
    )


async def _one_time(desk: Desk) -> tuple[str, str]:
    """A password for the first sign-in and its hash."""
    password = secrets.token_urlsafe(9)
    return password, await desk.hashing.hash(password)


@router.get("/accounts", response_model=list[AccountOut])
async def list_accounts(
    person: Definer, desk: TheDesk, page: APage, after: After = ""
) -> list[AccountOut]:
    """Every account, by name."""
    found = await desk.store.read(
        lambda conn: accounts.page_of_accounts(conn, after, page.look_for)
    )
    return [_shown(each) for each in page.cut(found, "after", lambda account: account.name)]


@router.post("/accounts", response_model=OneTimePassword, status_code=201)
async def add_account(body: NewAccount, person: Definer, desk: TheDesk) -> OneTimePassword:
    """Add somebody; gives a one-time password, shown this once."""
    password, hashed = await _one_time(desk)

    def keep(conn: sqlite3.Connection) -> None:
        if accounts.find_account(conn, body.name) is not None:
            raise WrongState(f"There is an account {body.name} already; choose another name.")
        accounts.put_account(conn, body.name, body.full_name, body.role, hashed, must_change=True)
        audit.note(conn, person.name, "add account", body.name, body.role)

    await desk.store.write(keep)
    return OneTimePassword(name=body.name, password=password)


@router.post("/accounts/{name}", response_model=AccountOut)
async def change_account(
    name: str, body: AccountChange, person: Definer, desk: TheDesk
) -> AccountOut:
    """Change full name or role, close or open; the last open engineer stays one."""

    def keep(conn: sqlite3.Connection) -> Account:
        before = accounts.get_account(conn, name)
        role = body.role or before.role
        is_closed = before.closed_at is not None if body.closed is None else body.closed
        others = [
            each
            for each in accounts.list_accounts(conn)
            if each.role == "engineer" and each.closed_at is None and each.id != before.id
        ]
        if before.role == "engineer" and (role != "engineer" or is_closed) and not others:
            raise WrongState(f"{before.name} is the last engineer; make another one first.")
        accounts.set_person(conn, name, body.full_name or before.full_name, role, is_closed)
        if is_closed or role != before.role:
            accounts.drop_sessions(conn, name)
        detail = f"{role}{', closed' if is_closed else ''}"
        audit.note(conn, person.name, "change account", before.name, detail)
        return accounts.get_account(conn, name)

    return _shown(await desk.store.write(keep))


@router.post("/accounts/{name}/reset", response_model=OneTimePassword)
async def reset_password(name: str, person: Definer, desk: TheDesk) -> OneTimePassword:
    """Give an account a one-time password and end its sessions."""
    password, hashed = await _one_time(desk)

    def keep(conn: sqlite3.Connection) -> Account:
        account = accounts.get_account(conn, name)
        accounts.set_password(conn, name, hashed, must_change=True)
        accounts.drop_sessions(conn, name)
        audit.note(conn, person.name, "reset password", account.name)
        return account

    account = await desk.store.write(keep)
    return OneTimePassword(name=account.name, password=password)


@router.post("/password", status_code=204)
async def change_password(body: PasswordChange, person: SignedIn, desk: TheDesk) -> None:
    """Change one's own password; other sessions of the account end."""
    with desk.limiter.attempt(Allowance(f"own {person.name.casefold()}", ATTEMPTS)):
        if not await desk.hashing.fits(person.account.password_hash, body.present):
            message = "is not the present password; type the one you signed in with."
            raise NotReady.because([Finding("present", message)])
    if body.next == body.present:
        raise NotReady.because([Finding("next", "is the present password; choose another.")])
    hashed = await desk.hashing.hash(body.next)

    def keep(conn: sqlite3.Connection) -> None:
        accounts.set_password(conn, person.name, hashed, must_change=False)
        accounts.drop_sessions(conn, person.name, but=person.digest)
        audit.note(conn, person.name, "change password", person.name)

    await desk.store.write(keep)


@router.post("/sign-out-everywhere", status_code=204)
async def sign_out_everywhere(person: SignedIn, desk: TheDesk) -> None:
    """End every session of one's account, this one as well."""

    def keep(conn: sqlite3.Connection) -> None:
        ended = accounts.drop_sessions(conn, person.name)
        audit.note(conn, person.name, "sign out everywhere", person.name, f"{ended} sessions")

    await desk.store.write(keep)


Part = Annotated[str, Query(max_length=128)]


@router.get("/audit", response_model=list[AuditEntry])
async def read_audit(
    person: Auditor,
    desk: TheDesk,
    page: APage,
    account: Part = "",
    action: Part = "",
    subject: Part = "",
    since: Part = "",
    until: Part = "",
    before: Revision = None,
) -> list[AuditEntry]:
    """What was done, newest first: by account, by part of the action or subject, in a span of time.

    ``before`` is the number of the last entry seen, for the next page.
    """
    wanted = audit.Wanted(account, action, subject, since, until, before, page.look_for)
    found = await desk.store.read(lambda conn: audit.find(conn, wanted))
    rows = page.cut(found, "before", lambda row: str(row["number"]))
    return [AuditEntry(**each) for each in rows]


@router.post("/first-account", response_model=AccountOut, status_code=201)
async def make_first_account(body: FirstAccountIn, desk: TheDesk) -> AccountOut:
    """Make the first engineer of a site that has no account, with the code from the log."""
    if not desk.first_code:
        raise WrongState("This site has its accounts; an engineer adds more on the People page.")
    with desk.limiter.attempt(Allowance("first account", ATTEMPTS)):
        if not hmac.compare_digest(body.code.strip().encode(), desk.first_code.encode()):
            raise NotAllowed("The code is not the one in the service's log; copy it from there.")
    hashed = await desk.hashing.hash(body.password)

    def keep(conn: sqlite3.Connection) -> Account:
        if accounts.list_accounts(conn):
            raise WrongState("Somebody made the first account just now; sign in.")
        accounts.put_account(conn, body.name, body.full_name, "engineer", hashed)
        audit.note(conn, body.name, "first account", body.name)
        return accounts.get_account(conn, body.name)

    account = await desk.store.write(keep)
    desk.first_code = ""
    return _shown(account)
