"""Signing in: tokens, cookies with CSRF secrets, roles, and a limit on attempts."""

import asyncio
import datetime as dt
import json
import re
from contextlib import ExitStack
from pathlib import Path

import httpx
import pytest
from argon2 import extract_parameters

from loricate.commands.published import published
from loricate.records import accounts
from loricate.records.store import open_connection
from loricate.service.errors import NotSignedIn, TooManyAttempts
from loricate.service.guessing import ATTEMPTS, Allowance, AttemptLimiter
from tests.service.conftest import PEOPLE, bearer, sign_in


async def test_a_token_works_until_signed_out(wire: httpx.AsyncClient) -> None:
    headers = await bearer(wire, "mara")
    assert (await wire.get("/me", headers=headers)).json()["role"] == "engineer"
    assert (await wire.post("/sign-out", headers=headers)).status_code == 204
    assert (await wire.get("/me", headers=headers)).status_code == 401


async def test_a_browser_session_needs_its_csrf_secret_to_write(wire: httpx.AsyncClient) -> None:
    answer = await sign_in(wire, "mara", "cookie")
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=strict" in cookie
    assert answer.json()["token"] == "", "the secret is in the cookie alone"
    assert (await wire.get("/me")).status_code == 200
    refused = await wire.post("/sign-out")
    assert refused.status_code == 403 and "X-Loricate-CSRF" in refused.json()["detail"]
    csrf = (await wire.get("/me")).json()["csrf"]
    done = await wire.post("/sign-out", headers={"X-Loricate-CSRF": csrf})
    assert done.status_code == 204


@pytest.mark.parametrize(("name", "password"), [("mara", "wrong"), ("nobody", "mara-pass")])
async def test_a_wrong_name_and_a_wrong_password_are_told_alike(
    wire: httpx.AsyncClient, name: str, password: str
) -> None:
    answer = await wire.post("/sign-in", json={"name": name, "password": password})
    assert answer.status_code == 401
    assert answer.json()["detail"] == (
        "The name or the password is wrong; check both and try again."
    )


async def test_attempts_are_limited(wire: httpx.AsyncClient) -> None:
    for _ in range(ATTEMPTS):
        await wire.post("/sign-in", json={"name": "mara", "password": "wrong"})
    answer = await sign_in(wire, "mara")
    assert answer.status_code == 429
    assert 0 < int(answer.headers["retry-after"]) <= 60.0 + 1


def fail(limiter: AttemptLimiter, key: str) -> None:
    with pytest.raises(NotSignedIn), limiter.attempt(Allowance(key, ATTEMPTS)):
        raise NotSignedIn("wrong")


def test_the_limit_is_over_a_sliding_minute() -> None:
    moment = [0.0]
    limiter = AttemptLimiter(lambda: moment[0])
    for _ in range(ATTEMPTS):
        fail(limiter, "name x")
    with pytest.raises(TooManyAttempts), limiter.attempt(Allowance("name x", ATTEMPTS)):
        pass
    with limiter.attempt(Allowance("name y", ATTEMPTS)):
        pass
    moment[0] = 60.0 + 1
    with limiter.attempt(Allowance("name x", ATTEMPTS)):
        pass


def test_attempts_under_way_count_as_if_they_had_failed() -> None:
    limiter = AttemptLimiter()
    with ExitStack() as several:
        for _ in range(ATTEMPTS):
            several.enter_context(limiter.attempt(Allowance("name x", ATTEMPTS)))
        with pytest.raises(TooManyAttempts), limiter.attempt(Allowance("name x", ATTEMPTS)):
            pass
    with limiter.attempt(Allowance("name x", ATTEMPTS)):
        pass  # none of them failed


async def test_of_two_hundred_guesses_at_once_few_are_tried(wire: httpx.AsyncClient) -> None:
    """The right password among them is not found by sheer number."""
    tries = [f"guess {number}" for number in range(199)] + ["mara-pass"]
    answers = await asyncio.gather(
        *(wire.post("/sign-in", json={"name": "mara", "password": each}) for each in tries)
    )
    told = [answer.status_code for answer in answers]
    assert told.count(401) <= ATTEMPTS
    assert set(told) <= {401, 429}, told
    assert all(int(each.headers["retry-after"]) for each in answers if each.status_code == 429)


SYSTEMS = {"depot"}  # which are no people, and see and do nothing but their orders
ANYONE, SIGNED_IN, EVERYONE = "anyone", set(PEOPLE), set(PEOPLE) - SYSTEMS
RUNNERS, ENGINEERS = {"mara", "olle"}, {"mara"}
AUDITORS, ADMINISTRATORS, APPROVERS = {"mara", "quin", "ada"}, {"ada"}, {"quin"}
ENDLESS = {"GET /bench/danger/events"}  # a stream that this transport would wait for
WHO_MAY: dict[str, object] = {
    "GET /health": ANYONE,
    "POST /sign-in": ANYONE,
    "GET /schemas/{name}": ANYONE,
    "GET /verify/{number}": ANYONE,
    "GET /site-key": ANYONE,
    "GET /site-keys": ANYONE,
    "POST /first-account": ANYONE,
    "POST /sign-out": SIGNED_IN,
    "POST /sign-out-everywhere": SIGNED_IN,
    "POST /password": SIGNED_IN,
    "GET /accounts": ADMINISTRATORS,
    "POST /accounts": ADMINISTRATORS,
    "POST /accounts/{name}": ADMINISTRATORS,
    "POST /accounts/{name}/reset": ADMINISTRATORS,
    "GET /audit": AUDITORS,
    "GET /audit/export": AUDITORS,
    "GET /records/check": AUDITORS,
    "GET /records/due": AUDITORS,
    "POST /records/letting-go": APPROVERS,
    "GET /outbox": EVERYONE,
    "GET /site": EVERYONE,
    "POST /outbox/tries": AUDITORS,
    "POST /outbox/{entry}/leaving": AUDITORS,
    "POST /reports": EVERYONE,
    "GET /reports": EVERYONE,
    "GET /reports/{report_id}": EVERYONE,
    "POST /reports/{report_id}/cancel": EVERYONE,
    "GET /reports/{report_id}/file": EVERYONE,
    "GET /report-templates": EVERYONE,
    "GET /report-templates/{name}": EVERYONE,
    "PUT /report-templates/{name}": AUDITORS,
    "DELETE /report-templates/{name}": AUDITORS,
    "GET /carry": EVERYONE,
    "POST /carry": AUDITORS,
    "POST /carry/receipts": AUDITORS,
    "GET /carried": EVERYONE,
    "POST /carried": AUDITORS,
    "GET /carried/{site_id}/receipt": EVERYONE,
    "GET /sessions": SIGNED_IN,
    "DELETE /sessions/{session}": SIGNED_IN,
    "POST /codes": SIGNED_IN,
    "POST /codes/confirm": SIGNED_IN,
    "POST /codes/end": SIGNED_IN,
    "GET /metrics": SIGNED_IN,
    "GET /me": SIGNED_IN,
    "GET /bench": EVERYONE,
    "GET /bench/danger": EVERYONE,
    "GET /bench/danger/events": EVERYONE,
    "POST /bench/earthed": RUNNERS,
    "GET /fixtures/{code}/daily-checks": EVERYONE,
    "POST /fixtures/{code}/renewals": ENGINEERS,
    "POST /series": RUNNERS,
    "GET /series": EVERYONE,
    "GET /series/{series_id}": EVERYONE,
    "POST /series/{series_id}/arm": RUNNERS,
    "POST /series/{series_id}/stop": RUNNERS,
    "POST /series/{series_id}/serials": RUNNERS,
    "DELETE /series/{series_id}/serials/{serial}": RUNNERS,
    "POST /series/{series_id}/release": ENGINEERS,
    "POST /captures": ENGINEERS,
    "GET /captures": EVERYONE,
    "GET /captures/{capture_id}": EVERYONE,
    "POST /captures/{capture_id}/decisions": ENGINEERS,
    "POST /captures/{capture_id}/draft": ENGINEERS,
    "POST /upkeep": RUNNERS,
    "GET /upkeep/{act_id}": EVERYONE,
    "GET /upkeep/{act_id}/events": EVERYONE,
    "POST /upkeep/{act_id}/answers": RUNNERS,
    "POST /upkeep/{act_id}/abort": RUNNERS,
    "GET /products": EVERYONE,
    "POST /products": ENGINEERS,
    "GET /products/{code}": EVERYONE,
    "GET /products/{code}/revisions": EVERYONE,
    "GET /products/{code}/differences": EVERYONE,
    "GET /products/{code}/offer": EVERYONE,
    "GET /products/{code}/standards": EVERYONE,
    "GET /products/{code}/steps/{kind}": EVERYONE,
    "GET /products/{code}/from-to": EVERYONE,
    "POST /products/drafts/from-to": ENGINEERS,
    "GET /limit-sets": EVERYONE,
    "POST /limit-sets": ENGINEERS,
    "GET /limit-sets/{code}": EVERYONE,
    "GET /limit-sets/{code}/revisions": EVERYONE,
    "GET /limit-sets/{code}/differences": EVERYONE,
    "POST /limit-sets/{code}/release": ENGINEERS,
    "GET /sequences": EVERYONE,
    "POST /sequences": ENGINEERS,
    "POST /sequences/check": EVERYONE,
    "POST /sequences/review": EVERYONE,
    "POST /sequences/challenge": ENGINEERS,
    "POST /sequences/{code}/challenge": ENGINEERS,
    "GET /sequences/{code}/review": EVERYONE,
    "GET /sequences/{code}": EVERYONE,
    "GET /sequences/{code}/revisions": EVERYONE,
    "GET /sequences/{code}/label": EVERYONE,
    "GET /sequences/{code}/file": EVERYONE,
    "POST /sequences/read": EVERYONE,
    "POST /sequences/{code}/release": ENGINEERS,
    "POST /sequences/{code}/withdraw": ENGINEERS,
    "GET /sequences/{code}/differences": EVERYONE,
    "POST /rehearsals": ENGINEERS,
    "GET /rehearsals": EVERYONE,
    "GET /rehearsals/{rehearsal_id}": EVERYONE,
    "POST /rehearsals/{rehearsal_id}/start": ENGINEERS,
    "POST /rehearsals/{rehearsal_id}/abort": RUNNERS,
    "POST /rehearsals/{rehearsal_id}/answers": RUNNERS,
    "POST /rehearsals/{rehearsal_id}/take": ENGINEERS,
    "GET /rehearsals/{rehearsal_id}/events": EVERYONE,
    "GET /lots": EVERYONE,
    "POST /lots": RUNNERS,
    "GET /lots/{code}": EVERYONE,
    "GET /lots/{code}/pdf": EVERYONE,
    "POST /lots/{code}/close": RUNNERS,
    "POST /lots/{code}/summary": {*RUNNERS, "quin"},
    "GET /runs": EVERYONE,
    "POST /runs": RUNNERS,
    "GET /runs/{run_id}": EVERYONE,
    "POST /runs/{run_id}/arm": RUNNERS,
    "POST /runs/{run_id}/start": RUNNERS,
    "POST /runs/{run_id}/abort": RUNNERS,
    "POST /runs/{run_id}/answers": RUNNERS,
    "POST /runs/{run_id}/repeats": RUNNERS,
    "POST /runs/{run_id}/remarks": RUNNERS,
    "GET /runs/{run_id}/curves/{nest}/{step}/{number}": EVERYONE,
    "GET /runs/{run_id}/events": EVERYONE,
    "GET /assets": EVERYONE,
    "GET /assets/{number}": EVERYONE,
    "PUT /assets/{number}": RUNNERS,
    "GET /orders": EVERYONE | SYSTEMS,
    "GET /orders/{number}": EVERYONE | SYSTEMS,
    "PUT /orders/{number}": RUNNERS | SYSTEMS,
    "POST /orders/{number}/withdrawal": RUNNERS | SYSTEMS,
    "GET /units": EVERYONE,
    "GET /unit-counts": EVERYONE,
    "GET /unit-names": EVERYONE,
    "GET /searches": EVERYONE,
    "GET /searches/{name}": EVERYONE,
    "PUT /searches/{name}": AUDITORS,
    "DELETE /searches/{name}": AUDITORS,
    "GET /measurands": EVERYONE,
    "GET /trends": EVERYONE,
    "GET /trends/table": EVERYONE,
    "GET /trends/{chart}/{form}": EVERYONE,
    "GET /check-measurands": EVERYONE,
    "GET /check-trends": EVERYONE,
    "GET /check-trends/table": EVERYONE,
    "GET /check-trends/{chart}/{form}": EVERYONE,
    "GET /yields/{by}": EVERYONE,
    "GET /items": EVERYONE,
    "POST /items": EVERYONE,
    "GET /items/{item_id}": EVERYONE,
    "POST /items/{item_id}/owner": AUDITORS,
    "POST /items/{item_id}/end": AUDITORS,
    "GET /watches": EVERYONE,
    "PUT /watches/{name}": AUDITORS,
    "DELETE /watches/{name}": AUDITORS,
    "GET /units/{serial}": EVERYONE,
    "GET /units/{serial}/report": EVERYONE,
    "POST /pictures": RUNNERS,
    "GET /pictures/{digest}": EVERYONE,
    "GET /certificates/{name}": EVERYONE,
    "GET /certificates/{name}/pdf": EVERYONE,
    "GET /certificates": EVERYONE,
    "POST /certificates/{number}/revoke": APPROVERS,
    "POST /certificates/{number}/draw-again": APPROVERS,
    "POST /certificates/{number}/print": EVERYONE,
    "POST /approvals": APPROVERS,
    "POST /verify": EVERYONE,
    "GET /revocations": ANYONE,
    "GET /keys": EVERYONE,
    "POST /keys": ADMINISTRATORS,
    "POST /keys/{kid}/begin": ADMINISTRATORS,
    "GET /ambient": EVERYONE,
    "POST /ambient": RUNNERS,
    "GET /ledger": EVERYONE,
    "GET /ledger/head": EVERYONE,
}
BODIES: dict[str, dict[str, object]] = {
    "POST /runs": {"sequence": "x", "fixture": "x", "load": [{"nest": "1", "serial": "A"}]},
    "POST /sign-in": {"name": "nobody", "password": "x"},
    "POST /upkeep/{act_id}/answers": {"nest": "1", "choice": "pass"},
    "POST /runs/{run_id}/answers": {"nest": "1", "choice": "pass"},
    "POST /rehearsals/{rehearsal_id}/answers": {"nest": "1", "choice": "pass"},
}


def test_the_table_of_who_may_do_what_is_whole() -> None:
    paths = json.loads(published()["openapi.json"])["paths"]
    routes = {
        f"{method.upper()} {path.removeprefix('/api/v1')}"
        for path, methods in paths.items()
        for method in methods
    }
    assert set(WHO_MAY) == routes


async def test_each_role_may_do_what_the_table_says(wire: httpx.AsyncClient) -> None:
    people = {name: await bearer(wire, name) for name in PEOPLE}
    for route, allowed in WHO_MAY.items():
        method, path = route.split()
        path = ("http://bench" if path in ("/health", "/metrics") else "") + re.sub(
            r"\{\w+\}", "x", path
        )
        sent = BODIES.get(route, {}) if method == "POST" else None
        nobody = await wire.request(method, path, json=sent)
        if allowed is ANYONE:
            assert nobody.status_code != 403, route
            assert nobody.status_code != 401 or "wrong" in nobody.json()["detail"], route
            continue
        assert nobody.status_code == 401, f"{route}: a sign-in comes first"
        if route in ENDLESS:
            continue
        let_in = set()
        for name, headers in people.items():
            answer = await wire.request(method, path, headers=headers, json=sent)
            if answer.status_code != 403:
                let_in.add(name)
            else:
                assert name in answer.json()["detail"], route
            if route.startswith("POST /sign-out"):
                people[name] = await bearer(wire, name)
        assert let_in == allowed, route


def read_records(folder: Path) -> bytes:
    """Everything that the records' files hold."""
    return b"".join(path.read_bytes() for path in folder.glob("records.sqlite*"))


async def test_secrets_are_not_kept_in_the_records(wire: httpx.AsyncClient, tmp_path: Path) -> None:
    token = (await sign_in(wire, "mara")).json()["token"]
    kept = await asyncio.to_thread(read_records, tmp_path)
    assert token.encode() not in kept and b"mara-pass" not in kept
    assert b"argon2id" in kept


def test_a_guess_at_what_is_kept_of_a_password_takes_its_time(fit_folder: Path) -> None:
    """As a service in a process of its own keeps it; those in this one hash cheaply."""
    conn = open_connection(fit_folder / "records.sqlite", read_only=True)
    kept = [extract_parameters(row[0]) for row in conn.execute("SELECT password_hash FROM account")]
    conn.close()
    assert len(kept) == 3, "the engineer, quality and the system that gives orders"
    assert all(each.memory_cost >= 65_536 and each.time_cost >= 3 for each in kept)


async def test_an_expired_session_is_over(wire: httpx.AsyncClient, tmp_path: Path) -> None:
    from loricate.records.store import open_connection

    headers = await bearer(wire, "mara")
    past = (dt.datetime.now(dt.UTC) - dt.timedelta(seconds=1)).isoformat()

    def expire() -> None:
        conn = open_connection(tmp_path / "records.sqlite")
        conn.execute("UPDATE session SET expires_at = ?", (past.replace("+00:00", "Z"),))
        assert accounts.find_account(conn, "MARA") is not None, "names are not case-sensitive"
        conn.close()

    await asyncio.to_thread(expire)
    assert (await wire.get("/me", headers=headers)).status_code == 401


async def test_a_bench_that_does_not_answer_is_told_before_a_run(wire: httpx.AsyncClient) -> None:
    stranger = (await wire.get("http://bench/health")).json()
    assert stranger["status"] == "degraded" and stranger["problems"] == ["19; sign in to see."]
    assert "127.0.0.1" not in str(stranger), "strangers learn nothing of where instruments are"
    headers = await bearer(wire, "olle")
    health = (await wire.get("http://bench/health", headers=headers)).json()
    assert health["status"] == "degraded" and len(health["problems"]) == 19
