"""What is turned away before it is read: too large, too deep, too many at once."""

import asyncio
import json
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from fastapi import FastAPI

from loricate.core.sequences.steps import MOST_STEPS
from loricate.service.doorkeeper import (
    KIB,
    MIB,
    REQUESTS,
    SMALL_BYTES,
    USUAL_BYTES,
    Doorkeeper,
    Room,
    most_bytes,
)
from loricate.service.errors import TooManyAtOnce
from loricate.service.settings import Reached
from tests.conftest import read_demo
from tests.service.conftest import bearer

JSON = {"content-type": "application/json"}


class Pieces(httpx.AsyncByteStream):
    """A body in pieces, of a length that nobody is told; counts what was taken of it."""

    def __init__(self, pieces: int) -> None:
        self.pieces, self.taken = pieces, 0

    async def __aiter__(self) -> AsyncIterator[bytes]:
        for _ in range(self.pieces):
            self.taken += 1
            yield b" " * KIB


def told(answer: httpx.Response) -> tuple[int, str]:
    return answer.status_code, answer.json()["type"].rpartition(":")[2]


async def test_a_body_that_says_it_is_too_large_is_not_read(wire: httpx.AsyncClient) -> None:
    body = b'{"name": "' + b"x" * SMALL_BYTES + b'"}'
    answer = await wire.post("/sign-in", content=body, headers=JSON)
    assert told(answer) == (413, "too-large")
    assert "at most 16 KiB" in answer.json()["detail"]


async def test_a_body_in_pieces_is_read_no_further_than_it_may(app: FastAPI) -> None:
    """Spoken to the application itself: a transport would gather the pieces first."""
    taken = 0

    async def receive() -> dict[str, Any]:
        nonlocal taken
        taken += 1
        return {"type": "http.request", "body": b" " * KIB, "more_body": True}

    sent: list[dict[str, Any]] = []

    async def send(message: Any) -> None:
        sent.append(message)

    scope = {
        "type": "http", "http_version": "1.1", "method": "POST", "path": "/api/v1/sign-in",
        "raw_path": b"/api/v1/sign-in", "query_string": b"", "root_path": "", "scheme": "http",
        "headers": [(b"content-type", b"application/json")], "client": ("1.2.3.4", 5),
        "server": ("bench", 80),
    }  # fmt: skip
    await app(scope, receive, send)
    assert sent[0]["status"] == 413
    assert taken <= SMALL_BYTES // KIB + 1


@pytest.mark.parametrize("path", ["/runs", "/sequences/review", "/pictures", "/password"])
async def test_nobody_has_a_body_read_without_a_sign_in(app: FastAPI, path: str) -> None:
    read = False

    async def receive() -> dict[str, Any]:
        nonlocal read
        read = True
        return {"type": "http.request", "body": b"{}", "more_body": False}

    sent: list[dict[str, Any]] = []

    async def send(message: Any) -> None:
        sent.append(message)

    scope = {
        "type": "http", "http_version": "1.1", "method": "POST", "path": f"/api/v1{path}",
        "raw_path": path.encode(), "query_string": b"", "root_path": "", "scheme": "http",
        "headers": [(b"content-type", b"application/json"), (b"content-length", b"2")],
        "client": ("1.2.3.4", 5), "server": ("bench", 80),
    }  # fmt: skip
    await app(scope, receive, send)
    assert sent[0]["status"] == 401 and not read


def test_bodies_have_a_most_by_route() -> None:
    assert most_bytes("POST", "/api/v1/sign-in") == 16 * KIB
    assert most_bytes("POST", "/api/v1/sequences") == MIB == USUAL_BYTES
    assert most_bytes("POST", "/api/v1/pictures") == 8 * MIB
    assert most_bytes("GET", "/api/v1/runs") == 16 * KIB


@pytest.mark.parametrize(
    ("body", "says"),
    [
        (b'{"code": 1, "code": 2}', "'code' twice"),
        (b'{"code": NaN}', "NaN"),
        (b'{"code": 1e999}', "too large"),
        (b'{"code": ' + b"9" * 5000 + b"}", "5000 digits"),
        (b'{"code": 9223372036854775808}', "9223372036854775807"),
        (b"[" * 400 + b"]" * 400, "deeper than 64"),
        (b"[" * 200_000, "deeper than 64"),
        ('{"code": "ä"}'.encode("latin-1"), "UTF-8"),
        (b'{"code": ', "at character 9"),
        (b"{" + b",".join(b'"%d":1' % n for n in range(100_001)) + b"}", "more than 100000"),
    ],
)
async def test_json_that_can_be_read_in_two_ways_or_without_end_is_none(
    wire: httpx.AsyncClient, body: bytes, says: str
) -> None:
    headers = {**await bearer(wire, "mara"), **JSON}
    answer = await wire.post("/sequences/check", content=body, headers=headers)
    assert told(answer) == (400, "not-json")
    assert says in answer.json()["detail"]


async def test_a_sequence_has_at_most_500_steps(wire: httpx.AsyncClient) -> None:
    document = read_demo("sequences/dc40-final.toml")
    step = document["steps"][0]
    headers = await bearer(wire, "mara")
    document["steps"] = [{**step, "id": f"s{n}"} for n in range(MOST_STEPS + 1)]
    for path in ("/sequences/review", "/sequences/check", "/sequences"):
        answer = await wire.post(path, json=document, headers=headers)
        assert told(answer) == (422, "document-refused")
        (error,) = answer.json()["errors"]
        assert (error["field"], error["message"]) == (
            "steps", "has 501 entries; at most 500 are taken.",
        )  # fmt: skip


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a." * 12_000 + "a = 1", "more than 16 parts"),
        ('"a".' * 40 + "a = 1", "more than 16 parts"),
        ("a = " + "[" * 15_000, "nested too deeply"),
        ("a = " + "9" * 5_000, "a number that cannot be read"),
        ("a = 1\n" * 20_001, "more than 20000 names"),
    ],
)
async def test_toml_without_end_is_refused(wire: httpx.AsyncClient, text: str, says: str) -> None:
    headers = {**await bearer(wire, "mara"), "content-type": "application/toml"}
    answer = await wire.post("/sequences/read", content=text.encode(), headers=headers)
    assert told(answer) == (422, "document-refused")
    assert says in answer.json()["detail"]


async def test_requests_are_counted_while_they_are_under_way() -> None:
    """As many as there is room for go in, one more does not, and an abort always does."""
    keeper = Doorkeeper(app=None)  # type: ignore[arg-type]
    inside = [keeper.room(REQUESTS, "mara", is_abort=False) for _ in range(REQUESTS.most)]
    for each in inside:
        each.__enter__()
    with pytest.raises(TooManyAtOnce), keeper.room(REQUESTS, "mara", is_abort=False):
        pass
    with keeper.room(REQUESTS, "olle", is_abort=False):
        pass
    with keeper.room(REQUESTS, "mara", is_abort=True):
        pass
    for each in inside:
        each.__exit__(None, None, None)
    assert not keeper.under_way, "nothing is left of them"


async def test_who_asks_too_much_at_once_is_told_to_wait(
    wire: httpx.AsyncClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    headers = await bearer(wire, "mara")
    monkeypatch.setattr("loricate.service.doorkeeper.REQUESTS", Room("requests", 2))
    answers = await asyncio.gather(*(wire.get("/bench", headers=headers) for _ in range(12)))
    statuses = [answer.status_code for answer in answers]
    assert statuses.count(200) >= 2 and set(statuses) <= {200, 429}
    refused = next(answer for answer in answers if answer.status_code == 429)
    assert told(refused) == (429, "too-many-at-once") and refused.headers["retry-after"] == "1"
    assert (await wire.get("/bench", headers=headers)).status_code == 200


async def test_every_answer_of_the_api_is_kept_nowhere(wire: httpx.AsyncClient) -> None:
    for answer in (await wire.get("/me"), await wire.get("/schemas/product")):
        assert answer.headers["cache-control"] == "no-store"
        assert answer.headers["x-content-type-options"] == "nosniff"


async def test_a_list_comes_page_by_page(wire: httpx.AsyncClient) -> None:
    headers = await bearer(wire, "mara")
    product = read_demo("products/dc-40.toml")
    for number in range(5):
        added = await wire.post(
            "/products", json={**product, "code": f"P-{number}"}, headers=headers
        )
        assert added.status_code == 201
    seen, path = [], "/products?count=2"
    while path:
        answer = await wire.get(path, headers=headers)
        seen.append([each["code"] for each in json.loads(answer.content)])
        path = answer.links.get("next", {}).get("url", "").removeprefix("/api/v1")
    assert seen == [["P-0", "P-1"], ["P-2", "P-3"], ["P-4"]]


def scope_for(host: str) -> dict[str, Any]:
    return {
        "type": "http", "http_version": "1.1", "method": "GET", "path": "/", "raw_path": b"/",
        "query_string": b"", "root_path": "", "scheme": "https",
        "headers": [(b"host", host.encode("latin-1"))], "client": ("1.2.3.4", 5),
        "server": ("x", 443),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("host", "status"),
    [
        ("bench-2.quillmere.example", 200),
        ("BENCH-2.quillmere.example:8640", 200),
        ("10.0.0.9:8640", 421),
        ("bench-2.quillmere.example.evil.example", 421),
        ("\xff", 421),
        ("", 421),
    ],
)
async def test_only_names_that_are_trusted_are_answered(host: str, status: int) -> None:
    async def page(scope: Any, receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    reached = Reached(hosts=("bench-2.quillmere.example",), tls_cert=Path("cert.pem"))
    sent: list[Any] = []

    async def send(message: Any) -> None:
        sent.append(message)

    async def receive() -> dict[str, Any]:
        return {"type": "http.request", "body": b"", "more_body": False}

    await Doorkeeper(page, reached)(scope_for(host), receive, send)
    assert sent[0]["status"] == status
    assert (b"strict-transport-security", b"max-age=31536000") in sent[0]["headers"]
