"""People: one-time passwords, guessers, closing, signing out everywhere, audit, first account."""

import contextlib
import sqlite3
import stat
import time
from collections.abc import AsyncIterator
from functools import partial
from pathlib import Path

import httpx
import pytest

from loricate.service.app import create_app
from loricate.service.desk import Desk
from loricate.service.errors import NotSignedIn, TooManyAttempts
from loricate.service.guessing import ATTEMPTS, ELSEWHERE, ELSEWHERE_S
from loricate.service.settings import FirstAccount, Settings
from loricate.service.sign_in import Place
from tests.rig import copy_bench

MARA = "mara-password"


def settings(folder: Path, *people: FirstAccount) -> Settings:
    bench = copy_bench(folder)
    return Settings(bench, folder, "http://b", accounts=people)


class Site:
    """A site's application, and how people reach it."""

    def __init__(self, wire: httpx.AsyncClient, desk: Desk) -> None:
        self.wire, self.desk, self.passed_s = wire, desk, 0.0

    async def sign_in(self, name: str, password: str) -> httpx.Response:
        return await self.wire.post("/sign-in", json={"name": name, "password": password})

    async def headers(self, name: str, password: str) -> dict[str, str]:
        answer = await self.sign_in(name, password)
        assert answer.status_code == 200, answer.text
        return {"Authorization": f"Bearer {answer.json()['token']}"}

    async def forget_failures(self) -> None:
        """Let the time pass for which failures count."""
        self.passed_s += ELSEWHERE_S
        passed_s = self.passed_s
        self.desk.limiter.clock = lambda: time.monotonic() + passed_s


@pytest.fixture
async def site(tmp_path: Path) -> AsyncIterator[Site]:
    app = create_app(settings(tmp_path, FirstAccount("mara", "Mara", "engineer", MARA)))
    async with app.router.lifespan_context(app):
        transport = httpx.ASGITransport(app)
        async with httpx.AsyncClient(transport=transport, base_url="http://b/api/v1") as wire:
            yield Site(wire, app.state.desk)


OLLE = {"name": "olle", "full_name": "Olle Stark", "role": "operator"}


async def test_a_one_time_password_must_be_changed_before_anything_else(site: Site) -> None:
    mara = await site.headers("mara", MARA)
    made = await site.wire.post("/accounts", json=OLLE, headers=mara)
    assert made.status_code == 201
    once = made.json()["password"]
    olle = await site.headers("olle", once)
    refused = await site.wire.get("/runs", headers=olle)
    assert refused.status_code == 403 and "one-time password" in refused.json()["detail"]
    assert (await site.wire.get("/me", headers=olle)).json()["must_change"] is True
    for wrong, says in (
        ({"present": "not it", "next": "long enough 1"}, "is not the present password"),
        ({"present": once, "next": once}, "choose another"),
        ({"present": once, "next": "short"}, "next"),
    ):
        answer = await site.wire.post("/password", json=wrong, headers=olle)
        assert answer.status_code == 422 and says in answer.text
    body = {"present": once, "next": "long enough 1"}
    assert (await site.wire.post("/password", json=body, headers=olle)).status_code == 204
    assert (await site.wire.get("/runs", headers=olle)).status_code == 200
    await site.forget_failures()
    assert (await site.sign_in("olle", once)).status_code == 401
    again = await site.wire.post("/accounts", json=OLLE, headers=mara)
    assert again.status_code == 409 and "olle already" in again.json()["detail"]


async def test_no_stranger_locks_somebody_out(site: Site) -> None:
    """Guesses from elsewhere, as many as may be, hold up whoever has signed in here before not."""
    mara = await site.headers("mara", MARA)
    for number in range(ELSEWHERE + 5):
        with contextlib.suppress(NotSignedIn, TooManyAttempts):
            await site.desk.door.sign_in("mara", "guess", "", Place(f"10.0.0.{number}"))
    assert (await site.sign_in("mara", MARA)).status_code == 200
    with pytest.raises(TooManyAttempts):
        await site.desk.door.sign_in("mara", MARA, "", Place("10.0.1.1"))
    found = (await site.wire.get("/accounts", headers=mara)).json()
    assert {each["name"]: each["state"] for each in found} == {"mara": "open"}


async def test_limits_tell_nothing_of_whether_there_is_an_account(site: Site) -> None:
    told: dict[str, list[tuple[int, str]]] = {}
    for name in ("mara", "nobody-here"):
        await site.forget_failures()
        told[name] = []
        for _ in range(ATTEMPTS + 2):
            answer = await site.sign_in(name, "guess")
            told[name].append((answer.status_code, answer.json()["title"]))
    assert told["mara"] == told["nobody-here"]
    assert told["mara"][-1][0] == 429


@pytest.mark.parametrize("name", ["service", "Engine", "SYSTEM"])
async def test_names_of_the_service_itself_are_refused(site: Site, name: str) -> None:
    mara = await site.headers("mara", MARA)
    answer = await site.wire.post("/accounts", json={**OLLE, "name": name}, headers=mara)
    assert answer.status_code == 422 and "name of the service itself" in answer.text


@pytest.mark.parametrize("sign", ["\u202e", "\u2066", "\u0007", "\u0000", "\u200f", "\u2028"])
async def test_characters_that_nobody_sees_are_refused_by_place(site: Site, sign: str) -> None:
    mara = await site.headers("mara", MARA)
    body = {**OLLE, "full_name": f"Olle{sign}kratS"}
    answer = await site.wire.post("/accounts", json=body, headers=mara)
    assert answer.status_code == 400
    assert f"U+{ord(sign):04X}) in full_name; take it out" in answer.json()["detail"]


async def test_the_audit_trail_is_append_only(site: Site) -> None:
    await site.headers("mara", MARA)
    for change in ("UPDATE audit SET account = 'olle'", "DELETE FROM audit"):
        with pytest.raises(sqlite3.IntegrityError, match="append-only"):
            await site.desk.store.write(partial(_do, change))


def _do(change: str, conn: sqlite3.Connection) -> None:
    conn.execute(change)


async def test_nobody_else_may_read_the_records(site: Site) -> None:
    for path in site.desk.settings.data_folder.glob("records.sqlite*"):
        assert stat.S_IMODE(path.stat().st_mode) == 0o600, path


async def test_a_closed_account_is_out_at_once_and_the_last_engineer_stays(site: Site) -> None:
    mara = await site.headers("mara", MARA)
    once = (await site.wire.post("/accounts", json=OLLE, headers=mara)).json()["password"]
    olle = await site.headers("olle", once)
    closed = await site.wire.post("/accounts/olle", json={"closed": True}, headers=mara)
    assert closed.json()["state"] == "closed"
    assert (await site.wire.get("/me", headers=olle)).status_code == 401
    assert (await site.sign_in("olle", once)).status_code == 401
    changed = await site.wire.post(
        "/accounts/olle", json={"closed": False, "role": "engineer"}, headers=mara
    )
    assert (changed.json()["state"], changed.json()["role"]) == ("open", "engineer")
    own = await site.wire.post("/accounts/mara", json={"role": "quality"}, headers=mara)
    assert own.json()["role"] == "quality", "there is another engineer"
    olle = await site.headers("olle", once)
    body = {"present": once, "next": "long enough 1"}
    await site.wire.post("/password", json=body, headers=olle)
    for change in ({"role": "operator"}, {"closed": True}):
        refused = await site.wire.post("/accounts/olle", json=change, headers=olle)
        assert refused.status_code == 409 and "last engineer" in refused.json()["detail"]
    missing = await site.wire.post("/accounts/nobody", json={}, headers=olle)
    assert missing.status_code == 404


async def test_signing_out_everywhere_ends_every_session(site: Site) -> None:
    here, there = await site.headers("mara", MARA), await site.headers("mara", MARA)
    body = {"present": MARA, "next": "another-password"}
    assert (await site.wire.post("/password", json=body, headers=here)).status_code == 204
    assert (await site.wire.get("/me", headers=there)).status_code == 401, "others end"
    assert (await site.wire.get("/me", headers=here)).status_code == 200
    assert (await site.wire.post("/sign-out-everywhere", headers=here)).status_code == 204
    assert (await site.wire.get("/me", headers=here)).status_code == 401


async def test_the_audit_is_filtered_and_paged(site: Site) -> None:
    mara = await site.headers("mara", MARA)
    for name in ("olle", "nils", "quin"):
        await site.wire.post("/accounts", json={**OLLE, "name": name}, headers=mara)

    async def found(**query: str | int) -> list[dict[str, str]]:
        answer = await site.wire.get("/audit", params=query, headers=mara)
        entries: list[dict[str, str]] = answer.json()
        return entries

    added = await found(action="ADD acc")
    assert [each["subject"] for each in added] == ["quin", "nils", "olle"]
    part = await found(action="add account", subject="NI")  # keys are noted too, by random names
    assert [each["subject"] for each in part] == ["nils"]
    assert await found(account="olle") == []
    assert await found(since="2999-01-01") == [] and await found(until="1999-12-31") == []
    today = added[0]["at"][:10]
    assert len(await found(action="add account", since=today, until=today)) == 3
    page = await found(action="add account", count=2)
    rest = await found(action="add account", before=int(page[-1]["number"]))
    assert [each["subject"] for each in (*page, *rest)] == ["quin", "nils", "olle"]


async def test_the_first_account_is_made_with_the_code_from_the_log(
    tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    app = create_app(settings(tmp_path))
    with caplog.at_level("WARNING"):
        async with app.router.lifespan_context(app):
            (told,) = [each for each in caplog.records if "no account yet" in each.message]
            code = str(told.__dict__["code"])
            transport = httpx.ASGITransport(app)
            async with httpx.AsyncClient(transport=transport, base_url="http://b/api/v1") as wire:
                health = await wire.get("http://b/health")
                assert health.json()["needs_first_account"] is True
                body = {"code": "wrong", "name": "mara", "full_name": "Mara", "password": MARA}
                refused = await wire.post("/first-account", json=body)
                assert refused.status_code == 403 and "service's log" in refused.json()["detail"]
                made = await wire.post("/first-account", json={**body, "code": code})
                assert (made.status_code, made.json()["role"]) == (201, "engineer")
                again = await wire.post("/first-account", json={**body, "code": code})
                assert again.status_code == 409
                signed = await wire.post("/sign-in", json={"name": "mara", "password": MARA})
                assert signed.status_code == 200
                health = await wire.get("http://b/health")
                assert health.json()["needs_first_account"] is False
