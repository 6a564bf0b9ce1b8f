"""Accounts, the audit trail, and the first account of a new site."""

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
)
from loricate.records import accounts, audit
from loricate.records.accounts import Account
from loricate.service.desk import Desk
from loricate.service.errors import NotAllowed, WrongState
from loricate.service.guessing import ATTEMPTS, Allowance
from loricate.service.routers.access import After, APage, Revision, TheDesk, make_router
from loricate.service.sign_in import Auditor, Keeper

router = make_router("", "people")


def _shown(account: Account) -> AccountOut:
    state = "closed" if account.closed_at else "open"
    return AccountOut(
        name=account.name,
        full_name=account.full_name,
        role=account.role,
        state=state,
        must_change=account.must_change,
        has_codes=account.has_codes,
        created_at=account.created_at,
        signed_in_at=account.signed_in_at,
    )


async def _one_time(desk: Desk) -> tuple[str, str]:
    """A password for the first sign-in and its hash."""
    password = secrets.token_urlsafe(9)
    return password, await desk.hashing.hash(password)


@router.get("/accounts", response_model=list[AccountOut])
async def list_accounts(
    person: Keeper, desk: TheDesk, page: APage, after: After = ""
) -> list[AccountOut]:
    """Every account, by name."""
    found = await desk.store.read(
        lambda conn: accounts.page_of_accounts(conn, after, page.look_for)
    )
    return [_shown(each) for each in page.cut(found, "after", lambda account: account.name)]


@router.post("/accounts", response_model=OneTimePassword, status_code=201)
async def add_account(body: NewAccount, person: Keeper, desk: TheDesk) -> OneTimePassword:
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
    name: str, body: AccountChange, person: Keeper, desk: TheDesk
) -> AccountOut:
    """Change full name or role, close or open; whoever is the last who can look after them stays.

    That is the last administrator, or the last engineer of a site without one.
    """

    def keep(conn: sqlite3.Connection) -> Account:
        before = accounts.get_account(conn, name)
        role = body.role or before.role
        is_closed = before.closed_at is not None if body.closed is None else body.closed
        loses = {before.role} if role != before.role or is_closed else set()
        for kept in loses & {"administrator", "engineer"}:
            if not accounts.count_open(conn, kept, but=before.id):
                raise WrongState(f"{before.name} is the last {kept}; make another one first.")
        accounts.set_person(conn, name, body.full_name or before.full_name, role, is_closed)
        if is_closed or role != before.role:
            accounts.drop_sessions(conn, name)
        detail = f"{role}{', closed' if is_closed else ''}"
        audit.note(conn, person.name, "change account", before.name, detail)
        return accounts.get_account(conn, name)

    return _shown(await desk.store.write(keep))


@router.post("/accounts/{name}/reset", response_model=OneTimePassword)
async def reset_password(name: str, person: Keeper, desk: TheDesk) -> OneTimePassword:
    """Give an account a one-time password, end its sessions, and ask for no codes any more."""
    password, hashed = await _one_time(desk)

    def keep(conn: sqlite3.Connection) -> Account:
        account = accounts.get_account(conn, name)
        accounts.set_password(conn, name, hashed, must_change=True)
        accounts.set_code_secret(conn, name, "")
        accounts.drop_sessions(conn, name)
        audit.note(conn, person.name, "reset password", account.name)
        return account

    account = await desk.store.write(keep)
    return OneTimePassword(name=account.name, password=password)


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
