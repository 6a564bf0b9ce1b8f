"""Signing in and out."""

from fastapi import Request, Response

from loricate.api.session import Me, SignedIn, SignIn
from loricate.records import accounts
from loricate.service import sign_in as signing
from loricate.service.routers.access import TheDesk, make_router
from loricate.service.sign_in import COOKIE, SESSION_HOURS, address_of, sign_in

router = make_router("", "session")


@router.post("/sign-in", response_model=SignedIn)
async def begin(body: SignIn, desk: TheDesk, request: Request, response: Response) -> SignedIn:
    """Begin a session as a bearer token, or as a same-site cookie for a browser."""
    account, secret, csrf, expires_at = await sign_in(
        desk.store, desk.hashing, desk.limiter, body.name, body.password, address_of(request)
    )
    if body.keep == "cookie":
        response.set_cookie(
            COOKIE,
            secret,
            max_age=SESSION_HOURS * 3600,
            httponly=True,
            samesite="strict",
            secure=desk.settings.base_url.startswith("https:"),
        )
    return SignedIn(
        name=account.name,
        full_name=account.full_name,
        role=account.role,
        must_change=account.must_change,
        csrf=csrf if body.keep == "cookie" else "",
        token=secret if body.keep == "token" else "",
        expires_at=expires_at,
    )


@router.post("/sign-out", status_code=204)
async def end(person: signing.SignedIn, desk: TheDesk, response: Response) -> None:
    """End the session."""
    await desk.store.write(lambda conn: accounts.drop_session(conn, person.digest))
    response.delete_cookie(COOKIE)


@router.get("/me", response_model=Me)
async def me(person: signing.SignedIn) -> Me:
    """Who is signed in."""
    account = person.account
    return Me(
        name=account.name,
        full_name=account.full_name,
        role=account.role,
        must_change=account.must_change,
        csrf=person.csrf,
    )
