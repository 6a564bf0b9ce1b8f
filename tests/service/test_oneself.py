"""Oneself: sessions that idle, are listed and ended; one-time codes; who looks after people."""

import asyncio
import datetime as dt
import sqlite3
import time
from functools import partial

import httpx
import pyotp
import pytest
from fastapi import FastAPI

from loricate.records.accounts import get_account
from loricate.service.codes import step_of
from loricate.service.desk import Desk
from loricate.service.guessing import ELSEWHERE_S
from loricate.service.sign_in import Door
from tests.service.conftest import bearer, sign_in


@pytest.fixture
def desk(app: FastAPI) -> Desk:
    found: Desk = app.state.desk
    return found


def unused_for(minutes: float, desk: Desk) -> None:
    """Have every session last used so long ago."""
    at = dt.datetime.now(dt.UTC) - dt.timedelta(minutes=minutes)
    text = at.isoformat(timespec="milliseconds").replace("+00:00", "Z")

    def change(conn: sqlite3.Connection) -> None:
        conn.execute("UPDATE session SET used_at = ?", (text,))

    desk.store.write_now(change)


async def test_a_session_that_nobody_uses_ends(wire: httpx.AsyncClient, desk: Desk) -> None:
    mara = await bearer(wire, "mara")
    unused_for(119, desk)
    assert (await wire.get("/me", headers=mara)).status_code == 200
    unused_for(121, desk)
    answer = await wire.get("/me", headers=mara)
    assert answer.status_code == 401 and "expired" in answer.json()["detail"]
    aborting = await wire.post("/runs/none/abort", headers=mara)
    assert aborting.status_code == 404, "an abort is not held up by a sign-in that has idled"


async def test_a_console_that_nobody_touches_does_not_use_its_session(
    wire: httpx.AsyncClient, desk: Desk
) -> None:
    """It asks by itself all the time, and says for how long it was left alone."""
    mara = await bearer(wire, "mara")
    for idle, ends in ((0, False), (7300, True)):
        unused_for(119, desk)
        for _ in range(3):
            await wire.get("/me", headers={**mara, "X-Loricate-Idle": str(idle)})
        found = (await wire.get("/sessions", headers={**mara, "X-Loricate-Idle": str(idle)})).json()
        used = dt.datetime.fromisoformat(found[0]["used_at"])
        unused_s = (dt.datetime.now(dt.UTC) - used).total_seconds()
        assert (unused_s > 7000) is ends
    for nonsense in ("-5", "1e9", "²", "9" * 400):
        sent = [(name.encode(), value.encode()) for name, value in mara.items()]
        sent.append((b"X-Loricate-Idle", nonsense.encode()))
        assert (await wire.get("/me", headers=sent)).status_code == 200


async def test_ones_sessions_are_listed_and_ended_one_by_one(wire: httpx.AsyncClient) -> None:
    here, there = await bearer(wire, "mara"), await bearer(wire, "mara")
    olle = await bearer(wire, "olle")
    found = (await wire.get("/sessions", headers=here)).json()
    assert [each["is_this"] for each in found].count(True) == 1 and len(found) == 2
    other = next(each for each in found if not each["is_this"])
    assert other["agent"].startswith("python-httpx") and other["address"] == "127.0.0.1"
    refused = await wire.delete(f"/sessions/{other['id']}", headers=olle)
    assert refused.status_code == 404, "nobody ends another's"
    assert (await wire.delete(f"/sessions/{other['id']}", headers=here)).status_code == 204
    assert (await wire.get("/me", headers=there)).status_code == 401
    assert (await wire.get("/me", headers=here)).status_code == 200


async def with_codes(wire: httpx.AsyncClient, name: str) -> tuple[dict[str, str], pyotp.TOTP]:
    """Somebody signed in who has set up one-time codes, with the code of the step before now."""
    headers = await bearer(wire, name)
    body = {"password": f"{name}-pass"}
    made = (await wire.post("/codes", json=body, headers=headers)).json()
    assert made["uri"].startswith("otpauth://totp/") and made["secret"] in made["uri"]
    assert {len(row) for row in made["qr"]} == {len(made["qr"])}
    codes = pyotp.TOTP(made["secret"])
    code = codes.at(dt.datetime.now(dt.UTC), counter_offset=-1)
    answer = await wire.post("/codes/confirm", json={"code": code}, headers=headers)
    assert answer.status_code == 204, answer.text
    return headers, codes


async def with_code(wire: httpx.AsyncClient, name: str, code: str) -> httpx.Response:
    body = {"name": name, "password": f"{name}-pass", "code": code}
    return await wire.post("/sign-in", json=body)


async def test_a_code_goes_with_the_password_and_is_taken_once(
    wire: httpx.AsyncClient, desk: Desk
) -> None:
    headers, codes = await with_codes(wire, "mara")
    assert (await wire.get("/me", headers=headers)).json()["has_codes"] is True
    asked = await sign_in(wire, "mara")
    assert asked.status_code == 401 and asked.json()["type"].endswith(":code-needed")
    wrong = await wire.post("/sign-in", json={"name": "mara", "password": "guess", "code": ""})
    assert not wrong.json()["type"].endswith(":code-needed"), "it tells that to no guesser"
    code = codes.now()
    assert (await with_code(wire, "mara", code)).status_code == 200
    again = await with_code(wire, "mara", code)
    assert again.status_code == 401 and "used already" in again.json()["detail"]
    desk.limiter.clock = lambda: time.monotonic() + ELSEWHERE_S
    assert (await with_code(wire, "mara", "not a code")).status_code == 401


async def test_of_the_same_code_twenty_times_at_once_one_is_taken(
    wire: httpx.AsyncClient, desk: Desk
) -> None:
    _, codes = await with_codes(wire, "mara")
    door = Door(desk.store, desk.hashing, desk.limiter)
    account = await desk.store.read(partial(get_account, name="mara"))
    code = codes.now()
    came = await asyncio.gather(
        *(door.take_code(account, code) for _ in range(20)), return_exceptions=True
    )
    assert [each for each in came if each is None] == [None]


async def test_guesses_of_a_code_are_limited(wire: httpx.AsyncClient) -> None:
    _, codes = await with_codes(wire, "mara")
    right = codes.now()
    tried = [f"{number:06}" for number in range(100_000, 100_050) if f"{number:06}" != right]
    told = [(await with_code(wire, "mara", code)).status_code for code in tried[:12]]
    assert told.count(401) <= 5 and 429 in told


def test_only_codes_of_about_now_are_codes() -> None:
    secret, at = pyotp.random_base32(), dt.datetime(2026, 11, 26, 12, tzinfo=dt.UTC)
    codes = pyotp.TOTP(secret)
    for offset in (-1, 0, 1):
        assert (
            step_of(secret, codes.at(at, counter_offset=offset), at) == codes.timecode(at) + offset
        )
    for offset in (-3, 3, 100):
        assert step_of(secret, codes.at(at, counter_offset=offset), at) is None
    assert step_of(secret, "", at) is None


async def test_codes_are_not_begun_without_password_and_proof(
    wire: httpx.AsyncClient, desk: Desk
) -> None:
    headers = await bearer(wire, "mara")
    wrong = await wire.post("/codes", json={"password": "guess"}, headers=headers)
    assert wrong.status_code == 422
    early = await wire.post("/codes/confirm", json={"code": "123456"}, headers=headers)
    assert early.status_code == 409
    made = (await wire.post("/codes", json={"password": "mara-pass"}, headers=headers)).json()
    codes = pyotp.TOTP(made["secret"])
    bad = f"{(int(codes.now()) + 1) % 10**6:06}"
    assert (
        await wire.post("/codes/confirm", json={"code": bad}, headers=headers)
    ).status_code == 422
    assert (await sign_in(wire, "mara")).status_code == 200, "nothing has changed"


async def test_whoever_lost_the_authenticator_is_let_in_by_whoever_looks_after_people(
    wire: httpx.AsyncClient,
) -> None:
    await with_codes(wire, "mara")
    ada = await bearer(wire, "ada")
    once = (await wire.post("/accounts/mara/reset", headers=ada)).json()["password"]
    signed = await wire.post("/sign-in", json={"name": "mara", "password": once})
    assert signed.status_code == 200 and signed.json()["must_change"]


async def test_engineers_look_after_people_only_while_there_is_no_administrator(
    wire: httpx.AsyncClient,
) -> None:
    mara, ada = await bearer(wire, "mara"), await bearer(wire, "ada")
    assert "people" not in (await wire.get("/me", headers=mara)).json()["may"]
    assert (await wire.get("/accounts", headers=mara)).status_code == 403
    assert (await wire.get("/sequences", headers=ada)).status_code == 200
    assert (await wire.post("/products", json={}, headers=ada)).status_code == 403
    last = await wire.post("/accounts/ada", json={"closed": True}, headers=ada)
    assert last.status_code == 409 and "last administrator" in last.json()["detail"]
    body = {"name": "bo", "full_name": "Bo Lind", "role": "administrator"}
    assert (await wire.post("/accounts", json=body, headers=ada)).status_code == 201
    assert (
        await wire.post("/accounts/ada", json={"role": "quality"}, headers=ada)
    ).status_code == 200
    assert (await wire.get("/accounts", headers=mara)).status_code == 403
