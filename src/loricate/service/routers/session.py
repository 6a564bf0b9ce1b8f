"""Signing in and out."""

from typing import Any

from fastapi import Request, Response

from loricate.api.session import Me, SignedIn, SignIn
from loricate.records import accounts
from loricate.records.accounts import Account
from loricate.service import sign_in as signing
from loricate.service.desk import Desk
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import COOKIE, SESSION_HOURS, allowed_to, place_of

router = make_router("", "session")


@router.post("/sign-in", response_model=SignedIn, name="sign_in")
async def begin(body: SignIn, desk: TheDesk, request: Request, response: Response) -> SignedIn:
    """Begin a session as a bearer token, or as a same-site cookie for a browser."""
    signed = await desk.door.sign_in(body.name, body.password, body.code, place_of(request))
    if body.keep == "cookie":
        response.set_cookie(
            COOKIE,
            signed.secret,
            max_age=SESSION_HOURS * 3600,
            httponly=True,
            samesite="strict",
            secure=desk.settings.base_url.startswith("https:"),
        )
    in_cookie = body.keep == "cookie"
    return SignedIn(
        **await _told(signed.account, desk),
        csrf=signed.csrf if in_cookie else "",
        token="" if in_cookie else signed.secret,
        expires_at=signed.expires_at,
    )


async def _told(account: Account, desk: Desk) -> dict[str, Any]:
    has_one = await desk.store.read(lambda conn: accounts.count_open(conn, "administrator")) > 0
    return {
        "name": account.name,
        "full_name": account.full_name,
        "role": account.role,
        "must_change": account.must_change,
        "has_codes": account.has_codes,
        "may": allowed_to(account.role, has_one),
    }


@router.post("/sign-out", status_code=204, name="sign_out")
async def end(person: signing.SignedIn, desk: TheDesk, response: Response) -> None:
    """End the session."""
    await desk.store.write(lambda conn: accounts.drop_session(conn, person.session.digest))
    response.delete_cookie(COOKIE)


@router.get("/me", response_model=Me, name="show_me")
async def me(person: signing.SignedIn, desk: TheDesk) -> Me:
    """Who is signed in."""
    return Me(**await _told(person.account, desk), csrf=person.csrf)
